"""The picture that outputs are judged against: the excerpt, kept losslessly in the cache."""

import hashlib
import os
from collections.abc import Callable
from pathlib import Path

import platformdirs

from ovrik.errors import OvrikError, Stopped
from ovrik.export.command import input_arguments, picture_arguments
from ovrik.export.process import measure
from ovrik.export.progress import ProgressReader
from ovrik.machine.builds import locate
from ovrik.study.excerpt import Excerpt
from ovrik.study.footage import Footage

MAKING = 1
"""Raised when the way a reference is made changes, so that old ones are not taken for new."""


def cache_folder() -> Path:
    """Where references are kept."""
    return Path(platformdirs.user_cache_dir("ovrik")) / "references"


def reference_key(footage: Footage, excerpt: Excerpt) -> str:
    """Names a reference by what it shows; the same footage and excerpt give the same key."""
    told = f"{MAKING}|{footage.checksum}|{excerpt.start_frame}|{excerpt.frames}"
    return hashlib.sha256(told.encode()).hexdigest()[:20]


def reference_path(footage: Footage, excerpt: Excerpt) -> Path:
    """Where the reference is, or will be."""
    return cache_folder() / f"{reference_key(footage, excerpt)}.mkv"


def make_reference(
    footage: Footage,
    excerpt: Excerpt,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Path:
    """The reference, made now if it is not in the cache.

    `on_share` gets 0 to 1. Raises OvrikError when it can't be made, Stopped on request.
    """
    path = reference_path(footage, excerpt)
    if path.exists():
        return path
    if not Path(footage.path).exists():
        raise OvrikError(f"The footage {footage.path} is not there",
                         "Mount its drive, or choose the footage again")  # fmt: skip
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f"{path.stem}.{os.getpid()}.partial")
    reader = ProgressReader()

    def took(piece: bytes, at_s: float) -> bool:
        reports = reader.feed(piece, at_s)
        for report in reports:
            on_share(min(report.frame / excerpt.frames, 1.0))
        return bool(reports)

    arguments = [
        str(locate("bundled")), "-nostdin", "-hide_banner", "-y", "-nostats", "-progress", "pipe:1",
        *input_arguments(footage, excerpt), *picture_arguments(footage, excerpt), "-an",
        "-c:v", "ffv1", "-level", "3", "-g", "1", "-slices", "4", "-f", "matroska", str(partial),
    ]  # fmt: skip
    try:
        usage = measure(arguments, took, should_stop)
        if usage.stopped:
            raise Stopped
        if usage.exit_code or usage.stalled:
            last = usage.log[-1] if usage.log else "no message"
            raise OvrikError(f"The reference could not be made ({last})",
                             f"Check the footage and the free space in {path.parent}")  # fmt: skip
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path
