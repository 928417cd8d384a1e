"""Whether a file holds all its pictures, told without decoding them."""

from pathlib import Path

import av


def cut_short(path: Path, frames: int) -> str:
    """Why a file can't be whole, or "". Counts the packets of its first picture stream; `frames` are wanted."""
    try:
        with av.open(str(path)) as container:
            if not container.streams.video:
                return "its file holds no picture"
            found = sum(p.size > 0 for p in container.demux(container.streams.video[0]))
    except (av.FFmpegError, OSError) as exc:
        return f"its file can't be read ({exc.strerror or exc})"
    return "" if found >= frames else f"its file holds {found} of {frames} pictures"
