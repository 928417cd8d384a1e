"""Outputs of contenders of their own, made by a real encoder and kept as if another program had been watched."""

import shutil
import time
from pathlib import Path

from odd_clips import run
from ovrik.outside.watch import FIRST_BYTE, OutsideTime
from ovrik.store.study import Study
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.outside.exports import keep_outside, outside_contender

EXCERPT = Excerpt(10, 30)


def export(
    study: Study,
    folder: Path,
    name: str,
    crf: int,
    twin: Path | None = None,
    more: str = "",
    took_s: float = 2.0,
) -> Path:
    """An output of its own contender: the excerpt coded so well, or a copy of another output."""
    path, source = folder / name, study.programme().clips[0].path
    if twin:
        shutil.copy(twin, path)
    else:
        cut = (
            f"trim=start_frame={EXCERPT.start_frame}:end_frame={EXCERPT.end_frame},setpts=PTS-STARTPTS{more}"
        )
        coded = ("-c:v", "libx264", "-preset", "ultrafast", "-crf", str(crf), "-pix_fmt", "yuv420p")
        run("-i", source, "-vf", cut, *coded, str(path))
    contender = study.add_contender(outside_contender("Bell Yard", "1.0", {"quality": f"{crf} {name}"}))
    now, size = time.monotonic(), path.stat().st_size
    took = OutsideTime(
        path, took_s, 0.05, 0.0, FIRST_BYTE, now - 2, now, size, (path.name,), 0, 0, "bellyard"
    )
    keep_outside(study, contender, took)
    return path
