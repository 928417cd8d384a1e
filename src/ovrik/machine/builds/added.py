"""The list of builds that the user added."""

import shutil
from dataclasses import asdict, dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds.approvals import withdraw
from ovrik.study.files.kept import change_json, data_folder, read_json


@dataclass(frozen=True)
class Added:
    """Fields: `key`, how plans and contenders call it; `path` of the program; `origin` in words."""

    key: str
    path: str
    origin: str


def builds_folder() -> Path:
    """Where added builds and their list are kept."""
    return data_folder("builds")


def added_builds() -> dict[str, Added]:
    """The user's builds by key; a damaged list counts as empty."""
    try:
        listed = read_json(builds_folder() / "builds.json") or ()
        return {row["key"]: Added(**row) for row in listed}
    except (TypeError, KeyError):
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
    change_json(builds_folder() / "builds.json", lambda _known: [asdict(a) for a in kept.values()])
