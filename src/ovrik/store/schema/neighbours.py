"""What lies beside a study has no say: SQLite takes up logs that lie there, whoever put them."""

import os
import stat
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.study.files.text_file import visible

LOGS = ("-journal", "-wal", "-shm")
JOURNAL, WRITE_AHEAD = LOGS[:2]
WAL_MAGIC = frozenset((b"\x37\x7f\x06\x82", b"\x37\x7f\x06\x83"))
PAGE_AT, WAL_HEADER = 16, 32
"""Where the size of a page stands in a study's header, in two bytes; and how long the log's header is."""
ASIDE = "Move it elsewhere, or bring what the study holds into a new one: ovrik rescue"


def check_neighbours(study: Path) -> None:
    """Raises OvrikError where what lies beside a study is no log of its own: SQLite would write through it, or delete
    files that it names. Nothing of it is changed."""
    real = Path(os.path.realpath(study))
    for tail in LOGS:
        beside = real.with_name(real.name + tail)
        try:
            seen = beside.lstat()
        except OSError:
            continue
        if why := _foreign(real, beside, tail, seen):
            raise OvrikError(f"{visible(str(beside))} is no log of this study: {why}", ASIDE)


def _foreign(study: Path, beside: Path, tail: str, seen: os.stat_result) -> str:
    if tail == JOURNAL:
        return "no study has a journal, and one can have other files deleted"
    if not stat.S_ISREG(seen.st_mode):
        return "it is a link, or no file at all"
    if seen.st_nlink > 1:
        return "it is another file of yours too, by a second name"
    if tail == WRITE_AHEAD and seen.st_size:
        return _other_pages(study, beside)
    return ""


def _other_pages(study: Path, log: Path) -> str:
    """Why a write-ahead log can't be this study's, "" where it may be."""
    with log.open("rb") as handle:
        head = handle.read(WAL_HEADER)
    with study.open("rb") as handle:
        page = int.from_bytes(handle.read(PAGE_AT + 2)[PAGE_AT:], "big") if study.stat().st_size else 0
    if head[:4] not in WAL_MAGIC:
        return "it is no write-ahead log"
    if page and int.from_bytes(head[8:12], "big") != (65536 if page == 1 else page):
        return "its pages are of another size"
    return ""
