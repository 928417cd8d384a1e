"""Small files with one known fault each, made of a clip: what a check of outputs must find, and what it must pass."""

import subprocess
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds.build import locate
from ovrik.study.clip.address import address

FRAMES, RATE = 50, 25
X264 = ("-c:v", "libx264", "-crf", "10", "-preset", "veryfast", "-pix_fmt", "yuv420p")
DEEP = ("-c:v", "libx264", "-crf", "4", "-preset", "veryfast", "-pix_fmt", "yuv420p10le")
AAC = ("-c:a", "aac", "-b:a", "192k")
TAGS = "setparams=range=tv:colorspace=bt709:color_primaries=bt709:color_trc=bt709"
SWAPPED = " ".join(str({20: 21, 21: 20}.get(n, n)) for n in range(FRAMES))
REPEATED = " ".join(str(n - (n == 30)) for n in range(FRAMES))


@dataclass(frozen=True)
class Faulty:
    """One file. Fields: `name`; `found`, a word or two of what must be said of it, "" for a sound file; `picture`,
    `sound`, filters; `coded`, arguments of the encoders; `bits`, a bit-stream filter in a second go; `ending`; `cut`,
    what becomes of its bytes."""

    name: str
    found: str
    picture: str = ""
    sound: str = ""
    coded: tuple[str, ...] = (*X264, *AAC)
    bits: str = ""
    ending: str = "mp4"
    cut: Callable[[bytes], bytes] | None = None


FAULTY = (
    Faulty("right", ""),
    Faulty("right in 10 bit", "", coded=(*DEEP, *AAC)),
    Faulty("right in Matroska", "", ending="mkv"),
    Faulty("one frame short", "frames instead of", f"trim=end_frame={FRAMES - 1}"),
    Faulty("two frames swapped", "frame 20 shows frame 21", f"shuffleframes={SWAPPED}"),
    Faulty("a grey frame", "frame 20 is blank", "drawbox=color=gray:t=fill:enable='eq(n,20)'"),
    Faulty("a frame repeated", "frame 30 shows frame 29", f"shuffleframes={REPEATED}"),
    Faulty("full range called limited", "has full-range levels", f"scale=in_range=tv:out_range=pc,{TAGS}"),
    Faulty("limited range called full", "has limited-range levels", "setparams=range=pc"),
    Faulty(
        "wrong matrix",
        "colours are those of smpte170m",
        f"scale=in_color_matrix=bt709:out_color_matrix=smpte170m,{TAGS}",
    ),
    Faulty("tags that disagree", "in the coded stream", TAGS, bits="h264_metadata=colour_primaries=9"),
    Faulty("sound late by three frames", "ms late", sound="adelay=120:all=1"),
    Faulty("silent sound", "silent", sound="volume=0"),
    Faulty("quieter sound", "LU quieter", sound="volume=-3dB"),
    Faulty(
        "8 bits in 10",
        "hold an 8-bit picture",
        "format=yuv422p,format=yuv422p10le",
        coded=("-c:v", "prores_ks", "-profile:v", "hq", "-c:a", "pcm_s16le"),
        ending="mov",
    ),
    Faulty("truncated", "frames instead of", ending="mkv", cut=lambda data: data[: len(data) // 2]),
    Faulty("header only", "can't be", cut=lambda data: data[:400]),
)


def write_faulty(source: Path, folder: Path, faulty: Faulty) -> Path:
    """Make one of them of the first 50 frames of a clip with sound. Raises OvrikError when the build can't."""
    path = folder / f"{faulty.name}.{faulty.ending}"
    chain = ",".join(f for f in (f"trim=end_frame={FRAMES}", faulty.picture) if f)
    heard = ",".join(f for f in (faulty.sound, f"atrim=duration={FRAMES / RATE}") if f)
    _run("-i", address(source), "-vf", chain, "-af", heard, *faulty.coded, "-movflags", "+write_colr", path)
    if faulty.bits:
        other = path.with_name(f"once {path.name}")
        path.replace(other)
        _run("-i", address(other), "-c", "copy", "-bsf:v", faulty.bits, "-movflags", "+write_colr", path)
        other.unlink()
    if faulty.cut:
        path.write_bytes(faulty.cut(path.read_bytes()))
    return path


def _run(*words: str | Path) -> None:
    command = [
        str(locate("bundled")),
        "-nostdin",
        "-v",
        "error",
        "-y",
        *map(str, words[:-1]),
        address(words[-1]),
    ]
    done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, check=False)
    if done.returncode:
        said = done.stderr.decode("utf-8", "replace").strip()[-200:]
        raise OvrikError(f"{Path(words[-1]).name} could not be made ({said})", "Check the clip")
