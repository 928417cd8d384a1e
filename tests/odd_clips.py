"""Numbered clips in many containers, coded by a real build: every frame carries its own number."""

import subprocess
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np

from numbered import HEIGHT, WIDTH, number_in, numbered_picture
from ovrik.machine.builds.build import locate

FRAMES = 200
SIZES = {"dnxhd": (256, 120)}


@dataclass(frozen=True)
class Odd:
    """Fields: `name` of the case; `ending` of the file; `coded`, arguments after the inputs; `frames` that a player
    shows; `first`, the number that the first of them carries; `sound`, whether there is any: 200 Hz in every even
    second and 400 Hz in every odd one; `sound_s`, the sound's time at the first frame; `after`, what is done to the
    file then; `size` in pixels."""

    name: str
    ending: str
    coded: tuple[str, ...]
    frames: int = FRAMES
    first: int = 0
    sound: bool = True
    sound_s: float = 0.0
    after: Callable[[Path], Path] | None = None
    size: tuple[int, int] = (WIDTH, HEIGHT)


def run(*arguments: str) -> bytes:
    """Run the bundled build."""
    done = subprocess.run(
        [str(locate("bundled")), "-v", "error", "-y", *arguments],
        capture_output=True,
        check=False,
        stdin=subprocess.DEVNULL,
    )
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
    run(
        "-i",
        str(path),
        "-itsoffset",
        "0.5",
        "-i",
        str(path),
        "-map",
        "1:v",
        "-map",
        "0:a",
        "-c",
        "copy",
        str(made),
    )
    return made


def _late_sound(path: Path) -> Path:
    """The same with its sound half a second after its picture."""
    made = path.with_name(f"mute at first {path.name}")
    run(
        "-itsoffset",
        "0.5",
        "-i",
        str(path),
        "-i",
        str(path),
        "-map",
        "1:v",
        "-map",
        "0:a",
        "-c",
        "copy",
        str(made),
    )
    return made


def _trimmed(path: Path) -> Path:
    """Losslessly cut: starts within a group of frames, which an edit list hides."""
    made = path.with_name(f"trimmed {path.name}")
    run(
        "-ss",
        "1.28",
        "-i",
        str(path),
        "-t",
        "1.6",
        "-c",
        "copy",
        "-avoid_negative_ts",
        "disabled",
        "-movflags",
        "+faststart",
        str(made),
    )
    return made


CASES = (
    Odd("mp4 h264", "mp4", (*X264, *AAC)),
    Odd("mov prores", "mov", ("-c:v", "prores_ks", "-c:a", "pcm_s16le")),
    Odd(
        "mov dnxhr",
        "mov",
        ("-c:v", "dnxhd", "-profile:v", "dnxhr_sq", "-pix_fmt", "yuv422p", "-c:a", "pcm_s16le"),
        size=SIZES["dnxhd"],
    ),
    Odd("mkv hevc", "mkv", ("-c:v", "libx265", "-x265-params", "log-level=none:keyint=24:bframes=3", *AAC)),
    Odd("mkv ffv1", "mkv", ("-c:v", "ffv1", "-c:a", "flac")),
    Odd(
        "webm vp9",
        "webm",
        ("-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "8", "-g", "24", "-c:a", "libopus"),
    ),
    Odd("mpegts h264", "ts", (*X264, *AAC)),
    Odd("m2ts h264", "m2ts", (*X264, "-c:a", "ac3", "-mpegts_m2ts_mode", "1")),
    Odd("mpegts mpeg2", "ts", ("-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "15", "-c:a", "mp2")),
    Odd("mpeg-ps mpeg2", "vob", ("-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "15", "-c:a", "mp2")),
    Odd("avi mpeg4", "avi", ("-c:v", "mpeg4", "-q:v", "2", "-bf", "2", "-g", "24", "-c:a", "mp3")),
    Odd("avi h264", "avi", (*X264, "-c:a", "mp3")),
    Odd("avi mjpeg", "avi", ("-c:v", "mjpeg", "-q:v", "2", "-pix_fmt", "yuvj420p", "-c:a", "pcm_s16le")),
    Odd("flv h264", "flv", (*X264, *AAC)),
    Odd(
        "mxf mpeg2",
        "mxf",
        ("-c:v", "mpeg2video", "-q:v", "2", "-bf", "2", "-g", "12", "-c:a", "pcm_s16le", "-ar", "48000"),
    ),
    Odd("nut h264", "nut", (*X264, "-c:a", "pcm_s16le")),
    Odd("h264 raw", "h264", X264, sound=False),
    Odd("y4m", "y4m", ("-pix_fmt", "yuv420p"), sound=False),
    Odd("mp4 late picture", "mp4", (*X264, *AAC), sound_s=0.5, after=_late),
    Odd("mkv late sound", "mkv", (*X264, *AAC), sound_s=-0.5, after=_late_sound),
    Odd("ts late picture", "ts", (*X264, *AAC), sound_s=0.5, after=_late),
    Odd("mp4 edit list", "mp4", (*X264, *AAC), frames=42, first=32, sound_s=1.28, after=_trimmed),
    Odd("mov edit list", "mov", (*X264, *AAC), frames=42, first=32, sound_s=1.28, after=_trimmed),
)


def write_odd(folder: Path, odd: Odd, rate: str = "25", more: tuple[str, ...] = ()) -> Path:
    """The file of a case, beside others of the same folder."""
    path = folder / f"{odd.name}.{odd.ending}"
    wave = f"aevalsrc=exprs=0.4*sin(2*PI*t*200*(1+mod(floor(t)\\,2))):s=48000:d={FRAMES / 25}"
    tone = ("-f", "lavfi", "-i", wave) if odd.sound else ()
    source = folder / f"{odd.size[0]}.yuv"
    if not source.exists():
        source.write_bytes(raw(FRAMES, odd.size))
    run(
        "-f",
        "rawvideo",
        "-pix_fmt",
        "yuv420p",
        "-s",
        f"{odd.size[0]}x{odd.size[1]}",
        "-r",
        rate,
        "-i",
        str(source),
        *tone,
        *odd.coded,
        *more,
        str(path),
    )
    return odd.after(path) if odd.after else path


def numbers_of(path: Path) -> list[int]:
    """What the frames of a file carry, decoded one after another from its beginning."""
    out = []
    with av.open(str(path)) as box:
        for frame in box.decode(video=0):
            plane, bits = frame.planes[0], frame.format.components[0].bits
            wide = np.frombuffer(memoryview(plane), np.uint8 if bits == 8 else np.uint16).reshape(
                plane.height, -1
            )
            out.append(number_in(wide[:, : plane.width].astype(float) / 2 ** (bits - 8)))
    return out


def pitch_change_s(path: Path) -> float | None:
    """When the sound of a file first changes between 200 and 400 Hz, seconds from its first frame; None if never."""
    with av.open(str(path)) as box:
        first = min(p.pts * p.time_base for p in box.demux(video=0) if p.pts is not None)
    with av.open(str(path)) as box:
        frames = list(box.decode(audio=0))
    at = float(frames[0].pts * frames[0].time_base) - float(first)
    heard = np.concatenate(
        [
            f.to_ndarray()
            .reshape(-1, f.samples if f.format.is_planar else f.samples * 2)[0][
                :: 1 if f.format.is_planar else 2
            ]
            .astype(float)
            for f in frames
        ]
    )
    heard *= 30_000 / max(np.abs(heard).max(), 1e-9)
    step = 960
    pieces = [heard[n : n + step] for n in range(0, len(heard) - step, step)]
    spectra = [np.abs(np.fft.rfft(p)) for p in pieces]
    high = [int(s[8] > s[4]) if s.max() > 1 else -1 for s in spectra]  # 50 Hz apart; −1 where it is silent
    change = next((n for n in range(1, len(high)) if {high[n - 1], high[n]} == {0, 1}), None)
    return None if change is None else at + change * step / 48000
