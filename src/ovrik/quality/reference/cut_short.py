"""Whether a file holds all its frames: decoded one after another, since packets can promise what is not there."""

from pathlib import Path

import av

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.decode.frame_index import decoded_frames, first_frame
from ovrik.quality.decode.open_clip import open_clip


def frames_shown(path: Path, should_stop: Ask = lambda: False) -> int:
    """How many frames a player shows, by decoding them all. Raises OvrikError when it can't be read, Stopped
    on request."""
    count = 0
    for _frame in decoded_frames(path):
        count += 1
        if should_stop():
            raise Stopped
    return count


def cut_short(path: Path, frames: int) -> str:
    """Why a file that was just written can't be whole, or "": counts packets, since it is asked between two timed
    runs. Whether all of them can be decoded is a matter of the output's conformity."""
    try:
        with open_clip(path) as container:
            found = sum(
                p.size > 0 and not p.is_discard for p in container.demux(first_frame(container, path))
            )
    except OvrikError:
        return "its file holds no video"
    except (av.FFmpegError, OSError) as exc:
        return f"its file can't be read ({exc.strerror or exc})"
    return "" if found >= frames else f"its file holds only {found} of {frames} frames"
