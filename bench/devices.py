"""Every stand-in device, timed again and again with the processors idle and busy: is a sound one said to have fallen
back to software, and is one that does so found out?"""

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.probe import probe
from ovrik.standin.profile import profiles
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

LENGTHS, ROUNDS = (30, 150, 600), 6
"""Frames of the exports: half a second to five."""


@dataclass(frozen=True)
class Barred:
    """Fields: `sound`, runs of devices that worked, and `blamed`, of those said to have fallen back; `fallen`, runs
    that did fall back, and `missed`, of those not found out."""

    sound: int
    blamed: int
    fallen: int
    missed: int


@contextmanager
def busy(loops: int) -> Iterator[None]:
    """So many processes that never rest."""
    going = [subprocess.Popen([sys.executable, "-S", "-c", "while True: pass"]) for _ in range(loops)]
    try:
        yield
    finally:
        for one in going:
            one.kill()
            one.wait()


def barred(loops: int) -> Barred:
    """All devices in turns, beside so many busy loops."""
    falling = {f"standin-{p.key}" for p in profiles() if p.falls_back}
    sound = blamed = fallen = missed = 0
    with tempfile.TemporaryDirectory(prefix="ovrik-devices-") as place, busy(loops):
        for frames in LENGTHS:
            study = _study(Path(place), frames)
            ids = [c.contender_id for c in study.contenders()]
            time_all(study, remaining(study, ids, ROUNDS))
            build = {c.contender_id: c.build for c in study.contenders()}
            for run in (r for r in study.runs() if r.state == "done"):
                if build[run.contender_id] in falling:
                    fallen, missed = fallen + 1, missed + (run.fell_back is None)
                else:
                    sound, blamed = sound + 1, blamed + (run.fell_back is not None)
            study.close()
    return Barred(sound, blamed, fallen, missed)


def _study(folder: Path, frames: int) -> Study:
    path = folder / f"{frames}.mkv"
    picture = ("-f", "lavfi", "-i", "testsrc2=s=1280x720:r=25", "-frames:v", str(frames))
    coded = ("-c:v", "libx264", "-preset", "ultrafast", "-crf", "16", "-pix_fmt", "yuv420p")
    subprocess.run([find_build("bundled").path, "-v", "error", "-y", *picture, *coded, str(path)], check=True)
    study = Study.create(
        folder / f"{frames}.ovrik",
        "Devices",
        of_clip(probe(path)),
        Excerpt(0, frames),
        rounds=ROUNDS,
        warmup=0,
    )
    study.set_conduct(Conduct(rest=False, repeat_disturbed=False))
    able = [p for p in profiles() if "h264" in p.codecs]
    study.add_contenders(
        labelled([Contender(f"standin-{p.key}", recipe("h264_standin", "fast")) for p in able])
    )
    return study


BUSY = 2 * (os.cpu_count() or 1)
