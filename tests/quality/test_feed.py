"""Frames handed on to the program that scores them: the same scores, whoever decodes; and nobody waits for ever."""

import os
import subprocess
import threading
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from odd_clips import run
from ovrik.errors import OvrikError, Stopped
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.quality.decode.probe import probe_packets
from ovrik.quality.scores.feed import Feed, Shape, shape_of
from ovrik.quality.scores.metrics import ToScore, scores_of
from ovrik.quality.scores.one_reading import BesideThem, Reading, read_together
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.delivery import Delivery

FRAMES = 30


def coded(place: Path, pixel_format: str, *words: str, size: str = "192x108") -> Footage:
    """Moving rings with grain, by an encoder."""
    source = f"mandelbrot=s={size}:r=25,noise=alls=8:allf=t:all_seed=3,trim=end_frame={FRAMES}"
    run("-f", "lavfi", "-i", source, "-pix_fmt", pixel_format, *words, str(place))
    return probe_packets(place)


def feeds_of(*clips: Footage, every: int = 1) -> dict[Path, Feed]:
    shapes = [shape_of(c) for c in clips]
    return {Path(c.path): Feed(s, len(clips), every) for c, s in zip(clips, shapes, strict=True) if s}


def job(clip: Footage) -> ToScore:
    wanted = Delivery(clip.width, clip.height, clip.rate, clip.frames, clip.colour, False, clip.pixel_format)
    return ToScore(Path(clip.path), wanted, clip.colour)


@pytest.mark.parametrize(
    ("pixel_format", "words", "size"),
    [
        ("yuv420p", ("-c:v", "libx264", "-crf", "30", "-bf", "3"), "192x108"),
        ("yuv420p10le", ("-c:v", "libx265", "-preset", "ultrafast", "-x265-params", "log-level=1"), "162x98"),
        ("yuv422p", ("-c:v", "libx264", "-crf", "36", "-threads", "1"), "166x90"),
    ],
)
@pytest.mark.parametrize("every", [1, 3, 7, 29])
def test_scores_are_the_same_whoever_decodes(
    tmp_path: Path, pixel_format: str, words: tuple[str, ...], size: str, every: int
) -> None:
    reference = coded(tmp_path / "reference.mkv", pixel_format, "-c:v", "ffv1", size=size)
    output = coded(tmp_path / "it's.mkv", pixel_format, *words, size=size)
    path, beside = Path(output.path), Path(reference.path)
    [alone] = scores_of([job(output)], beside, every)
    feeds = feeds_of(reference, output, every=every)
    assert len(feeds) == 2
    reading = Reading(path, feed=feeds[path])
    seen = threading.Thread(
        target=read_together, args=([reading], BesideThem(beside, reference, feeds[beside]))
    )
    seen.start()
    [found] = scores_of([job(output)], beside, every, feeds=feeds)
    seen.join()
    assert reading.seen.count == FRAMES
    assert found.keys() == alone.keys()
    for key, one in alone.items():
        np.testing.assert_array_equal(found[key].values, one.values)


def test_a_frame_of_another_shape_ends_it_and_nothing_counts(tmp_path: Path) -> None:
    clip = coded(tmp_path / "c.mkv", "yuv420p", "-c:v", "libx264")
    other = coded(tmp_path / "other.mkv", "yuv422p", "-c:v", "ffv1")
    path, feeds = Path(clip.path), feeds_of(clip)
    shown = [*decoded_frames(path)][:20] + [*decoded_frames(Path(other.path))][20:]

    def hand_on(frames: list[av.VideoFrame]) -> None:
        for frame in frames:
            feeds[path].give(frame)
        feeds[path].end()

    giving = threading.Thread(target=hand_on, args=(shown,))
    giving.start()
    with pytest.raises(OvrikError, match="handed on"):
        scores_of([job(clip)], path, feeds=feeds)
    giving.join()


def test_nobody_waits_for_a_program_that_is_gone(tmp_path: Path) -> None:
    clip = coded(tmp_path / "c.mkv", "yuv420p", "-c:v", "libx264")
    path, feeds = Path(clip.path), feeds_of(clip)
    before = len(os.listdir("/proc/self/fd"))
    with pytest.raises(Stopped):
        scores_of([job(clip)], path, should_stop=lambda: True, feeds=feeds)
    for frame in [*decoded_frames(path)] * 3:
        feeds[path].give(frame)
    feeds[path].end()
    assert feeds[path].given() < FRAMES
    assert len(os.listdir("/proc/self/fd")) <= before


def test_what_nobody_takes_over_is_closed() -> None:
    before = len(os.listdir("/proc/self/fd"))
    feed = Feed(Shape(4, 4, "yuv420p", Fraction(25)), 1)
    feed.close()
    assert feed.given() == 0
    assert len(os.listdir("/proc/self/fd")) == before


def test_rows_come_without_what_pads_them() -> None:
    """As a program that only copies them shows."""
    frame = av.VideoFrame(6, 4, "yuv420p")
    levels = 0
    for plane in frame.planes:
        rows = np.zeros((plane.height, plane.line_size), np.uint8)
        rows[:, plane.width :] = 255
        rows[:, : plane.width] = levels + np.arange(plane.height * plane.width).reshape(plane.height, -1)
        levels += 100
        plane.update(rows.tobytes())
    feed = Feed(Shape(6, 4, "yuv420p", Fraction(25)), 1)
    feed.give(frame)
    feed.end()
    found = subprocess.run(["cat"], stdin=feed.read_end, stdout=subprocess.PIPE, check=True).stdout
    feed.close()
    wanted = [*range(24), *range(100, 106), *range(200, 206)]
    assert [*found] == wanted
    assert feed.given() == 1


@pytest.mark.parametrize(
    ("codec", "pixel_format", "able"),
    [
        ("h264", "yuv420p", True),
        ("hevc", "yuv444p12le", True),
        ("mpeg2video", "yuv420p", False),
        ("prores", "yuv422p10le", False),
        ("ffv1", "gbrp", False),
        ("h264", "nv12", False),
    ],
)
def test_only_what_any_decoder_gives_alike_is_handed_on(
    tmp_path: Path, codec: str, pixel_format: str, able: bool
) -> None:
    clip = coded(tmp_path / "c.mkv", "yuv420p", "-c:v", "ffv1")
    shape = shape_of(replace(clip, codec=codec, pixel_format=pixel_format))
    assert (shape is not None) is able
    if shape and pixel_format.endswith("le"):
        assert shape.bytes == 2 * Shape(clip.width, clip.height, "yuv444p", clip.rate).bytes
