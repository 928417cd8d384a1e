"""Measuring complexity against a bare decode of the same clip, in turns."""

import statistics
import subprocess
import time
from pathlib import Path

import av

from bench.subject import footage_path, work_folder
from ovrik.machine.builds.build import locate
from ovrik.quality.decode.probe import probe
from ovrik.quality.scores.complexity import measure_complexity
from ovrik.study.programme.programme import of_clip

TURNS = 5


def on_film() -> float:
    """Ratio of times for the demo's film."""
    return _ratio(footage_path())


def on_h264() -> float:
    """Ratio of times for a clip that is quick to decode."""
    path = work_folder() / "quick.mp4"
    if not path.exists():
        subprocess.run(
            [
                str(locate("bundled")),
                "-v",
                "error",
                "-y",
                "-i",
                str(footage_path()),
                "-c:v",
                "libx264",
                "-preset",
                "veryfast",
                "-pix_fmt",
                "yuv420p",
                "-an",
                str(path),
            ],
            check=True,
        )
    return _ratio(path)


def _ratio(path: Path) -> float:
    programme = of_clip(probe(path))
    bare, ours = [], []
    for _ in range(TURNS):
        bare.append(_timed(lambda: _decode(path)))
        ours.append(_timed(lambda: measure_complexity(programme)))
    return statistics.median(o / b for o, b in zip(ours, bare, strict=True))


def _decode(path: Path) -> None:
    with av.open(str(path)) as box:
        stream = box.streams.video[0]
        stream.thread_type = "AUTO"
        for _frame in box.decode(stream):
            pass


def _timed(act: object) -> float:
    began = time.perf_counter()
    act()  # type: ignore[operator]
    return time.perf_counter() - began
