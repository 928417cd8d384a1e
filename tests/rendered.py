"""Frames and sound of an assembly, rendered by a real build into arrays."""

import subprocess

import numpy as np

from ovrik.export.graph.assembly import Assembly, assemble
from ovrik.machine.builds.build import locate
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme

DEVICES = {
    "opencl": ["-init_hw_device", "opencl=d", "-filter_hw_device", "d"],
    "vulkan": ["-init_hw_device", "vulkan=d", "-filter_hw_device", "d"],
}


def assembled(
    programme: Programme,
    excerpt: Excerpt | None = None,
    place: str = "software",
    build: str = "bundled",
    heard: bool = False,
) -> Assembly:
    """The assembly of all or of a part, with its analyses made."""
    made = assemble(programme, excerpt or Excerpt(0, programme.frames), place, with_sound=heard)
    for analysis in made.analyses:
        analysis.result.parent.mkdir(parents=True, exist_ok=True)
        _run([str(locate(build)), "-v", "error", "-nostdin", *analysis.arguments])
        analysis.partial.replace(analysis.result)
    return made


def _run(argv: list[str]) -> bytes:
    done = subprocess.run(argv, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()[-1500:]
    return done.stdout


def pictures(
    programme: Programme,
    excerpt: Excerpt | None = None,
    place: str = "software",
    build: str = "bundled",
    pixel_format: str = "",
) -> np.ndarray:
    """Luma (or, with `pixel_format="rgb24"`, colour), shape (frames, height, width[, 3])."""
    made = assembled(programme, excerpt, place, build)
    form = pixel_format or ("gray16le" if programme.pixel_format.endswith("le") else "gray")
    if form.startswith("gray"):
        raw = _run(
            [
                str(locate(build)),
                "-v",
                "error",
                "-nostdin",
                *DEVICES.get(place, []),
                *made.inputs,
                "-filter_complex",
                made.graph,
                "-map",
                f"[{made.picture}]",
                "-f",
                "rawvideo",
                "-pix_fmt",
                programme.pixel_format,
                "pipe:1",
            ]
        )
        return luma(raw, programme)
    raw = _run(
        [
            str(locate(build)),
            "-v",
            "error",
            "-nostdin",
            *DEVICES.get(place, []),
            *made.inputs,
            "-filter_complex",
            f"{made.graph};[{made.picture}]scale=in_color_matrix=bt709:"
            "flags=accurate_rnd+full_chroma_int+full_chroma_inp,"
            f"format={form}[o]",
            "-map",
            "[o]",
            "-f",
            "rawvideo",
            "pipe:1",
        ]
    )
    return np.frombuffer(raw, np.uint8).reshape(-1, programme.height, programme.width, 3)


def luma(raw: bytes, programme: Programme) -> np.ndarray:
    """The luma plane of planar frames."""
    kind = np.uint16 if programme.pixel_format.endswith("le") else np.uint8
    size = programme.width * programme.height
    chroma = next(
        v for k, v in {"420": size // 2, "422": size, "444": 2 * size}.items() if k in programme.pixel_format
    )
    every = np.frombuffer(raw, kind).reshape(-1, size + chroma)
    return every[:, :size].reshape(-1, programme.height, programme.width)


def sound(programme: Programme, excerpt: Excerpt | None = None) -> np.ndarray:
    """Left channel, 48 kHz, −1 to 1."""
    made = assembled(programme, excerpt, heard=True)
    raw = _run(
        [
            str(locate("bundled")),
            "-v",
            "error",
            "-nostdin",
            *made.inputs,
            "-filter_complex",
            f"{made.graph};[{made.picture}]nullsink",
            "-map",
            f"[{made.sound}]",
            "-f",
            "f32le",
            "pipe:1",
        ]
    )
    return np.frombuffer(raw, np.float32).reshape(-1, 2)[:, 0]
