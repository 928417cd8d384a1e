"""Exports of other programs are runs like any other: planned by turns, matched, judged, moved, with their doubt."""

import hashlib
import json
import os
import shutil
import time
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.export.run.order import PlannedRun
from ovrik.export.run.trace import Trace
from ovrik.machine.builds.package import package_version
from ovrik.outside.starts import FIRST_BYTE, LOAD
from ovrik.outside.watch import OutsideTime
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.words.numbers import how_timed, own_time_words
from ovrik.report.words.reasons import doubt_words, reason_words
from ovrik.report.words.watched import written_by
from ovrik.standin import editing
from ovrik.standin.editing import VERSIONS
from ovrik.store.study import Study
from ovrik.study.contender.contender import contender_difference
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.plan import load_plan
from ovrik.work.apart.parts import Bench
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.summary import Summary
from ovrik.work.lineup.able import BY_WATCHING, barred, checked_able, driven, judge_for
from ovrik.work.lineup.approvals_wanted import waiting
from ovrik.work.lineup.from_plan import save_plan
from ovrik.work.lineup.standin_export import standin_command
from ovrik.work.outside.exports import (
    CHECKS,
    checksum_of,
    first_words,
    keep_first,
    keep_outside,
    matched,
    move_run,
    next_card,
    outside_contender,
    outside_runs,
    package_of,
    slug,
)
from ovrik.work.timing.series import time_all


@pytest.fixture
def two(study: Study) -> tuple[Study, int, int]:
    """The study with two contenders of another program, in two versions."""
    made = [
        study.add_contender(outside_contender("Bell Yard", v, {"acceleration": "on"}, "mkv"))
        for v in ("1.0", "2.0")
    ]
    return study, made[0].contender_id, made[1].contender_id


def export(path: Path, wall_s: float, lead_s: float = 0.0, by: str = LOAD) -> OutsideTime:
    """A watched export that ended a moment ago."""
    now = time.monotonic()
    return OutsideTime(
        path, wall_s, 0.05, lead_s, by, now - wall_s, now, path.stat().st_size, (path.name,), 0, 0, "bellyard"
    )


def file_for(study: Study, tmp_path: Path, name: str) -> Path:
    """The footage itself, under the name of an export."""
    path = tmp_path / name
    shutil.copy(study.programme().clips[0].path, path)
    return path


def test_settings_are_factors_and_the_label_names_them(two: tuple[Study, int, int]) -> None:
    study, one, other = two
    first, second = (next(c for c in study.contenders() if c.contender_id == i) for i in (one, other))
    assert first.label == "Bell Yard 1.0 acceleration on"
    assert (first.factors()["setting program"], first.factors()["setting acceleration"]) == (
        "Bell Yard",
        "on",
    )
    plain = next(c for c in study.contenders() if not c.outside)
    assert contender_difference(first, second).differ == (("Version", "1.0", "2.0"),)
    apart = {title: (a, b) for title, a, b in contender_difference(plain, second).differ}
    assert apart["Version"] == ("–", "2.0")
    assert "Raw options" not in apart
    assert first.factors() != second.factors()
    assert first.factors()["rate"] == "as set there"
    with pytest.raises(OvrikError, match="has no name"):
        outside_contender(" ", "1", {})
    with pytest.raises(OvrikError, match="asked for by itself"):
        outside_contender("A", "1", {"version": "2"})


def test_they_are_not_driven_and_not_called_unable(two: tuple[Study, int, int]) -> None:
    study, one, other = two
    against = barred(study)
    assert not {one, other} & against.keys()
    assert not {one, other} & {c.contender_id for c in driven(study.contenders(), against)}
    judge = judge_for(study.programme(), study.facts().excerpt, study.contenders())
    assert {e.reason for e in checked_able(study.contenders(), judge) if e.contender.outside} == {BY_WATCHING}
    assert not time_all(study, [PlannedRun(one, 1, False)])
    assert study.runs() == [], "nothing is tried"
    with pytest.raises(OvrikError, match="timed by watching its file"):
        Bench(study).plan(next(c for c in study.contenders() if c.contender_id == one), study.facts().excerpt)


def test_a_series_alternates_and_says_what_to_do(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, one, other = two
    order = []
    for _turn in range(4):
        card = next_card(gather(study))
        order.append((card.contender.contender_id, card.number))
        assert card.name == f"{slug(card.contender.label)} {card.number}.mkv"
        assert ("acceleration", "on") in card.settings
        keep_outside(study, card.contender, export(file_for(study, tmp_path, card.name), 3.0))
    assert order == [(one, 1), (other, 1), (one, 2), (other, 2)]
    study.drop_contender(one), study.drop_contender(other)
    with pytest.raises(OvrikError, match="outside add"):
        next_card(gather(study))


def test_runs_enter_with_their_doubt_and_compare_by_turns(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, other = two
    study.set_baseline(one)
    for contender, seconds, lead in ((one, 8.0, 0.0), (other, 4.0, 1.0), (one, 8.2, 0.0), (other, 4.1, 1.0)):
        card = next_card(gather(study))
        assert card.contender.contender_id == contender
        path = file_for(study, tmp_path, card.name)
        by = FIRST_BYTE if lead else LOAD
        keep_outside(study, card.contender, export(path, seconds, lead, by), CHECKS[:1])
    evidence = gather(study)
    first, second = evidence.of(one), evidence.of(other)
    assert first is not None
    assert second is not None
    bounds = [(3.95, 5.05), (4.05, 5.15)]
    walls = [(low * high) ** 0.5 for low, high in bounds]
    assert [r.wall_s for r in second.runs] == pytest.approx(walls), "as far from either bound"
    assert second.bounds_s == pytest.approx((4.0, 5.1), rel=0.002)
    assert own_time_words(second) == "4 to 5.1"
    assert not first.by_hand
    assert second.ratio is not None
    assert second.ratio.pairs == 2
    assert second.ratio.value == pytest.approx(8.1 / (walls[0] * walls[1]) ** 0.5, rel=0.001)
    assert second.ratio.low is not None
    assert second.ratio.low <= 8.1 / 5.1 < 8.1 / 4.0 <= (second.ratio.high or 0), "compared by its bounds"
    run = second.runs[0]
    assert run.conditions["ticked"] == ["caches cleared"]
    assert run.conditions["watched"]["program"] == "bellyard"
    said = (
        "3.95 to 5.05 s: start by the first byte, end by the file; press the start key, or name the program"
    )
    assert doubt_words(run).startswith(said)
    began = datetime.fromisoformat(run.started_utc)
    assert 4.0 <= (datetime.now(UTC) - began).total_seconds() < 20


def test_outputs_are_checked_like_any_other(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, one, other = two
    good = file_for(study, tmp_path, "good.mkv")
    keep_outside(study, next(c for c in study.contenders() if c.contender_id == one), export(good, 3.0))
    short = tmp_path / "short.mkv"
    short.write_bytes(good.read_bytes()[: good.stat().st_size // 2])
    keep_outside(study, next(c for c in study.contenders() if c.contender_id == other), export(short, 1.0))
    assert score_all(study) == 2
    first, second = (gather(study).of(i) for i in (one, other))
    assert first is not None
    assert second is not None
    assert first.vmaf is not None
    assert first.vmaf.mean > 95
    assert second.acceptable is False
    assert "frames instead of" in reason_words(second.reasons[0])
    assert good.exists()


def test_a_file_goes_to_the_contender_whose_name_it_carries(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, other = two
    first, second = (next(c for c in study.contenders() if c.contender_id == i) for i in (one, other))
    assert matched(study, tmp_path / f"{slug(second.label)} 7.mkv", first) == second
    assert matched(study, tmp_path / "anything.mkv", first) == first


def test_a_run_of_the_wrong_contender_is_moved_and_says_so(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, other = two
    first, second = (next(c for c in study.contenders() if c.contender_id == i) for i in (one, other))
    run = keep_outside(study, first, export(file_for(study, tmp_path, "a.mkv"), 3.0))
    move_run(study, run.id, second)
    assert outside_runs(gather(study).of(one)) == []
    [moved] = outside_runs(gather(study).of(other))
    assert moved.wall_s == run.wall_s
    assert moved.conditions["moved"][0]["from"] == one
    with pytest.raises(OvrikError, match="is no watched export"):
        move_run(study, run.id, study.contenders()[0])
    with pytest.raises(OvrikError, match="is no watched export"):
        move_run(study, 999, second)


def test_what_wrote_the_file_is_known_by_its_package_and_checksum(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, _other = two
    system = Path("/usr/bin/ffmpeg").resolve()
    found = replace(export(file_for(study, tmp_path, "a.mkv"), 3.0), executable=str(system))
    contender = next(c for c in study.contenders() if c.contender_id == one)
    run = keep_outside(study, contender, found)
    assert run.build.startswith("Bell Yard 1.0 (ffmpeg ")
    assert run.build_sha256 == hashlib.sha256(system.read_bytes()).hexdigest()
    assert run.conditions["watched"]["package"].startswith("ffmpeg ")
    assert "written by bellyard (ffmpeg " in written_by(run.conditions["watched"])
    for nothing in ("", str(tmp_path / "nothing")):
        assert package_of(nothing) == checksum_of(nothing) == ""
    assert package_of("/opt/bell-yard-4.2/bin/edit") == "bell-yard-4.2"
    assert package_version(tmp_path) == ""


def test_while_the_choice_is_decided_only_what_can_win_is_next(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, other = two
    third = study.add_contender(outside_contender("Bell Yard", "3.0", {}, "mkv"))
    study.set_conduct(replace(study.facts().conduct, until_decided=True))
    for contender, seconds in ((one, 60.0), (other, 20.0), (third.contender_id, 20.4)):
        card = next_card(gather(study))
        assert card.contender.contender_id == contender
        keep_outside(study, card.contender, export(file_for(study, tmp_path, card.name), seconds))
    assert next_card(gather(study)).contender.contender_id == other
    keep_outside(study, next_card(gather(study)).contender, export(file_for(study, tmp_path, "x.mkv"), 20.1))
    assert next_card(gather(study)).contender.contender_id == third.contender_id, (
        "the first can't win any more"
    )


def test_the_programs_load_is_kept_as_a_trace(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, one, _other = two
    found = replace(
        export(file_for(study, tmp_path, "a.mkv"), 0.3),
        load=((0.1, 1.0, 0.0), (0.2, 2.0, 0.5), (0.3, 0.5, 0.25)),
    )
    run = keep_outside(study, next(c for c in study.contenders() if c.contender_id == one), found)
    packed = study.series(run.id)
    assert packed is not None
    trace = Trace.unpacked(packed)
    assert trace.columns["t"].tolist() == pytest.approx([0.1, 0.2, 0.3])
    cores = os.cpu_count() or 1
    assert trace.columns["cpu"].tolist() == pytest.approx([100 / cores, 200 / cores, 50 / cores])
    assert trace.columns["graphics load [%]"].tolist() == pytest.approx([0, 50, 25])


def test_a_moved_run_takes_the_place_of_no_other(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, one, other = two
    first, second = (next(c for c in study.contenders() if c.contender_id == i) for i in (one, other))
    runs = [
        keep_outside(study, c, export(file_for(study, tmp_path, f"{n}.mkv"), 3.0 + n / 100))
        for n, c in enumerate((first, first, second))
    ]
    move_run(study, runs[0].id, second)
    keep_outside(study, first, export(file_for(study, tmp_path, "later.mkv"), 4.0))
    found = gather(study)
    assert sorted(found.of(other).times) == pytest.approx([3.0, 3.02])  # type: ignore[union-attr]
    assert sorted(found.of(one).times) == pytest.approx([3.01, 4.0])  # type: ignore[union-attr]
    move_run(study, runs[1].id, second)
    study.drop_contender(one)
    assert one not in [c.contender_id for c in study.contenders()]


def test_it_travels_in_a_plan_and_needs_no_approval(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, _one, _other = two
    study.add_contender(outside_contender("Bell Yard", "3.0", {"preset": "fast", "GPU mode": "on"}))
    save_plan(study, tmp_path / "p.toml")
    question = load_plan(tmp_path / "p.toml")
    again = [c for c in question.contenders if c.outside]
    assert [c.recipe.raw for c in again] == [c.recipe.raw for c in study.contenders() if c.outside]
    assert question.refused == ()
    assert waiting(again) == []


def test_a_study_from_elsewhere_may_hold_anything(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, one, _other = two
    contender = next(c for c in study.contenders() if c.contender_id == one)
    kept = keep_outside(study, contender, export(file_for(study, tmp_path, "a.mkv"), 3.0))
    for odd in (
        {"watched": "x", "step_s": "?", "moved": 7},
        {"step_s": -1},
        {"watched": {}, "step_s": 1e999},
    ):
        study.move_run(kept.id, one, kept.round, odd)
        [run] = study.runs(one)
        assert run.doubt_s == 0
        assert doubt_words(run).startswith("±0.00 s: start by ")
        assert gather(study).of(one).usual_s == pytest.approx(3.0)  # type: ignore[union-attr]
    move_run(study, kept.id, contender)


def test_the_stand_in_exports_the_studys_excerpt(study: Study, tmp_path: Path) -> None:
    """Whatever its version: the right frames, treated, with their sound, judged like any other output."""
    shot = replace(study.programme().shots[0], treatments=(treatment("stabilise"),))
    treated = replace(study.programme(), treatments=(treatment("sharpen"),), shots=(shot,))
    study.set_programme(treated, Excerpt(4, 20))
    one = study.add_contender(outside_contender("Bell Yard", "1.0", {}, "mkv"))
    for version in VERSIONS:
        path = tmp_path / f"{version}.mkv"
        command = json.dumps(standin_command(study, version))
        assert editing.main(["--release", version, "--command", command, str(path)]) == 0
        keep_outside(study, one, export(path, 2.0))
        assert score_all(study) == 1
        found = next(s for s in gather(study).summaries if s.contender.contender_id == one.contender_id)
        assert found.reasons == ()
        assert found.score is not None
        assert (found.score.facts.frames, found.score.facts.lag) == (20, 0)
        assert found.vmaf is not None
        assert found.vmaf.mean > 80


def test_settings_of_another_program_are_factors_of_a_grid(tmp_path: Path) -> None:
    (tmp_path / "p.toml").write_text("""
[study]
title = "S"
footage = "clip.mkv"
[[grid]]
build = "outside"
encoder = "outside"
container = ["mp4"]
settings.program = ["Bell Yard"]
settings.version = ["1.0", "2.0"]
settings.acceleration = ["on", "off"]
""")
    found = load_plan(tmp_path / "p.toml").contenders
    assert [c.label for c in found] == [
        f"Bell Yard {v} acceleration {a} (simulated)" for v in ("1.0", "2.0") for a in ("on", "off")
    ]
    assert found[1].settings == {"program": "Bell Yard", "version": "1.0", "acceleration": "off"}
    assert found[1].recipe.raw == outside_contender("Bell Yard", "1.0", {"acceleration": "off"}).recipe.raw


def test_a_time_is_never_shown_finer_than_it_is_known(two: tuple[Study, int, int], tmp_path: Path) -> None:
    study, one, _other = two
    contender = next(c for c in study.contenders() if c.contender_id == one)
    for doubt, shown in ((0.02, "12.35 ±0.02"), (0.3, "12.3 ±0.3"), (2.0, "10 to 15")):
        path = file_for(study, tmp_path, f"{doubt}.mkv")
        keep_outside(study, contender, replace(export(path, 12.345), doubt_s=doubt))
        evidence = gather(study)
        found = next(s for s in evidence.summaries if s.contender.contender_id == one)
        assert own_time_words(found) == shown
        assert shown in verdict_text(evidence)
        assert how_timed(found).startswith(
            f"±{doubt:.2f} s: start by" if doubt < 2 else "10.50 to 14.52 s: start by"
        )
        study.set_excerpt(Excerpt(0, 10 + int(doubt * 10)))
    plain = gather(study).summaries[0]
    assert "±" not in own_time_words(plain)


def test_exact_and_wide_runs_are_pooled_by_what_each_says(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    """A run of which only bounds are known adds little to those that are exact."""
    study, one, _other = two
    contender = next(c for c in study.contenders() if c.contender_id == one)

    def kept(name: str, wall: float, lead: float) -> Summary:
        keep_outside(study, contender, export(file_for(study, tmp_path, name), wall, lead, FIRST_BYTE))
        found = gather(study).of(one)
        assert found is not None
        return found

    wide = kept("wide.mkv", 4.7, 19.3)
    assert own_time_words(wide) == "4.7 to 24"
    for number, wall in enumerate((5.0, 5.1, 4.9)):
        pooled = kept(f"exact {number}.mkv", wall, 0.0)
    assert pooled.bounds_s is None
    assert pooled.usual_s == pytest.approx(5.0, rel=0.06), "and not the 7 s that all four come to"


def test_what_a_program_makes_before_its_exports_is_kept_if_it_is_known(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, _other = two
    contender = next(c for c in study.contenders() if c.contender_id == one)
    cache = file_for(study, tmp_path, "cache.mov")
    wide = export(cache, 4.7, 19.3, FIRST_BYTE)
    assert not keep_first(study, contender, wide)
    assert first_words(contender, wide, False) == (
        "cache.mov took 4.7 to 24.1 s and is not kept: press the start key, or name the program, to know it"
    )
    assert gather(study).of(one).first == ()  # type: ignore[union-attr]
    exact = export(cache, 6.5)
    assert keep_first(study, contender, exact)
    assert (
        first_words(contender, exact, True)
        == f"Kept cache.mov: 6.50 s come before the exports of {contender.label}"
    )
    keep_outside(study, contender, export(file_for(study, tmp_path, "a.mkv"), 8.0))
    found = gather(study).of(one)
    assert found is not None
    assert found.first_s == 6.5
    assert found.cost_s == pytest.approx(14.5)


def test_an_export_that_went_on_takes_the_place_of_what_was_kept_of_it(
    two: tuple[Study, int, int], tmp_path: Path
) -> None:
    study, one, _other = two
    contender = next(c for c in study.contenders() if c.contender_id == one)
    path = file_for(study, tmp_path, "a.mkv")
    early = keep_outside(study, contender, export(path, 5.0), CHECKS[:1])
    later = keep_outside(study, contender, export(path, 7.5), (), early)
    assert (later.round, later.conditions["corrects"]) == (early.round, early.id)
    found = gather(study).of(one)
    assert found is not None
    assert found.times == [7.5]
    assert [r.wall_s for r in outside_runs(found)] == [7.5], "it is one export"
    assert [r.wall_s for r in study.runs(one)] == [5.0, 7.5], "and what was kept first stays on file"
    assert next_card(gather(study)).number == 1, "the other's first is next"
