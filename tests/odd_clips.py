"""Numbered clips in many containers, coded by a real build: every frame carries its own number."""

import subprocess
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from numbered import HEIGHT, WIDTH, numbered_picture
from ovrik.machine.builds import locate

FRAMES = 200
SIZES = {"dnxhd": (256, 120)}


@dataclass(frozen=True)
class Odd:
    """Fields: `name` of the case; `ending` of the file; `coded`, arguments after the inputs; `frames` that a player
    shows; `first`, the number that the first of them carries; `sound`, whether there is any; `after`, what is done
    to the file then; `bare`, True where nothing but frames is in it."""

    name: str
    ending: str
    coded: tuple[str, ...]
    frames: int = FRAMES
    first: int = 0
    sound: bool = True
    after: Callable[[Path], Path] | None = None
    size: tuple[int, int] = (WIDTH, HEIGHT)


def run(*arguments: str, data: bytes | None = None) -> bytes:
    """Run the bundled build."""
    done = subprocess.run([str(locate("bundled")), "-v", "error", "-y", "-nostdin" if data is None else "-hide_banner",
                           *arguments], input=data, capture_output=True, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr.decode()[-800:]
    return done.stdout


def raw(frames: int, size: tuple[int, int] = (WIDTH, HEIGHT)) -> bytes:
    """Uncoded yuv420p frames."""
    out = []
    for n in range(frames):
        luma = np.full((size[1], size[0]), 60, np.uint8)
        luma[:HEIGHT, :WIDTH] = numbered_picture(n)
        out.append(luma.tobytes() + bytes([128]) * (size[0] * size[1] // 2))
    return b"".join(out)


X264 = ("-c:v", "libx264", "-preset", "veryfast", "-crf", "12", "-bf", "3", "-g", "24", "-pix_fmt", "yuv420p")
AAC = ("-c:a", "aac")


def _late(path: Path) -> Path:
    """The same with its picture half a second after its sound."""
    made = path.with_name(f"late {path.name}")
    run("-i", str(path), "-itsoffset", "0.5", "-i", str(path), "-map", "1:v", "-map", "0:a", "-c", "copy", str(made))
    return made


def _trimmed(path: Path) -> Path:
    """Losslessly cut: starts within a group of pictures, which an edit list hides."""
    made = path.with_name(f"trimmed {path.name}")
    run("-ss", "1.28", "-i", str(path), "-t", "1.6", "-c", "copy", "-avoid_negative_ts", "disabled",
        "-movflags", "+faststart", str(made))  # fmt: skip
    return made


CASES = (
    Odd("mp4 h264", "mp4", (*X264, *AAC)),
    Odd("mov prores", "mov", ("-c:v", "prores_ks", "-c:a", "pcm_s16le")),
    Odd("mov dnxhr", "mov", ("-c:v", "dnxhd", "-profile:v", "dnxhr_sq", "-pix_fmt", "yuv422p", "-c:a", "pcm_s16le"),
        size=SIZES["dnxhd"]),
    Odd("mkv hevc", "mkv", ("-c:v", "libx265", "-x265-params", "log-level=none:keyint=24:bframes=3", *AAC)),
    Odd("mkv ffv1", "mkv", ("-c:v", "ffv1", "-c:a", "flac")),
    Odd("webm vp9", "webm", ("-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "8", "-g", "24", "-c:a",
                             "libopus")),
    Odd("mpegts h264", "ts", (*X264, *AAC)),
    Odd("m2ts h264", "m2ts", (*X264, "-c:a", "ac3", "-mpegts_m2ts_mode", "1")),
    Odd("mpegts mpeg2", "ts", ("-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "15", "-c:a", "mp2")),
    Odd("mpeg-ps mpeg2", "mpg", ("-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "15", "-c:a", "mp2", "-f", "vob")),
    Odd("avi mpeg4", "avi", ("-c:v", "mpeg4", "-q:v", "2", "-bf", "2", "-g", "24", "-c:a", "mp3")),
    Odd("avi h264", "avi", (*X264, "-c:a", "mp3")),
    Odd("avi mjpeg", "avi", ("-c:v", "mjpeg", "-q:v", "2", "-pix_fmt", "yuvj420p", "-c:a", "pcm_s16le")),
    Odd("flv h264", "flv", (*X264, *AAC)),
    Odd("mxf mpeg2", "mxf", ("-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "12", "-c:a", "pcm_s16le", "-ar",
                             "48000")),
    Odd("nut h264", "nut", (*X264, "-c:a", "pcm_s16le")),
    Odd("h264 raw", "h264", X264, sound=False),
    Odd("y4m", "y4m", ("-pix_fmt", "yuv420p"), sound=False),
    Odd("mp4 late picture", "mp4", (*X264, *AAC), after=_late),
    Odd("ts late picture", "ts", (*X264, *AAC), after=_late),
    Odd("mp4 edit list", "mp4", (*X264, *AAC), frames=40, first=32, after=_trimmed),
    Odd("mov edit list", "mov", (*X264, *AAC), frames=40, first=32, after=_trimmed),
)  # fmt: skip


def write_odd(folder: Path, odd: Odd, rate: str = "25", more: tuple[str, ...] = ()) -> Path:
    """The file of a case, beside others of the same folder."""
    path = folder / f"{odd.name}.{odd.ending}"
    tone = ("-f", "lavfi", "-i", f"sine=f=440:r=48000:d={FRAMES / 25}") if odd.sound else ()
    source = folder / f"{odd.size[0]}.yuv"
    if not source.exists():
        source.write_bytes(raw(FRAMES, odd.size))
    run("-f", "rawvideo", "-pix_fmt", "yuv420p", "-s", f"{odd.size[0]}x{odd.size[1]}", "-r", rate, "-i", str(source),
        *tone, *odd.coded, *more, str(path))  # fmt: skip
    return odd.after(path) if odd.after else path
