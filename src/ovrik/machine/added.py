"""The list of builds that the user added."""

import json
import os
import shutil
from dataclasses import asdict, dataclass
from pathlib import Path

import platformdirs

from ovrik.errors import OvrikError
from ovrik.machine.approvals import withdraw


@dataclass(frozen=True)
class Added:
    """Fields: `key`, how plans and contenders call it; `path` of the program; `origin` in words."""

    key: str
    path: str
    origin: str


def data_folder() -> Path:
    """Where added builds and their list are kept."""
    return Path(platformdirs.user_data_dir("ovrik")) / "builds"


def added_builds() -> dict[str, Added]:
    """The user's builds by key; a damaged list counts as empty."""
    try:
        listed = json.loads((data_folder() / "builds.json").read_text())
        return {row["key"]: Added(**row) for row in listed}
    except (OSError, ValueError, TypeError, KeyError):
        return {}


def remember(added: Added) -> None:
    """Put a build on the user's list."""
    _write({**added_builds(), added.key: added})


def forget(key: str) -> None:
    """Take a build off the list; a fetched one is deleted. Raises OvrikError when it is not there."""
    kept = added_builds()
    if key not in kept:
        raise OvrikError(f'No added build is called "{key}"', f"There are: {', '.join(kept) or 'none'}")
    gone = kept.pop(key)
    withdraw(gone.path)
    if key.startswith("wheel-"):
        shutil.rmtree(Path(gone.path).parent, ignore_errors=True)
    _write(kept)


def _write(kept: dict[str, Added]) -> None:
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    partial = folder / f"builds.{os.getpid()}"
    partial.write_text(json.dumps([asdict(a) for a in kept.values()], indent=1))
    partial.replace(folder / "builds.json")
