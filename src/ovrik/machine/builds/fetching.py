"""A version of the bundled program, fetched with pip: how far that is, and an end to it at once."""

import os
import re
import shutil
import signal
import stat
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

from ovrik.errors import Ask, OvrikError, Stopped

PACKAGE = "imageio-ffmpeg"
FETCH_TIMEOUT_S = 900
LOOK_EVERY_S = 0.1
ANNOUNCED = re.compile(r"Downloading \S+ \(([\d.]+) ([kMG]?B)\)")
UNITS = {"B": 1.0, "kB": 1e3, "MB": 1e6, "GB": 1e9}

FetchProgress = Callable[[float, str], None]


def pip_command(version: str, folder: Path) -> list[str]:
    """The argument list that fetches a version into a folder."""
    return [
        sys.executable,
        "-P",
        "-m",
        "pip",
        "download",
        "--no-deps",
        "--only-binary",
        ":all:",
        "--progress-bar",
        "off",
        "--disable-pip-version-check",
        "-d",
        str(folder),
        f"{PACKAGE}=={version}",
    ]


def fetch_wheel(
    version: str,
    folder: Path,
    on_progress: FetchProgress = lambda _share, _words: None,
    should_stop: Ask = lambda: False,
    command: list[str] | None = None,
) -> Path:
    """The wheel of a version, fetched into a folder of its own. `on_progress` gets the share that is here, -1 while
    its size is not known, and words. Raises OvrikError when it can't be fetched, Stopped on request."""
    parts = folder / "parts"
    parts.mkdir()
    said, why = folder / "said", folder / "why"
    with said.open("wb") as out, why.open("wb") as err:
        child = subprocess.Popen(
            command or pip_command(version, folder),
            stdin=subprocess.DEVNULL,
            stdout=out,
            stderr=err,
            start_new_session=True,
            env={**os.environ, "TMPDIR": str(parts), "PYTHONUNBUFFERED": "1"},
        )
        try:
            _until_here(child, version, said, parts, on_progress, should_stop)
        finally:
            if child.poll() is None:
                os.killpg(child.pid, signal.SIGKILL)
                child.wait()
    wheels = list(folder.glob("*.whl"))
    if child.returncode or not wheels:
        lines = [x for x in why.read_text(errors="replace").splitlines() if x.startswith("ERROR")]
        raise OvrikError(
            f"{PACKAGE} {version} can't be fetched ({(lines or ['pip gave no reason'])[-1]})",
            "Check the version and the network",
        )
    return wheels[0]


def _until_here(
    child: "subprocess.Popen[bytes]",
    version: str,
    said: Path,
    parts: Path,
    on_progress: FetchProgress,
    should_stop: Ask,
) -> None:
    until, most = time.monotonic() + FETCH_TIMEOUT_S, 0
    while child.poll() is None:
        if should_stop():
            raise Stopped
        if time.monotonic() > until:
            raise OvrikError(f"Fetching {PACKAGE} {version} took too long", "Check the network")
        most = max(most, _size(parts))  # what is whole is moved away before the end
        on_progress(*_how_far(version, said.read_text(errors="replace"), most))
        time.sleep(LOOK_EVERY_S)


def _how_far(version: str, said: str, here: int) -> tuple[float, str]:
    announced = ANNOUNCED.search(said)
    if announced is None:
        return -1.0, f"Asking for {PACKAGE} {version}"
    total = float(announced[1]) * UNITS[announced[2]]
    return min(1.0, here / total), f"{min(here, total) / 1e6:.1f} of {total / 1e6:.1f} MB"


def _size(folder: Path) -> int:
    total = 0
    for place, _folders, names in os.walk(folder):
        for name in names:
            try:
                total += os.stat(os.path.join(place, name)).st_size
            except OSError:
                continue  # moved on meanwhile
    return total


def unpacked(wheel: Path, target: Path) -> Path:
    """The program in a wheel, put into a folder. Raises OvrikError when there is none."""
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
