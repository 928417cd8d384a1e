"""Studies that were opened lately, and where the window stood."""

import base64
import binascii
import contextlib
import json
import os
from pathlib import Path
from typing import Any

import platformdirs

MOST = 10
MOST_BYTES = 1 << 16


def _file() -> Path:
    return Path(platformdirs.user_data_dir("ovrik")) / "desk.json"


def _kept() -> dict[str, Any]:
    """What is on file; a damaged file counts as none."""
    try:
        if _file().stat().st_size > MOST_BYTES:
            return {}
        found = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _keep(**changed: object) -> None:
    """Put values on file; a disk that can't be written is no trouble."""
    path = _file()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = path.with_name(f"{path.name}.{os.getpid()}")
        partial.write_text(json.dumps({**_kept(), **changed}), encoding="utf-8")
        partial.replace(path)


def recent() -> list[Path]:
    """Studies, the last one opened first; nothing is looked up: a drive may be slow or gone."""
    found = _kept().get("recent", [])
    return [Path(p) for p in found if isinstance(p, str)][:MOST] if isinstance(found, list) else []


def remember(path: Path) -> None:
    """Note that a study was opened."""
    name = str(path.absolute())
    with contextlib.suppress(UnicodeEncodeError):
        _keep(recent=[name, *(str(p) for p in recent() if str(p) != name)][:MOST])


def forget(path: Path) -> None:
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
