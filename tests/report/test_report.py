"""Numbers in words, tables and JSON say the same thing."""

import csv
import json
from pathlib import Path

import pytest

from ovrik.analysis.times.ratio import Ratio, paired_ratio
from ovrik.demo.scenario import unpack_demo
from ovrik.report.forms.as_csv import write_runs_csv
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.forms.tables import runs_table
from ovrik.report.values.everything import evidence_json
from ovrik.report.words.numbers import ratio_words, saved_words, size_words, state_words
from ovrik.report.words.phrases import table
from ovrik.report.words.rows import footage_rows, rate_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.work.evidence.gathered import Evidence, gather


@pytest.fixture(scope="module")
def evidence(tmp_path_factory: pytest.TempPathFactory) -> Evidence:
    study = Study.open(unpack_demo(tmp_path_factory.mktemp("demo")))
    found = gather(study)
    study.close()
    return found


@pytest.mark.parametrize(
    ("base", "other", "times", "saved"),
    [
        (10.0, 6.58, "×1.52", "34 % less time"),
        (10.0, 20.0, "×0.50", "100 % more time"),
        (10.0, 10.01, "×1.00", "same time"),
    ],
)
def test_both_ways_of_saying_it_agree(base: float, other: float, times: str, saved: str) -> None:
    ratio = paired_ratio([base], [other])
    assert ratio_words(ratio) == times
    assert saved_words(ratio) == saved


def test_intervals_in_words() -> None:
    assert ratio_words(Ratio(1.52, 1.47, 1.58, 4)) == "×1.52 (1.47 to 1.58)"
    assert ratio_words(Ratio(1.52, 0.2, 11456692.19, 1)) == "×1.5, at least ×0.2"
    assert ratio_words(Ratio(15.2, 0.0004, 1e6, 1)) == "×15, at least ×<0.01"
    assert ratio_words(None) == saved_words(None) == "–"


@pytest.mark.parametrize(
    ("size", "words"),
    [(None, "–"), (512, "512 B"), (771_123, "771 kB"), (2_240_000, "2.24 MB"), (3e9, "3.00 GB")],
)
def test_sizes(size: int | None, words: str) -> None:
    assert size_words(size) == words


def test_text_and_json_hold_the_same_numbers(evidence: Evidence) -> None:
    text, said = verdict_text(evidence), evidence_json(evidence, None)
    json.dumps(said)
    for shown in said["contenders"]:
        line = next(x for x in text.splitlines() if x.startswith(f"{shown['label']}  "))
        if shown["usual_s"]:
            known = f"{shown['usual_s']:.1f} ±0.12" if shown["doubt_s"] else f"{shown['usual_s']:.2f}"
            assert f"  {known}  " in line
            base = said["contenders"][0]["usual_s"]
            assert shown["ratio"]["value"] == pytest.approx(base / shown["usual_s"])
            ratio = evidence.summaries[said["contenders"].index(shown)].ratio
            assert ratio_words(ratio) in line
            assert shown["ratio"]["low"] == ratio.low <= shown["ratio"]["value"] <= shown["ratio"]["high"]
            assert shown["ratio"]["high"] == ratio.high
    flat = " ".join(text.split())
    assert " ".join(said["verdict"]["sentence"].split()) in flat
    for change in said["would_change"]["limits"]:
        assert (change["choice"] or "nothing would be acceptable") in flat
    for factor in said["by_factor"]:
        for level in factor["levels"]:
            assert level["words"] in text


def test_times_rank_the_text(evidence: Evidence) -> None:
    lines = verdict_text(evidence).splitlines()
    ranked = sorted((s for s in evidence.summaries if s.usual_s), key=lambda s: s.usual_s or 0)
    heads = [f"{s.contender.label}  " for s in ranked]
    places = [next(i for i, line in enumerate(lines) if line.startswith(head)) for head in heads]
    assert places == sorted(places)


def test_csv_holds_every_run(evidence: Evidence, tmp_path: Path) -> None:
    count = write_runs_csv(evidence, tmp_path / "r.csv")
    with (tmp_path / "r.csv").open() as handle:
        rows = list(csv.DictReader(handle))
    assert len(rows) == count == sum(len(s.runs) for s in evidence.summaries)
    assert tuple(rows[0]) == tuple(runs_table(evidence).heads)
    assert float(rows[0]["wall_s"]) > 0


def test_states(evidence: Evidence) -> None:
    words = {s.contender.label: state_words(s) for s in evidence.summaries}
    assert words["x264 medium"] == "acceptable"
    assert words["x264 superfast"] == "not acceptable"
    assert words["SVT-AV1 8 in .mov"] == "not timed"


def test_table_lines_up() -> None:
    lines = table([("a", "bb"), ("longer", "c")])
    assert lines == ["a       bb", "longer   c"]


def test_footage_rows(footage: Footage) -> None:
    rows = dict(footage_rows(footage))
    assert rows["Duration"] == "1.200 s, 30 frames (counted)"
    assert rows["Audio"] == "pcm_s16le, 48 kHz, stereo"
    assert rate_words(footage.rate) == "25 fps"
