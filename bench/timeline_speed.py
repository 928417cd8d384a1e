"""A timeline with 500 shots: reading it, and drawing its strip zoomed to a tenth."""

import os
import statistics
import time
from functools import cache
from pathlib import Path

import av
import numpy as np

from bench.seed import drawn
from bench.subject import work_folder
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline
from ovrik.study.programme.programme import Programme, Shot, of_clips
from ovrik.study.programme.treatment import treatment
from ovrik.study.timeline.writer import write_timeline

SHOTS, CLIPS = 500, 12


def _clip(path: Path, number: int) -> Path:
    random = drawn(f"clip {number}")
    with av.open(str(path), "w") as box:
        stream = box.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        for n in range(250):
            frame = av.VideoFrame.from_ndarray(random.integers(0, 255, (180, 320, 3), np.uint8), "rgb24")
            frame.pts = n
            box.mux(stream.encode(frame.reformat(format="yuv420p")))
        box.mux(stream.encode(None))
    return path


@cache
def _timeline() -> Path:
    folder = work_folder() / "timeline"
    folder.mkdir()
    clips = [probe(_clip(folder / f"clip {n}.mp4", n)) for n in range(CLIPS)]
    grade = (treatment("sharpen"),)
    shots = tuple(
        Shot(
            n % CLIPS,
            (n * 7) % 150,
            40 + n % 30,
            6 if n and n % 5 == 0 else 0,
            grade if n % 3 == 0 else (),
            f"shot {n}",
        )
        for n in range(SHOTS)
    )
    base = of_clips("five hundred", clips)
    made = Programme("five hundred", base.clips, 320, 180, base.rate, "yuv420p", shots)
    write_timeline(made, folder / "500.otio")
    return folder / "500.otio"


def seconds(planned_runs: int = 5) -> float:
    """Median time of reading it, clips probed anew each time."""
    path = _timeline()
    took = []
    for _ in range(planned_runs):
        began = time.perf_counter()
        found = read_timeline(path)
        took.append(time.perf_counter() - began)
        assert found.programme is not None
        assert len(found.programme.shots) == SHOTS
    return statistics.median(took)


def draw_seconds(planned_runs: int = 40) -> float:
    """Median time of drawing the strip while it is scrolled."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from ovrik.desk.app.main import application, take_down
    from ovrik.desk.viewing.strip import Strip
    from ovrik.quality.viewing.thumbnails import strip
    from ovrik.study.programme.excerpt import Excerpt

    app = application()
    programme = read_timeline(_timeline()).programme
    assert programme is not None
    made = Strip()
    made.resize(950, 186)
    made.show_programme(programme, Excerpt(100, 200))
    made.show_thumbnails(
        {
            (c.checksum, n): jpeg
            for c in programme.clips
            for n, jpeg in strip(Path(c.path), list(range(0, 250, 12))).items()
        }
    )
    made.zoom(0.1)
    took = []
    for n in range(planned_runs):
        made.show_frame(n * programme.frames // planned_runs)
        began = time.perf_counter()
        made.grab()
        app.processEvents()
        took.append(time.perf_counter() - began)
    take_down(made)
    return statistics.median(took)
