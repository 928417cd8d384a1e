"""Studies that were opened lately, and where the window stood."""

import base64
import binascii
import contextlib
from pathlib import Path
from typing import Any

from ovrik.study.files.kept import change_json, data_folder, read_json

MOST = 10
MOST_BYTES = 1 << 16


def _file() -> Path:
    return data_folder("desk.json")


def _kept() -> dict[str, Any]:
    """What is on file; a damaged file counts as none."""
    found = read_json(_file(), MOST_BYTES)
    return found if isinstance(found, dict) else {}


def _keep(**changed: object) -> None:
    """Put values on file; a disk that can't be written is no trouble."""
    with contextlib.suppress(OSError):
        change_json(
            _file(), lambda found: {**(found if isinstance(found, dict) else {}), **changed}, MOST_BYTES
        )


def recent() -> list[Path]:
    """Studies, the last one opened first; nothing is looked up: a drive may be slow or gone."""
    found = _kept().get("recent", [])
    return [Path(p) for p in found if isinstance(p, str)][:MOST] if isinstance(found, list) else []


def remember_recent(path: Path) -> None:
    """Note that a study was opened."""
    name = str(path.absolute())
    with contextlib.suppress(UnicodeEncodeError):
        _keep(recent=[name, *(str(p) for p in recent() if str(p) != name)][:MOST])


def forget_recent(path: Path) -> None:
    """A study that is not there any more."""
    _keep(recent=[str(p) for p in recent() if p != path])


def geometry() -> bytes:
    """Where the window stood, as Qt wrote it; empty when that is not known."""
    found = _kept().get("geometry", "")
    try:
        return base64.b64decode(found, validate=True) if isinstance(found, str) else b""
    except (binascii.Error, ValueError):
        return b""


def keep_geometry(state: bytes) -> None:
    """Note where the window stands."""
    _keep(geometry=base64.b64encode(state).decode())
