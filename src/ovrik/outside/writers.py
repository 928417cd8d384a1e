"""Which processes hold a file open for writing."""

import os
from pathlib import Path

WRITES = os.O_WRONLY | os.O_RDWR


def writers(path: Path) -> list[int]:
    """Numbers of the processes that do. Those of other users can't be looked into and are not among them."""
    wanted = str(path)
    return [
        int(p.name)
        for p in Path("/proc").iterdir()
        if p.name.isdigit() and any(_writes(p, fd) for fd in _open_at(p, wanted))
    ]


def _open_at(process: Path, wanted: str) -> list[str]:
    found = []
    try:
        for fd in os.listdir(process / "fd"):
            if os.readlink(process / "fd" / fd) == wanted:
                found.append(fd)
    except OSError:
        pass
    return found


def _writes(process: Path, fd: str) -> bool:
    try:
        text = (process / "fdinfo" / fd).read_text()
    except OSError:
        return False
    flags = next((line.split()[1] for line in text.splitlines() if line.startswith("flags:")), "0")
    return bool(int(flags, 8) & WRITES)
