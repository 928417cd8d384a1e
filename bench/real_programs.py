"""Programs that are no stand-ins, each of which exports at the press of a key and has a stopwatch of its own in the
same process: does the interval that is kept of a watched export hold what the stopwatch says?"""

import json
import queue
import subprocess
import sys
import threading
import time
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from bench.seed import drawn
from bench.subject import footage_path, work_folder
from bench.watching import FRAMES, LONGEST_S, NARROW_S, watch
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.work.outside.exports import outside_contender
from ovrik.work.outside.watching import Orders, Watched

TIMES = 10
AROUND = """
import json, sys, time
source, place, frames = sys.argv[1], sys.argv[2], int(sys.argv[3])
{prepare}
for number, line in enumerate(sys.stdin):
    path = f"{{place}}/{{line.strip()}}"
    began = time.monotonic()
    export(path)
    print(json.dumps([path, time.monotonic() - began]), flush=True)
"""
"""A program that waits for its key, and says what its stopwatch does."""
GSTREAMER = """
import gi
gi.require_version("Gst", "1.0")
from gi.repository import Gst
Gst.init(None)

def export(path):
    pipeline = Gst.parse_launch(
        f"videotestsrc pattern=ball num-buffers={frames} ! video/x-raw,width=1280,height=720,framerate=25/1"
        " ! x264enc speed-preset=medium ! matroskamux ! filesink name=file"
    )
    pipeline.get_by_name("file").set_property("location", path)
    pipeline.set_state(Gst.State.PLAYING)
    pipeline.get_bus().timed_pop_filtered(Gst.CLOCK_TIME_NONE, Gst.MessageType.EOS | Gst.MessageType.ERROR)
    pipeline.set_state(Gst.State.NULL)
"""
OPENCV = """
import cv2

def export(path):
    seen = []
    film = cv2.VideoCapture(source)
    while len(seen) < frames:
        seen.append(cv2.resize(cv2.GaussianBlur(film.read()[1], (31, 31), 0), (1920, 1080)))
    out = cv2.VideoWriter(path, cv2.VideoWriter_fourcc(*"mp4v"), 25.0, (1920, 1080))
    for frame in seen:
        out.write(frame)
    out.release()
"""
PYAV = """
import av

def export(path):
    with av.open(source) as film, av.open(path, "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"preset": "slow"})
        stream.width, stream.height, stream.pix_fmt = 1280, 720, "yuv420p"
        for number, frame in enumerate(film.decode(video=0)):
            if number == frames:
                break
            frame.pts = None
            out.mux(stream.encode(frame.reformat(1280, 720, "yuv420p")))
        out.mux(stream.encode())
"""
PROGRAMS = {
    "GStreamer": ("/usr/bin/python3", GSTREAMER, "mkv"),
    "OpenCV": (sys.executable, OPENCV, "avi"),
    "PyAV": (sys.executable, PYAV, "mp4"),
}
"""By name: what runs it, how it exports, and the ending of its files. The first writes as it goes; the second
when all its frames are done; the third a header last."""


@dataclass(frozen=True)
class Beside:
    """A watched export beside the program's own stopwatch. Fields: `took`, by the stopwatch, seconds; `low`, `high`,
    between which it was kept, None where it was not."""

    took: float
    bounds: tuple[float, float] | None

    @property
    def covers(self) -> bool:
        """Whether the interval holds it."""
        return self.bounds is not None and self.bounds[0] <= self.took <= self.bounds[1]

    @property
    def narrow(self) -> bool:
        """Whether it is known well."""
        return self.bounds is not None and self.bounds[1] - self.bounds[0] <= NARROW_S


def beside(name: str, times: int = TIMES) -> list[Beside]:
    """So many exports of one of `PROGRAMS`, which is named as the folder is armed."""
    runs_it, code, ending = PROGRAMS[name]
    place, draw = work_folder() / name, drawn(name)
    folder = place / "exports"
    folder.mkdir(parents=True)
    made = Study.create(
        place / "s.ovrik", "s", of_clip(probe(footage_path())), Excerpt(0, FRAMES), rounds=1, warmup=0
    )
    with closing(made) as study:
        study.add_contender(outside_contender(name, "", {}, "mkv"))
    command = [runs_it, "-c", AROUND.format(prepare=code), str(footage_path()), str(folder), str(FRAMES)]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as program:
        assert program.stdin is not None
        assert program.stdout is not None
        seen, ended = queue.SimpleQueue[Watched](), threading.Event()
        watching = threading.Thread(
            target=watch, args=(made.path, folder, program.pid, Orders(), seen.put, ended.is_set), daemon=True
        )
        time.sleep(2.0)  # until it waits for its key
        watching.start()
        seen.get(timeout=LONGEST_S)
        said = []
        for number in range(times):
            time.sleep(float(draw.uniform(1.0, 3.0)))
            program.stdin.write(f"{name} {number}.{ending}\n")
            program.stdin.flush()
            said.append(json.loads(program.stdout.readline()))
            _kept(seen)
        program.stdin.close()
        ended.set()
        watching.join()
    with closing(Study.open(made.path)) as again:
        kept = {r.output: r.conditions["bounds_s"] for r in again.runs() if r.watched}
    return [Beside(took, kept.get(Path(path).name)) for path, took in said]


def _kept(seen: "queue.SimpleQueue[Watched]") -> None:
    until = time.monotonic() + LONGEST_S
    while time.monotonic() < until:
        try:
            if seen.get(timeout=1.0).run is not None:
                return
        except queue.Empty:
            continue


def found() -> dict[str, list[Beside]]:
    """All of them, and say each."""
    out = {}
    for name in PROGRAMS:
        out[name] = beside(name)
        for one in out[name]:
            bounds = "not kept" if one.bounds is None else f"{one.bounds[0]:.2f} to {one.bounds[1]:.2f} s"
            print(f"{name}: {one.took:.2f} s by its stopwatch, {bounds}", flush=True)
    return out


if __name__ == "__main__":
    found()
