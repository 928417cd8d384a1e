"""Builds that the user added: a program file, or a version fetched as a wheel."""

import json
import os
import re
import shutil
import stat
import subprocess
import sys
import tempfile
import zipfile
from dataclasses import asdict, dataclass
from pathlib import Path

import platformdirs

from ovrik.errors import OvrikError
from ovrik.machine.approvals import approve, build_claim, withdraw

WHEEL_VERSION = re.compile(r"^\d+(\.\d+){1,3}$")
PACKAGE = "imageio-ffmpeg"
FETCH_TIMEOUT_S = 600


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


def add_program(path: Path, key: str = "") -> Added:
    """Remember a program file. Raises OvrikError when it is no program."""
    place = path.expanduser().resolve()
    if not place.is_file() or not os.access(place, os.X_OK):
        raise OvrikError(f"{path} is not a program", "Choose a file that can be executed")
    return _remember(Added(key or str(place), str(place), "chosen by the user"))


def add_wheel(version: str) -> Added:
    """Fetch a version of the package imageio-ffmpeg with pip and keep the program in it.

    Raises OvrikError when there is no such version, or pip can't fetch it.
    """
    if not WHEEL_VERSION.match(version):
        raise OvrikError(f'"{version}" is not a version', 'Write it like "0.6.0"')
    key = f"wheel-{version}"
    known = added_builds().get(key)
    if known and Path(known.path).exists():
        return known
    with tempfile.TemporaryDirectory(prefix="ovrik-wheel-") as folder:
        program = _unpacked(_fetched(version, Path(folder)), data_folder() / key)
    return _remember(Added(key, str(program), f"wheel {PACKAGE} {version}"))


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


def _fetched(version: str, folder: Path) -> Path:
    command = [
        sys.executable,
        "-P",
        "-m",
        "pip",
        "download",
        "--no-deps",
        "--only-binary",
        ":all:",
        "-q",
        "--disable-pip-version-check",
        "-d",
        str(folder),
        f"{PACKAGE}=={version}",
    ]
    try:
        done = subprocess.run(
            command,
            capture_output=True,
            text=True,
            timeout=FETCH_TIMEOUT_S,
            check=False,
            stdin=subprocess.DEVNULL,
        )
    except subprocess.TimeoutExpired:
        raise OvrikError(f"Fetching {PACKAGE} {version} took too long", "Check the network") from None
    wheels = list(folder.glob("*.whl"))
    if done.returncode or not wheels:
        lines = [x for x in done.stderr.splitlines() if x.startswith("ERROR")] or ["pip gave no reason"]
        raise OvrikError(
            f"{PACKAGE} {version} can't be fetched ({lines[-1]})", "Check the version and the network"
        )
    return wheels[0]


def _unpacked(wheel: Path, target: Path) -> Path:
    with zipfile.ZipFile(wheel) as box:
        inside = [n for n in box.namelist() if re.search(r"/binaries/ffmpeg-[^/]+$", n)]
        if not inside:
            raise OvrikError(f"{wheel.name} holds no program for this machine", "Try another version")
        target.mkdir(parents=True, exist_ok=True)
        program = target / Path(inside[0]).name
        with box.open(inside[0]) as source, program.open("wb") as out:
            shutil.copyfileobj(source, out)
    program.chmod(program.stat().st_mode | stat.S_IXUSR | stat.S_IXGRP | stat.S_IXOTH)
    return program


def _remember(added: Added) -> Added:
    # Choosing it, or fetching it by version, is the user's word that this very file may run.
    approve(build_claim(Path(added.path)))
    _write({**added_builds(), added.key: added})
    return added


def _write(kept: dict[str, Added]) -> None:
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    partial = folder / f"builds.{os.getpid()}"
    partial.write_text(json.dumps([asdict(a) for a in kept.values()], indent=1))
    partial.replace(folder / "builds.json")
