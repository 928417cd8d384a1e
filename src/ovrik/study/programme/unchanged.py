"""Is the footage still the one that the study is about? Asked before anything is made of it, and after."""

from collections.abc import Iterator
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.study.files.checksum import checksum_now
from ovrik.study.programme.programme import Programme


def files_of(programme: Programme) -> Iterator[tuple[Path, str]]:
    """Every file that an export of a programme reads, with its checksum: clips, LUTs, clips of treatments."""
    for clip in programme.clips:
        yield Path(clip.path), clip.checksum
    for t in programme.every_treatment:
        for name, checksum in t.checksums:
            yield Path(str(t[name])), checksum


def changed_footage(programme: Programme) -> str:
    """Which file is no longer there, or is another one now, in words; "" when all are as they were.

    Costs a look at the file system for each file; what has a new change time is read again.
    """
    for path, checksum in files_of(programme):
        if checksum.startswith("prerendered:"):
            continue
        try:
            if checksum_now(path) != checksum:
                return f"{path} has changed since the study was made"
        except OvrikError as exc:
            return exc.problem
        except OSError as exc:
            return f"{path} can't be read ({exc.strerror})"
    return ""


def check_unchanged(programme: Programme) -> None:
    """Raises OvrikError when a file of the programme is gone or is another one now."""
    if wrong := changed_footage(programme):
        raise OvrikError(wrong, "Put the old file back, or choose the footage again")
