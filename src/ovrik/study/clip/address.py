"""A clip's address, and the containers that hold frames of their own and lead nowhere else."""

import os
from pathlib import Path

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


def address(path: Path | str) -> str:
    """A file's name as a program takes it that would read "a:b" as a protocol and "-a" as an option."""
    return f"file:{os.path.abspath(path)}"
