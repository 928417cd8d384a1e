"""Frames for looking at: of clips that hold no times, an uneven rate or a copy; and what room the copies take."""

import os
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from numbered import number_in
from odd_clips import raw, run
from ovrik.quality.decode.probe import probe
from ovrik.quality.viewing import intra_copy
from ovrik.quality.viewing.frames import FrameReader
from ovrik.quality.viewing.intra_copy import copy_path, make_copy, worth_it
from ovrik.quality.viewing.looked_at import LookedAt
from ovrik.study.files.kept import cache_folder
from tiny_clip import moving_picture, write_clip

FRAMES = 90


@pytest.fixture(scope="module")
def long_groups(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Every frame says its number; two of them stand alone."""
    return _coded(tmp_path_factory.mktemp("looking") / "long groups.mp4", 60)


def _coded(path: Path, apart: int) -> Path:
    source = path.with_suffix(".yuv")
    source.write_bytes(raw(FRAMES))
    coded = ("-c:v", "libx264", "-preset", "veryfast", "-crf", "12", "-bf", "3", "-g", str(apart))
    run("-f", "rawvideo", "-s", "160x48", "-pix_fmt", "yuv420p", "-r", "25", "-i", str(source),
        *coded, "-sc_threshold", "0", "-pix_fmt", "yuv420p", str(path))  # fmt: skip
    return path


ORDER = (0, 1, 2, 40, 41, 41, 43, 45, 44, 70, 71, 10, 11, 14, 89, 88, 0)


def test_out_of_its_copy_every_frame_is_the_one_asked_for(long_groups: Path) -> None:
    assert make_copy(long_groups)
    for looked in (LookedAt(long_groups), LookedAt(long_groups)):
        for n in ORDER:
            assert number_in(looked.frame(n).to_ndarray(format="gray")) == n
        looked.close()


def test_frames_near_by_come_by_decoding_on(long_groups: Path) -> None:
    reader = FrameReader(long_groups)
    assert not reader.near(1)  # nothing has been decoded yet
    reader.picture(10)
    assert [n for n in range(FRAMES) if reader.near(n)] == [11, 12, 13]
    assert not reader.near(-1)


def test_without_times_frames_are_counted(tmp_path: Path, long_groups: Path) -> None:
    """Forwards and back."""
    bare = tmp_path / "bare.264"
    run("-i", str(long_groups), "-c", "copy", "-bsf:v", "h264_mp4toannexb", str(bare))
    reader = FrameReader(bare)
    assert reader.count == FRAMES
    for n in (3, 60, 4, 89, 0, 30, 31):
        assert number_in(reader.luma(n)) == n


def test_where_a_seek_lands_anywhere_frames_are_counted_too(tmp_path: Path, long_groups: Path) -> None:
    path = tmp_path / "programme stream.mpg"
    run("-i", str(long_groups), "-c:v", "mpeg2video", "-q:v", "2", "-g", "18", "-bf", "2", str(path))
    assert (
        probe(path).frames == FRAMES
    )  # as of every clip that is chosen: its frames are on file from then on
    reader = FrameReader(path)
    for n in (3, 60, 4, 85, 0, 30, 31, 70):
        assert number_in(reader.luma(n)) == n


def test_of_an_uneven_rate_the_frame_that_stands_there_is_shown(tmp_path: Path) -> None:
    stamps = [0, 1, 2, 3, 10, 11, 12, 13, 14, 15]
    path = write_clip(tmp_path / "uneven.mkv", len(stamps), sound=False, stamps=stamps)
    reader = FrameReader(path)
    for at, wanted in ((0, 0), (3, 3), (5, 3), (9, 3), (10, 4), (2, 2), (15, 9)):
        assert (reader.luma(at) == moving_picture(wanted)).all()


def test_a_copy_is_worth_it_where_frames_lean_on_many(tmp_path: Path, long_groups: Path) -> None:
    assert worth_it(long_groups)
    assert not worth_it(_coded(tmp_path / "short.mp4", 8))
    assert worth_it(_coded(tmp_path / "longer.mp4", 9))


def test_the_copies_keep_to_their_room(
    tmp_path: Path, long_groups: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Those looked at longest ago go, never the newest; so does what a process that is gone had begun."""
    folder = cache_folder("looking")
    folder.mkdir(parents=True, exist_ok=True)
    for there in folder.iterdir():
        there.unlink()
    for age, name in enumerate(("youngest", "older", "oldest"), 1):
        made = folder / f"{name}.nut"
        made.write_bytes(bytes(1000))
        os.utime(made, (1e9 - age, 1e9 - age))
    for name in ("mine.999999999.partial", f"here.{os.getpid()}.partial", "nameless.partial"):
        (folder / name).write_bytes(b"x")
    monkeypatch.setattr(
        intra_copy, "_written", lambda _path, partial, _stop: bool(partial.write_bytes(bytes(1500)))
    )
    copy_path(long_groups).unlink(missing_ok=True)
    monkeypatch.setattr(intra_copy, "MOST_BYTES", 3500)
    made = make_copy(long_groups)
    assert made == copy_path(long_groups)
    assert {p.name for p in folder.iterdir()} == {
        made.name,
        "youngest.nut",
        "older.nut",
        f"here.{os.getpid()}.partial",
    }
    monkeypatch.setattr(intra_copy, "MOST_BYTES", 100)
    os.utime(made, (1e9 + 9, 1e9 + 9))
    os.utime(folder / "older.nut", (1e9 + 5, 1e9 + 5))
    copy_path(long_groups).unlink()
    assert make_copy(long_groups) == made
    assert [p.name for p in folder.glob("*.nut")] == [made.name]


def test_what_would_take_half_the_room_is_not_copied(
    long_groups: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    copy_path(long_groups).unlink(missing_ok=True)
    whole = make_copy(long_groups)
    assert whole
    room = whole.stat().st_size
    whole.unlink()
    monkeypatch.setattr(intra_copy, "MOST_BYTES", room)
    assert make_copy(long_groups) is None
    monkeypatch.setattr(intra_copy, "MOST_BYTES", 3 * room)
    assert make_copy(long_groups) == whole


def test_a_copy_runs_at_the_rate_that_it_is_looked_up_by(long_groups: Path) -> None:
    import av

    made = make_copy(long_groups)
    assert made
    with av.open(str(made)) as box:
        times = [Fraction(f.pts) * f.time_base for f in box.decode(video=0)]
    assert np.allclose([float(t) for t in times], np.arange(FRAMES) / float(intra_copy.RATE))
