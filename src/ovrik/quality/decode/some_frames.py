"""Of a clip's frames only those that are wanted: the others are not decoded, where its codec allows that."""

from collections import deque
from collections.abc import Callable, Iterator
from pathlib import Path

import av

from ovrik.errors import OvrikError
from ovrik.quality.decode.frame_index import decoded_frames, first_frame
from ovrik.quality.decode.open_clip import open_clip


def some_frames(path: Path, wanted: Callable[[int], bool]) -> Iterator[av.VideoFrame | None]:
    """The frames that a player shows, one after another, None in place of one whose number is not wanted; of a codec
    whose frames rest on one another all of them. Raises OvrikError when the clip can't be read."""
    try:
        with open_clip(path) as box:
            stream = first_frame(box, path)
            if stream.codec_context.codec.intra_only:
                yield from _apart(box, stream, path, wanted)
                return
    except (av.error.FFmpegError, OSError) as exc:
        raise _broken(path, str(exc)) from None
    yield from decoded_frames(path)


def _apart(
    box: av.container.InputContainer, stream: av.VideoStream, path: Path, wanted: Callable[[int], bool]
) -> Iterator[av.VideoFrame | None]:
    """Each packet is a frame. A decoder gives frames later than it takes packets, so what is still to come is kept:
    the stamp of each packet, None of one that was left out."""
    coming, number = deque[tuple[bool, int | None]](), 0
    for packet in box.demux(stream):
        if packet.size:
            taken = wanted(number)
            coming.append((taken, packet.pts))
            number += 1
            if not taken:
                continue
        for frame in packet.decode():
            while coming and not coming[0][0]:
                coming.popleft()
                yield None
            if not coming or frame.pts != coming.popleft()[1]:
                raise _broken(path, "frames are missing")
            yield frame
    if any(taken for taken, _stamp in coming):
        raise _broken(path, "frames are missing")
    yield from (None for _left_out in coming)


def _broken(path: Path, why: str) -> OvrikError:
    return OvrikError(f"{path.name} can't be decoded ({why})", "Check that the file is complete")
