"""Small steps of commands: how much is read, how large it is played, what is left in a pipe."""

import os
import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from odd_clips import run
from ovrik.export.command.export import Export, plain_source
from ovrik.export.command.parts import Places, part_commands, pictures
from ovrik.export.command.playback import FULL, SIZES, playback_command, smaller
from ovrik.export.graph.assembly import _most_frames, frames_taken
from ovrik.export.graph.builder import Canvas, GraphBuilder, sampling
from ovrik.export.graph.source import sound_input
from ovrik.export.graph.treat import LIGHT_OFF, _even, apply
from ovrik.export.run import trace
from ovrik.export.run.timed import PassTimes, RunResult, timed_run
from ovrik.export.run.trace import Trace, TraceWatcher, TreeUse
from ovrik.export.run.until_gone import Spent, _read
from ovrik.machine.sensors.load import Counters
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.part import ALL, ENCODE
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.excerpt_pieces import pieces_of
from ovrik.study.programme.programme import Shot, of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.programme.treatment_kinds import SOFTWARE


def test_no_more_of_a_clip_is_read_than_its_excerpt(footage: Footage) -> None:
    found = plain_source(footage, Excerpt(0, 10), True)
    words = list(found.inputs)
    assert float(words[words.index("-t") + 1]) == pytest.approx(10 / 25, abs=0.02)
    assert "-t" not in plain_source(footage, Excerpt(0, footage.frames), True).inputs


def test_of_a_clip_that_is_counted_no_more_sound_is_read_either(footage: Footage) -> None:
    counted = replace(footage, container="avi", untimed=True)
    words = " ".join(map(str, plain_source(counted, Excerpt(5, 10), True).inputs))
    lengths = [float(x) for x in re.findall(r"-t (\d[\d.]*)", words)]
    assert lengths
    assert max(lengths) < 2.0


def test_raw_frames_are_encoded_from_the_first_to_the_last(footage: Footage, tmp_path: Path) -> None:
    job = Export("ffmpeg", of_clip(footage), Excerpt(5, 10), recipe("libx264"), ())
    raw = replace(footage, path=str(tmp_path / "raw.nut"), container="nut", frames=10)
    [command] = part_commands(job, job, raw, Places(tmp_path / "raw.nut", tmp_path))[ENCODE]
    assert command[command.index("-frames:v") + 1] == "10"
    assert "-ss" not in command
    whole = part_commands(job, job, raw, Places(tmp_path / "raw.nut", tmp_path))[ALL][0]
    assert "-ss" in whole, "the excerpt itself begins later"


def test_full_size_is_the_programmes_own(footage: Footage) -> None:
    treated = replace(of_clip(footage), treatments=(treatment("blur"),))
    job = Export("ffmpeg", treated, Excerpt(0, 10), recipe("libx264"), ())
    assert smaller(job, FULL) is job
    assert {name: float(share) for name, share in SIZES.items()} == {
        "full": 1.0,
        "half": 0.5,
        "quarter": 0.25,
    }
    assert (smaller(job, "half").programme.width, smaller(job, "half").programme.height) == (160, 90)
    plain = replace(job, programme=of_clip(footage))
    assert smaller(plain, "half") is plain


def test_of_a_still_one_frame_is_read_and_as_many_are_treated_as_it_stands(footage: Footage) -> None:
    cut = replace(of_clip(footage), shots=(Shot(0, 4, 12, still=True), Shot(0, 0, 10)), sound=())
    still, moving = pieces_of(cut, Excerpt(0, 22)).base
    assert (frames_taken(cut, still), _most_frames(cut, still)) == (1, 13)
    assert _most_frames(cut, moving) == frames_taken(cut, moving) == 12


def test_what_is_left_in_a_pipe_is_read_and_nothing_is_waited_for() -> None:
    out, into = os.pipe()
    os.set_blocking(out, False)
    try:
        os.write(into, b"last words")
        assert _read(out) == b"last words"
        assert _read(out) == b""
    finally:
        os.close(out)
        os.close(into)


def treated(kind: str, values: dict[str, object]) -> str:
    """The graph of one treatment in software, as text."""
    w = GraphBuilder(SOFTWARE)
    apply(w, "in", treatment(kind, values), Canvas(320, 180, Fraction(25), "yuv420p"))
    return w.text()


def test_light_noise_reduction_works_within_frames_or_across_them() -> None:
    within, across = (
        treated("denoise", {"method": f"light {way}", "strength": 4}) for way in ("spatial", "temporal")
    )
    found = [dict(re.findall(r"(luma_spatial|luma_tmp)=([\d.]+)", text)) for text in (within, across)]
    assert [float(f["luma_spatial"]) for f in found] == [4.0, LIGHT_OFF]
    assert [float(f["luma_tmp"]) for f in found] == [LIGHT_OFF, 6.0]


def test_a_picture_that_is_laid_over_has_square_pixels(tmp_path: Path) -> None:
    path = tmp_path / "badge.png"
    run("-f", "lavfi", "-i", "color=red:s=64x64", "-frames:v", "1", str(path))
    assert set(re.findall(r"setsar=r?=?(\d+)", treated("picture", {"file": str(path)}))) == {"1"}


@pytest.mark.parametrize(
    ("name", "wanted"),
    [("yuv420p", "420"), ("yuv422p10le", "422"), ("yuv444p12le", "444"), ("gbrp", "444"), ("nv12", "444")],
)
def test_sampling_is_read_from_a_formats_name(name: str, wanted: str) -> None:
    assert sampling(name) == wanted


@pytest.mark.parametrize(
    ("value", "even"), [(0.2, 2), (1.0, 2), (2.9, 2), (3.1, 4), (179.0, 180), (360.0, 360)]
)
def test_sizes_are_even_and_never_nothing(value: float, even: int) -> None:
    assert _even(value) == even


def test_where_a_seek_is_no_help_sound_is_read_from_the_beginning(footage: Footage) -> None:
    stream, avi, mkv = (replace(footage, container=c) for c in ("mpeg", "avi", "matroska,webm"))
    seeks = [
        float(options[options.index("-ss") + 1]) if "-ss" in options else 0.0
        for options, _nodes in (sound_input(c, Fraction(3), Fraction(1)) for c in (stream, avi, mkv))
    ]
    assert seeks == [0.0, 3.0, 3.0]
    [_resample, trim] = sound_input(stream, Fraction(3), Fraction(1))[1]
    assert "start=3" in trim.text()


def test_parts_of_the_picture_have_no_sound(footage: Footage) -> None:
    job = Export("ffmpeg", of_clip(footage), Excerpt(0, 10), recipe("libx264"), ())
    assert pictures(job).sound == ""
    assert plain_source(footage, Excerpt(0, 10), True).sound


def test_what_failed_wrote_nothing_and_nothing_was_spent_before_it_began(tmp_path: Path) -> None:
    done = timed_run([["false"]], tmp_path / "part.mp4", tmp_path / "out.mp4")
    assert (done.state, done.output_bytes) == ("failed", 0)
    assert set(vars(Spent()).values()) <= {0, None}
    assert Trace.unpacked(Trace({"t": np.array([0.0])}).packed()).mean("cpu") == 0.0


def test_when_the_last_frame_came_counts_the_passes_before_it() -> None:
    first, last = PassTimes(4.0, 0.5, 3.5), PassTimes(6.0, 0.4, 5.5)
    assert RunResult("done", "", passes=(first, last)).last_frame_s == 9.5
    assert RunResult("done", "", passes=(first, replace(last, last_s=None))).last_frame_s is None
    assert RunResult("done", "").last_frame_s is None


def test_what_disks_moved_and_what_the_export_itself_read(monkeypatch: pytest.MonkeyPatch) -> None:
    watch = TraceWatcher()
    watch.first, watch.last = (Counters(0.0, (), 0.0, r, w, 0.0) for r, w in ((100, 50), (700, 950)))
    assert watch.disk_bytes == 600 + 900
    uses = iter(
        [TreeUse(1.0, 2**20, 4_000_000, 1_000_000, (7,)), TreeUse(3.0, 2**21, 10_000_000, 5_000_000, (7,))]
    )
    monkeypatch.setattr(trace, "tree_use", lambda _group: next(uses))
    watch._tree = TreeUse(0.0, 0, 0, 0, ())
    watch._own(1.0, 2)
    found = watch._own(2.0, 2)
    assert found["own read"] == pytest.approx(6.0 / 2)
    assert found["own written"] == pytest.approx(4.0 / 2)
    assert found["own cpu"] == pytest.approx(100 * 2.0 / 2 / 2)
    assert found["own memory"] == 2.0


def test_blocks_that_the_kernel_counts_are_of_512_bytes() -> None:
    """getrusage(2): ru_inblock and ru_oublock; Linux counts them in units of 512 bytes."""
    spent = Spent()
    spent.add(SimpleNamespace(ru_utime=1.5, ru_stime=0.5, ru_maxrss=2048, ru_inblock=10, ru_oublock=4))  # type: ignore[arg-type]
    spent.add(SimpleNamespace(ru_utime=1.0, ru_stime=0.0, ru_maxrss=1024, ru_inblock=0, ru_oublock=1))  # type: ignore[arg-type]
    assert (spent.user_s, spent.system_s, spent.peak_bytes) == (2.5, 0.5, 2 * 2**20)
    assert (spent.read_bytes, spent.written_bytes) == (5120, 2560)


def test_a_plain_clip_is_scaled_to_the_size_it_is_played_at(footage: Footage) -> None:
    job = Export("ffmpeg", of_clip(footage), Excerpt(0, 10), recipe("libx264"), ())
    half, full = (" ".join(playback_command(job, size)) for size in ("half", "full"))
    assert "scale=160:90:flags=bilinear" in half
    assert "scale=" not in full
