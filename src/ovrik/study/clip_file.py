"""A clip's file: a regular local file in a container that holds frames of its own, and leads nowhere else."""

import os
from pathlib import Path

import av

from ovrik.errors import OvrikError
from ovrik.study.regular_file import regular

PROTOCOLS = "file"
STILLS = (
    "image2",
    "png_pipe",
    "jpeg_pipe",
    "tiff_pipe",
    "bmp_pipe",
    "webp_pipe",
    "exr_pipe",
    "dpx_pipe",
    "jpegxl_pipe",
    "apng",
    "gif",
)
CLIPS = (
    "mov",
    "matroska",
    "mpegts",
    "mpeg",
    "avi",
    "flv",
    "mxf",
    "nut",
    "ogg",
    "asf",
    "rm",
    "wtv",
    "dv",
    "gxf",
    "lxf",
    "ivf",
    "h264",
    "hevc",
    "obu",
    "m4v",
    "mpegvideo",
    "vc1",
    "cavsvideo",
    "dnxhd",
    "yuv4mpegpipe",
    "mjpeg",
    "dirac",
    "swf",
    "live_flv",
    "h263",
    "h261",
    "av1",
)
SOUNDS = ("wav", "w64", "mp3", "aac", "flac", "aiff", "ac3", "eac3", "caf", "au", "amr", "dts", "truehd")
CONTAINERS = ",".join((*CLIPS, *STILLS, *SOUNDS))
"""libav's names of what may be opened. Playlists, concat lists and descriptions of streams are not among them: they
open other files, and addresses on the network."""
LISTS = (
    (b"#EXTM3U", "a playlist"),
    (b"ffconcat", "a concat list"),
    (b"<?xml", "XML"),
    (b"<MPD", "a playlist"),
    (b"v=0", "a description of a stream"),
    (b"[playlist]", "a playlist"),
    (b"#!", "a program"),
)


def address(path: Path | str) -> str:
    """A file's name as a program takes it that would read "a:b" as a protocol and "-a" as an option."""
    return f"file:{os.path.abspath(path)}"


def open_clip(path: Path) -> av.container.InputContainer:
    """Open a clip. Raises OvrikError on what is no regular file or only a list of others, and libav's errors."""
    regular(path)
    with path.open("rb") as handle:
        head = handle.read(256).lstrip(b"\xef\xbb\xbf \t\r\n")
    for mark, what in LISTS:
        if head.startswith(mark):
            raise OvrikError(f"{path} is {what}, not a clip", "Choose the clips that it names")
    return av.open(address(path), options={"protocol_whitelist": PROTOCOLS, "format_whitelist": CONTAINERS})
