"""The sound of a file, and the sound that an excerpt has."""

import itertools
import subprocess
from dataclasses import replace
from pathlib import Path

import av
import numpy as np

from ovrik.analysis.signals.loudness import RATE
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.command.export import QUIET, plain_source
from ovrik.export.graph.assembly import assemble
from ovrik.export.graph.long_graph import graph_arguments
from ovrik.machine.builds.build import find_build
from ovrik.machine.devices.trials import plain_reason
from ovrik.quality.decode.open_clip import open_clip
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment_kinds import SOFTWARE

HEAD_PACKETS = 64
MOST_S = 180
"""So much of a sound is looked at, from its beginning."""
FAR_S = 600
"""So far into a clip its sound is decoded from the beginning: a second or two."""


def sound_of(
    path: Path, start_s: float = 0.0, length_s: float = MOST_S, should_stop: Ask = lambda: False
) -> np.ndarray:
    """The first audio stream in stereo at 48 kHz, shape (samples, 2), 1 for full scale: at most so many seconds from
    `start_s` after the file's first frame is shown, decoded from its beginning; of shape (0, 2) where there is none.
    Raises OvrikError when it can't be decoded, Stopped."""
    begin, end = round(start_s * RATE), round((start_s + min(length_s, MOST_S)) * RATE)
    blocks: list[np.ndarray] = []
    try:
        with open_clip(path) as box:
            if not box.streams.audio:
                return np.zeros((0, 2), np.float32)
            first, at = _first_frame_s(path), None
            maker = av.AudioResampler("flt", "stereo", RATE)
            for frame in box.decode(box.streams.audio[0]):
                if should_stop():
                    raise Stopped
                if at is None:
                    at = round((float((frame.pts or 0) * (frame.time_base or 1)) - first) * RATE)
                    blocks.append(np.zeros((min(max(at - begin, 0), end - begin), 2), np.float32))
                for made in maker.resample(frame):
                    samples = made.to_ndarray().reshape(-1, 2)
                    blocks.append(samples[max(begin - at, 0) : max(end - at, 0)])
                    at += len(samples)
                if at >= end:
                    break
    except (av.error.FFmpegError, OSError, ValueError) as exc:
        raise OvrikError(f"the audio of {path.name} can't be decoded ({exc})", "Time it again") from None
    return np.concatenate(blocks) if blocks else np.zeros((0, 2), np.float32)


def _first_frame_s(path: Path) -> float:
    with open_clip(path) as box:
        if not box.streams.video:
            return 0.0
        head = itertools.islice(box.demux(video=0), HEAD_PACKETS)
        stamps = [p.pts * p.time_base for p in head if p.pts is not None and not p.is_discard]
    return float(min(stamps, default=0))


def excerpt_sound(programme: Programme, excerpt: Excerpt) -> np.ndarray:
    """What an excerpt sounds like, in the same form: of an untreated clip its own sound, decoded from its beginning
    by another program than the one that exports; else, or far into a long clip, put together by the bundled build and
    coded by nothing. Raises OvrikError when it can't be made."""
    start_s, length_s = float(excerpt.start_frame / programme.rate), float(excerpt.frames / programme.rate)
    if programme.plain and start_s <= FAR_S:
        return sound_of(Path(programme.clips[0].path), start_s, length_s)
    build = find_build("bundled")
    shorter = replace(excerpt, frames=max(2, min(excerpt.frames, int(MOST_S * programme.rate))))
    made = (
        plain_source(programme.clips[0], shorter, True)
        if programme.plain
        else assemble(programme, shorter, SOFTWARE, "sound")
    )
    if not made.sound:
        return np.zeros((0, 2), np.float32)
    command = [build.path, *QUIET, "-v", "error", *made.inputs]
    if made.sound_graph:
        command += [*graph_arguments(made.sound_graph, build.options), "-map", f"[{made.sound}]"]
    else:
        placed = ",".join(n.text() for n in made.before_sound)
        command += ["-map", made.sound, *(["-af", placed] if placed else [])]
    command += ["-ac", "2", "-ar", str(RATE), "-f", "f32le", "pipe:1"]
    done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, check=False)
    if done.returncode:
        said = plain_reason(done.stderr.decode("utf-8", "replace"))
        raise OvrikError(f"the excerpt's audio can't be made ({said})", "Check the footage")
    return np.frombuffer(done.stdout, "<f4").reshape(-1, 2)
