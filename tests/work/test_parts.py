"""Parts, segments and the whole are really timed, kept, and summed up."""

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from numbered import write_numbered
from odd_clips import run
from ovrik.cli import main
from ovrik.errors import OvrikError, Stopped
from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.probe import probe
from ovrik.report.words.explained import explain_json, whole_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.part import ALL, DECODE, ENCODE, SOUND, TREAT, WRITE
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, Shot, of_clip, of_clips
from ovrik.study.programme.treatment import treatment
from ovrik.work.apart.parts import Bench, ladder_of, parts_of, time_parts
from ovrik.work.apart.whole_programme import (
    lengths_to_time,
    pieces_to_time,
    time_segments,
    time_whole,
    whole_of,
)

X264 = recipe("libx264", "ultrafast", 30)


@pytest.fixture
def cut(tmp_path: Path) -> Programme:
    """Two shots of a clip, one blurred, with sound."""
    made = of_clips("cut", [probe(write_numbered(tmp_path / "a.mkv", 60, sound=True))])
    shots = (Shot(0, 5, 30), Shot(0, 25, 30, 0, (treatment("blur", {"radius": 2}),)))
    return replace(made, shots=shots, sound=((replace(made.sound[0][0], length=Fraction(2)),),))


def study_of(tmp_path: Path, programme: Programme, *contenders: Contender) -> Study:
    """A study of its first half."""
    study = Study.create(
        tmp_path / "p.ovrik", "Parts", programme, Excerpt(0, programme.frames // 2), warmup=0
    )
    study.add_contenders(contenders)
    return study


@pytest.mark.parametrize(
    "contender",
    [
        Contender("bundled", X264),
        Contender("system", X264),
        Contender("bundled", recipe("libx264", "ultrafast", bit_rate=300_000, control="two passes")),
        Contender("bundled", X264, prerendered=intermediate("prores")),
    ],
)
def test_every_part_of_a_treated_cut_is_timed(tmp_path: Path, cut: Programme, contender: Contender) -> None:
    study = study_of(tmp_path, cut, contender)
    (kept,) = study.contenders()
    said: list[str] = []
    found = time_parts(Bench(study, lambda _s, words: said.append(words)), kept, 2)
    assert found is not None
    names = {s.name for s in found.shares}
    expected = {DECODE, ENCODE, SOUND, WRITE} | (set() if contender.prerendered else {TREAT})
    assert names == expected
    assert all(s.seconds > 0 and s.low is not None for s in found.shares)
    assert said[0] == "Preparing raw frames"
    timed = parts_of(study, kept)
    assert [p.name for p in timed].count(ALL) == 2
    assert not list(study.outputs.glob("parts*")), "what was written for it is gone"
    assert study.runs() == [], "it is no run"
    alone = next(p for p in timed if p.name == ENCODE)
    assert "raw.nut" in " ".join(alone.argv)
    assert "-filter_complex" not in alone.argv
    study.close()


def test_parts_of_a_plain_clip_have_no_treatments(tmp_path: Path, footage: Footage) -> None:
    study = study_of(tmp_path, of_clip(footage), Contender("bundled", replace(X264, sound="none")))
    found = time_parts(Bench(study), study.contenders()[0], 1)
    assert found is not None
    assert {s.name for s in found.shares} == {DECODE, ENCODE, WRITE}
    study.set_excerpt(Excerpt(3, 9))
    assert ladder_of(study, study.contenders()[0]) is None, "they are of another excerpt"
    study.close()


@pytest.mark.quiet
def test_the_link_of_an_external_box_is_found_to_be_the_limit(tmp_path: Path) -> None:
    """Of a clip that is quickly decoded and needs no scaling: on a slow machine that takes longer than the link."""
    picture = ("-f", "lavfi", "-i", "testsrc2=s=2560x1440:r=25", "-frames:v", "24")
    run(*picture, "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", str(tmp_path / "big.mov"))
    clip = probe(tmp_path / "big.mov")
    study = study_of(tmp_path, of_clip(clip), Contender("standin-bellows", recipe("h264_standin", "fast")))
    study.set_excerpt(Excerpt(0, 24))
    found = time_parts(Bench(study), study.contenders()[0], 1)
    study.close()
    assert found is not None
    assert found.limit == ENCODE
    assert found.resource == "the link to the device is full (100 %)"


def test_what_can_not_be_taken_apart_says_so_and_stopping_works(
    tmp_path: Path, cut: Programme, monkeypatch: pytest.MonkeyPatch
) -> None:
    study = study_of(tmp_path, cut, Contender("bundled", X264))
    (real,) = study.contenders()
    described = replace(find_build("bundled"), key="described-press")
    with monkeypatch.context() as patch:
        patch.setattr("ovrik.work.apart.parts.builds_for", lambda _c: {"bundled": described})
        with pytest.raises(OvrikError, match="only exports as a whole"):
            time_parts(Bench(study), real)
    other = Study.open(study.path)
    assert other.hold.take()
    with pytest.raises(OvrikError, match="timed by another Ovrik"):
        Bench(study).time(
            Bench(study).plan(real, Excerpt(0, 5)), ALL, [["true"]], tmp_path / "p", tmp_path / "o", False
        )
    other.hold.release()
    other.close()
    with pytest.raises(Stopped):
        time_parts(Bench(study, should_stop=lambda: True), real)
    assert study.parts() == []
    study.close()


def test_segments_give_a_forecast_and_the_whole_is_held_against_it(
    tmp_path: Path, cut: Programme, capsys: pytest.CaptureFixture[str]
) -> None:
    study = study_of(tmp_path, cut, Contender("bundled", X264))
    (kept,) = study.contenders()
    assert {e.frames for e in lengths_to_time(study)} == {7, 8, 30}
    pieces = pieces_to_time(study)
    assert len(set(pieces)) == len(pieces) == 10
    assert {e.frames for e in pieces} == {2}
    empty = whole_of(study, kept)
    assert (empty.shape, empty.costs, empty.forecast, empty.check) == (None, None, None, None)
    found = time_segments(Bench(study), kept)
    assert found.forecast is not None
    assert found.forecast.low < found.forecast.seconds < found.forecast.high
    assert found.costs is not None
    assert found.check is None
    done = time_whole(Bench(study), kept)
    assert done.check is not None
    assert done.check.seconds == parts_of(study, kept)[-1].wall_s
    assert [p.excerpt for p in parts_of(study, kept)][-1] == Excerpt(0, 60)
    assert any("the forecast said" in w for w in whole_words(done))
    assert explain_json(None, done)["check"]["within"] == done.check.within
    study.close()
    assert main(["explain", str(study.path), kept.label, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["forecast"]["segments"] == done.forecast.segments
    assert main(["explain", str(study.path), "nobody"]) == 2


def test_intermediates_of_segments_do_not_stay_on_the_disk(tmp_path: Path, cut: Programme) -> None:
    study = study_of(tmp_path, cut, Contender("bundled", X264, prerendered=intermediate("prores-proxy")))
    (kept,) = study.contenders()
    time_whole(Bench(study), kept)
    folder = study.outputs / "prerendered"
    assert list(folder.glob("*.mov")) == []
    time_parts(Bench(study), kept, 1)
    assert len(list(folder.glob("*.mov"))) == 1, "the excerpt's own is used again"
    study.close()
