"""One treated frame of a programme, for looking at."""

import subprocess

import numpy as np

from ovrik.errors import OvrikError
from ovrik.export.command.export import Export, analyses_of
from ovrik.export.graph.assembly import assemble
from ovrik.machine.builds.build import locate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme

TIMEOUT_S = 60


def treated_still(programme: Programme, frame: int, width: int = 960) -> np.ndarray:
    """The picture as it will be exported, 8-bit RGB of shape (height, width, 3), made in software.

    A treatment that looks back in time (temporal noise reduction, stabilising) begins with this picture, so
    that the export may differ a little. Raises OvrikError when it can't be made.
    """
    program = str(locate("bundled"))
    end = min(frame + 2, programme.frames)
    excerpt = Excerpt(max(0, end - 2), min(2, programme.frames))
    skip = frame - excerpt.start_frame
    for analysis in analyses_of(Export(program, programme, excerpt, recipe("ffv1"), (), mark="still")):
        analysis.result.parent.mkdir(parents=True, exist_ok=True)
        _run(list(analysis.arguments))
        analysis.partial.replace(analysis.result)
    made = assemble(programme, excerpt, mark="still", with_sound=False)
    height = round(width * programme.height / programme.width / 2) * 2
    last = (
        f"{made.graph};[{made.picture}]trim=start_frame={skip}:end_frame={skip + 1},"
        f"scale={width}:{height}:flags=bicubic,format=rgb24[still]"
    )
    raw = _run(
        [
            program,
            "-nostdin",
            "-v",
            "error",
            *made.inputs,
            "-filter_complex",
            last,
            "-map",
            "[still]",
            "-frames:v",
            "1",
            "-f",
            "rawvideo",
            "pipe:1",
        ]
    )
    if len(raw) != width * height * 3:
        raise OvrikError(f"Frame {frame} could not be treated", "Check the programme's clips")
    return np.frombuffer(raw, np.uint8).reshape(height, width, 3)


def _run(arguments: list[str]) -> bytes:
    try:
        done = subprocess.run(
            arguments, capture_output=True, timeout=TIMEOUT_S, check=False, stdin=subprocess.DEVNULL
        )
    except subprocess.TimeoutExpired:
        raise OvrikError("The treated frame takes too long to make", "Choose a lighter treatment") from None
    if done.returncode:
        lines = done.stderr.decode("utf-8", "replace").strip().splitlines()
        raise OvrikError(
            f"The frame could not be treated ({lines[-1] if lines else 'no message'})",
            "Check the treatment's file and numbers",
        )
    return done.stdout
