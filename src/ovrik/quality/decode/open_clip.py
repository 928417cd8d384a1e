"""A clip's file is opened: a regular local file in a container that holds frames of its own."""

from pathlib import Path

import av

from ovrik.errors import OvrikError
from ovrik.study.clip.address import CONTAINERS, PROTOCOLS, address
from ovrik.study.files.regular_file import regular

LISTS = (
    (b"#EXTM3U", "a playlist"),
    (b"ffconcat", "a concat list"),
    (b"<?xml", "XML"),
    (b"<MPD", "a playlist"),
    (b"v=0", "a description of a stream"),
    (b"[playlist]", "a playlist"),
    (b"#!", "a program"),
)


def open_clip(path: Path) -> av.container.InputContainer:
    """Open a clip. Raises OvrikError on what is no regular file or only a list of others, and libav's errors."""
    regular(path)
    with path.open("rb") as handle:
        head = handle.read(256).lstrip(b"\xef\xbb\xbf \t\r\n")
    for mark, what in LISTS:
        if head.startswith(mark):
            raise OvrikError(f"{path} is {what}, not a clip", "Choose the clips that it names")
    return av.open(address(path), options={"protocol_whitelist": PROTOCOLS, "format_whitelist": CONTAINERS})
