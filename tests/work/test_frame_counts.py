"""Long clips are read in a moment, and counted exactly before anything is timed."""

from dataclasses import replace
from pathlib import Path

import pytest

from calm import CALM
from numbered import write_numbered
from ovrik.errors import OvrikError, Stopped
from ovrik.export.run.order import PlannedRun
from ovrik.quality.decode import probe as probing
from ovrik.quality.decode.probe import count_frames, probe
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import Shot, of_clip
from ovrik.work.footage.frame_counts import count_for, uncounted
from ovrik.work.timing.series import TimingUpdate, time_all


@pytest.fixture
def long(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Study:
    """A study of a clip whose header says that it has 90 frames; it has 60."""
    monkeypatch.setattr(probing, "DECODED_PIXELS", 0)
    monkeypatch.setattr(probing, "MOST_PACKETS", 40)
    monkeypatch.setattr(probing, "REORDERED", 3)
    monkeypatch.setattr(probing, "_header_frames", lambda *_a: 90)
    clip = probe(write_numbered(tmp_path / "long.mkv", 60))
    assert (clip.frames, clip.frames_counted, clip.rate) == (90, False, 25)
    assert clip.constant_rate
    made = Study.create(tmp_path / "s.ovrik", "t", of_clip(clip), whole(of_clip(clip)), rounds=1, warmup=0)
    made.set_conduct(CALM)
    made.add_contender(Contender("bundled", recipe("libx264", "ultrafast", sound="none"), "x264"))
    return made


def test_it_is_counted_and_the_whole_stays_the_whole(long: Study) -> None:
    assert uncounted(long.programme()) == ["long.mkv"]
    assert count_for(long) == ["long.mkv has 60 frames, its container says 90"]
    programme = long.programme()
    assert (programme.frames, programme.clips[0].frames_counted) == (60, True)
    assert long.facts().excerpt == Excerpt(0, 60)
    assert count_for(long) == []


def test_an_excerpt_beyond_the_end_is_cut_off(long: Study) -> None:
    long.set_excerpt(Excerpt(50, 30))
    count_for(long)
    assert long.facts().excerpt == Excerpt(50, 10)


def test_timing_counts_first_and_says_so(long: Study) -> None:
    said: list[TimingUpdate] = []
    assert time_all(long, [PlannedRun(1, 1, False)], said.append)
    assert any(u.preparing.startswith("Counting the frames") for u in said)
    assert long.runs()[-1].excerpt == Excerpt(0, 60)
    assert long.runs()[-1].state == "done"


def test_it_stops_when_asked_and_knows_another_clip(long: Study, tmp_path: Path) -> None:
    with pytest.raises(Stopped):
        count_for(long, should_stop=lambda: True)
    assert uncounted(long.programme())
    clip = long.programme().clips[0]
    with pytest.raises(OvrikError, match="another clip"):
        count_frames(replace(clip, checksum="other"))


def test_a_shot_that_the_clip_does_not_have_is_named(long: Study) -> None:
    cut = replace(long.programme(), shots=(Shot(0, 0, 10), Shot(0, 70, 10)), sound=())
    long.set_programme(cut, Excerpt(0, 20))
    with pytest.raises(OvrikError, match="Shot 2 begins with frame 70"):
        count_for(long)
