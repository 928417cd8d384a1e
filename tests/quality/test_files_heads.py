"""What is read at the head of a file: whether its index comes first; and small frames from there on."""

import struct
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from odd_clips import run
from ovrik.quality.checks.file_points import START, file_points, index_first
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.quality.reference import true_frames
from ovrik.quality.reference.true_frames import SMALL, _other_frames, _small
from ovrik.study.facts.point import DIFFERS, RIGHT
from tiny_clip import write_clip


def box(kind: bytes, size: int = 0, wide: bool = False) -> bytes:
    """A box of so many bytes inside, its size in 4 bytes or in 8 (ISO/IEC 14496-12, 4.2)."""
    if wide:
        return struct.pack(">I4sQ", 1, kind, 16 + size) + bytes(size)
    return struct.pack(">I4s", 8 + size, kind) + bytes(size)


@pytest.mark.parametrize(
    ("boxes", "first"),
    [
        ([box(b"ftyp", 16), box(b"moov", 40), box(b"mdat", 9)], True),
        ([box(b"ftyp", 16), box(b"mdat", 9), box(b"moov", 40)], False),
        ([box(b"ftyp", 16), box(b"free"), box(b"wide"), box(b"moov")], True),
        ([box(b"free"), box(b"moov")], True),
        ([box(b"free"), box(b"mdat")], False),
        ([box(b"ftyp", 8), box(b"skip", 100_000, wide=True), box(b"moov", 8)], True),
        ([box(b"ftyp", 8), box(b"mdat", 100_000, wide=True), box(b"moov", 8)], False),
        ([box(b"ftyp", 8), struct.pack(">I4s", 4, b"what"), box(b"moov", 8)], False),
        ([box(b"ftyp", 8)], False),
        ([b"short"], False),
        ([], False),
    ],
)
def test_the_index_comes_first_or_does_not(tmp_path: Path, boxes: list[bytes], first: bool) -> None:
    path = tmp_path / "boxes.mp4"
    path.write_bytes(b"".join(boxes))
    assert index_first(path) is first


def test_a_real_file_with_its_index_moved_to_the_front(tmp_path: Path) -> None:
    plain, moved = tmp_path / "plain.mp4", tmp_path / "moved.mp4"
    clip = write_clip(tmp_path / "c.mkv", 5, sound=False)
    run("-i", str(clip), "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", str(plain))
    run("-i", str(plain), "-c", "copy", "-movflags", "+faststart", str(moved))
    assert (index_first(plain), index_first(moved)) == (False, True)
    late, first = (
        next(p for p in file_points(path, "mov,mp4,m4a", 0) if p.name == START) for path in (plain, moved)
    )
    assert (late.answer, first.answer) == (DIFFERS, RIGHT)
    assert (late.fault, first.fault) == ("", ""), "it is said, and is no fault"


@pytest.mark.parametrize(
    ("gives", "said"),
    [
        ((4, 5, 6, 7), ""),
        ((5, 5, 6, 7), "it begins with frame 5 instead of 4"),
        ((4, 5, 6, 6), "it ends with frame 6 instead of 7"),
        ((4, 7, 5, 7), ""),
        ((), "it gives no frames"),
    ],
)
def test_another_build_is_held_to_its_first_and_its_last_frame(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, gives: tuple[int, ...], said: str
) -> None:
    clip = write_clip(tmp_path / "c.mkv", 12, sound=False)
    seen = _small(clip, 0, 12, lambda: False)
    out = b"".join(seen[n].astype(np.uint8).tobytes() for n in gives)
    monkeypatch.setattr(true_frames, "read_command", lambda *_a, **_k: [])
    monkeypatch.setattr(true_frames.subprocess, "run", lambda *_a, **_k: SimpleNamespace(stdout=out))
    part: Any = SimpleNamespace(clip=SimpleNamespace(path=str(clip)))
    reader: Any = None
    assert _other_frames(reader, part, np.arange(4, 8), lambda: False) == said


def test_small_frames_are_those_of_the_numbers_asked_for(tmp_path: Path) -> None:
    clip = write_clip(tmp_path / "c.mkv", 12, sound=False)
    found = _small(clip, 4, 9, lambda: False)
    assert len(found) == 5
    whole = [f.to_ndarray(format="gray").astype(float) for f in decoded_frames(clip)]
    blocks = np.linspace(0, whole[0].shape[1], SMALL[0] + 1)[1:-1].round().astype(int)
    for number, small in zip(range(4, 9), found, strict=True):
        assert small.shape == SMALL[::-1]
        means = [part.mean() for part in np.split(whole[number], blocks, axis=1)]
        assert np.abs(small.mean(axis=0) - means).max() < 2.5
    apart = [np.abs(found[2] - w).mean() for w in _small(clip, 0, 12, lambda: False)]
    assert int(np.argmin(apart)) == 6
