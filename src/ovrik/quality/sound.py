"""The sound of a file, and the sound that an excerpt has."""

import subprocess
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import av
import numpy as np

from ovrik.analysis.loudness import RATE
from ovrik.errors import OvrikError
from ovrik.export.assembly import assemble
from ovrik.export.command import Export, head_arguments, plain_source
from ovrik.machine.builds import find_build
from ovrik.study.clip_file import open_clip
from ovrik.study.excerpt import Excerpt
from ovrik.study.programme import Programme
from ovrik.study.recipe import recipe

HEAD_PACKETS = 64
MOST_S = 600
"""So much of a sound is looked at, from its beginning."""


def sound_of(path: Path, should_stop: Callable[[], bool] = lambda: False) -> np.ndarray:
    """The first audio stream in stereo at 48 kHz, shape (samples, 2), 1 for full scale, begun where the file's first
    frame is shown; of shape (0, 2) where there is none. Raises OvrikError when it can't be decoded."""
    try:
        with open_clip(path) as box:
            if not box.streams.audio:
                return np.zeros((0, 2), np.float32)
            first = _first_frame_s(path)
            stream = box.streams.audio[0]
            maker = av.AudioResampler("flt", "stereo", RATE)
            blocks: list[np.ndarray] = []
            begins: float | None = None
            count = 0
            for frame in box.decode(stream):
                if begins is None:
                    begins = float((frame.pts or 0) * (frame.time_base or 1))
                for made in maker.resample(frame):
                    blocks.append(made.to_ndarray().reshape(-1, 2))
                    count += len(blocks[-1])
                if count > MOST_S * RATE or should_stop():
                    break
    except (av.error.FFmpegError, OSError, ValueError) as exc:
        raise OvrikError(f"the audio of {path.name} can't be decoded ({exc})", "Time it again") from None
    if not blocks:
        return np.zeros((0, 2), np.float32)
    whole = np.concatenate(blocks)[: MOST_S * RATE]
    early = round(((begins or 0.0) - first) * RATE)
    return whole[-early:] if early < 0 else np.concatenate([np.zeros((early, 2), np.float32), whole])


def _first_frame_s(path: Path) -> float:
    with open_clip(path) as box:
        if not box.streams.video:
            return 0.0
        stamps = [
            p.pts * p.time_base
            for p, _n in zip(box.demux(video=0), range(64), strict=False)
            if p.pts is not None
        ]
    return float(min(stamps, default=0))


def excerpt_sound(programme: Programme, excerpt: Excerpt) -> np.ndarray:
    """What an excerpt sounds like, in the same form, put together by the bundled build and coded by nothing. Raises
    OvrikError when it can't be made."""
    build = find_build("bundled")
    shorter = replace(excerpt, frames=max(2, min(excerpt.frames, int(MOST_S * programme.rate))))
    job = Export(build.path, programme, shorter, recipe("ffv1", sound="pcm_s16le"), build.options)
    made = (
        plain_source(programme.clips[0], shorter, True)
        if programme.plain
        else assemble(programme, shorter, "software", "sound")
    )
    if not made.sound:
        return np.zeros((0, 2), np.float32)
    command = [job.program, *head_arguments(job)[:4], "-v", "error", *made.inputs]
    if made.sound_graph:
        command += ["-filter_complex", made.sound_graph, "-map", f"[{made.sound}]"]
    else:
        placed = ",".join(n.text() for n in made.before_sound)
        command += ["-map", made.sound, *(["-af", placed] if placed else [])]
    command += ["-ac", "2", "-ar", str(RATE), "-f", "f32le", "pipe:1"]
    done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, check=False)
    if done.returncode:
        said = done.stderr.decode("utf-8", "replace").strip().splitlines()[-1:]
        raise OvrikError(f"The excerpt's audio can't be made ({said})", "Check the footage")
    return np.frombuffer(done.stdout, "<f4").reshape(-1, 2)
