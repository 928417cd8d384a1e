"""A tiny clip, folders of the tests' own, and stand-alone studies to work on."""

import os
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "xcb" if os.environ.get("DISPLAY") else "offscreen")

from ovrik.store.study import Study
from ovrik.study.contender import Contender, labelled
from ovrik.study.excerpt import whole
from ovrik.study.footage import Footage
from ovrik.study.probe import probe
from ovrik.study.recipe import recipe

WIDTH, HEIGHT, FRAMES, RATE = 320, 180, 30, 25


@pytest.fixture(scope="session", autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Caches and data go to a folder of the tests' own, never to the user's."""
    old = {name: os.environ.get(name) for name in ("XDG_CACHE_HOME", "XDG_DATA_HOME")}
    for name in old:
        os.environ[name] = str(tmp_path_factory.mktemp(name.lower()))
    yield
    for name, value in old.items():
        os.environ.pop(name) if value is None else os.environ.__setitem__(name, value)


def moving_picture(number: int) -> np.ndarray:
    """A textured picture that moves: not trivial to encode. 10-bit luma, shape (180, 320)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    waves = np.sin((x + 3 * number) / 7) * np.cos((y - number) / 5)
    noise = np.random.default_rng(number).normal(0, 0.25, (HEIGHT, WIDTH))
    return np.clip(500 + 200 * waves + 100 * noise, 64, 940).astype(np.uint16)


def write_clip(path: Path, frames: int = FRAMES, sound: bool = True, stamps: list[int] | None = None) -> Path:
    """A 10-bit 4:2:2 FFV1 clip in Matroska; `stamps` in 1/25 s, for an uneven rate."""
    with av.open(str(path), "w") as box:
        picture = box.add_stream("ffv1", rate=RATE)
        picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv422p10le"
        picture.codec_context.time_base = Fraction(1, RATE)
        track = box.add_stream("pcm_s16le", rate=48000, layout="stereo") if sound else None
        for n in range(frames):
            frame = av.VideoFrame(WIDTH, HEIGHT, "yuv422p10le")
            for at, plane in enumerate(frame.planes):
                rows = np.frombuffer(memoryview(plane), np.uint16).reshape(plane.height, -1)
                rows[:, : plane.width] = moving_picture(n) if at == 0 else 512 + 40 * at
            frame.pts, frame.time_base = (stamps[n] if stamps else n), Fraction(1, RATE)
            box.mux(picture.encode(frame))
            if track:
                tone = np.sin(np.arange(1920) * 0.05 + n) * 8000
                block = np.repeat(tone.astype(np.int16), 2).reshape(1, -1)
                audio = av.AudioFrame.from_ndarray(block, format="s16", layout="stereo")
                audio.sample_rate, audio.pts, audio.time_base = 48000, 1920 * n, Fraction(1, 48000)
                box.mux(track.encode(audio))
        box.mux(picture.encode(None))
        if track:
            box.mux(track.encode(None))
    return path


@pytest.fixture(scope="session")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """30 frames, 320x180, 25 fps, stereo."""
    return write_clip(tmp_path_factory.mktemp("clips") / "tiny clip.mkv")


@pytest.fixture(scope="session")
def footage(clip: Path) -> Footage:
    """The tiny clip as it is read."""
    return probe(clip)


def three_contenders() -> list[Contender]:
    """Two that run and one whose container can't hold its codec."""
    return labelled(
        [
            Contender("bundled", recipe("libx264", "veryfast", 24)),
            Contender("bundled", recipe("libx264", "ultrafast", 30)),
            Contender("bundled", recipe("libsvtav1", "12", 40, container="mov")),
        ]
    )


@pytest.fixture
def study(tmp_path: Path, footage: Footage) -> Iterator[Study]:
    """A study of the tiny clip with three contenders, nothing timed."""
    made = Study.create(tmp_path / "tiny.ovrik", "Tiny", footage, whole(footage), rounds=2, warmup=0)
    for contender in three_contenders():
        made.add_contender(contender)
    yield made
    made.close()
