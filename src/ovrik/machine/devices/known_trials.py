"""Trials on file: what was found of a build while it, its drivers and the kernel are the same."""

import hashlib
import os
import platform
from pathlib import Path

from ovrik.machine.builds.build import Build
from ovrik.machine.devices.known_picture import EDITION
from ovrik.machine.devices.trial import WORKS, Trial
from ovrik.study.files.kept import cache_folder, read_json

DRIVER_FOLDERS = (
    "/etc/OpenCL/vendors",
    "/usr/share/vulkan/icd.d",
    "/etc/vulkan/icd.d",
    "/dev/dri",
    "/usr/lib/x86_64-linux-gnu/dri",
    "/proc/driver/nvidia",
)
METHOD = 4
"""Raised when trials are made another way, so that old answers are not taken for new."""


def state_key(build: Build) -> str:
    """Names what an answer depends on: the build, the kernel, and what drivers are installed."""
    said = [
        f"{METHOD}|{EDITION}",
        build.identity,
        platform.release(),
        os.environ.get("LIBVA_DRIVER_NAME", ""),
    ]
    for folder in map(Path, DRIVER_FOLDERS):
        if folder.is_dir():
            said += [f"{p}|{p.stat().st_mtime_ns}" for p in sorted(folder.iterdir())]
    return hashlib.sha256("\n".join(said).encode()).hexdigest()[:24]


def trials_file(build: Build) -> Path:
    """Where the answers for the present state are kept."""
    return cache_folder("trials", f"{state_key(build)}.json")


def known_trials(build: Build) -> list[Trial] | None:
    """The answers on file for the present state, or None."""
    try:
        rows = read_json(trials_file(build))
        return [Trial(**{**row, "log": tuple(row["log"]), "build": build.key}) for row in rows]
    except (TypeError, KeyError):
        return None


def device_numbers(build: Build) -> tuple[tuple[str, str], ...]:
    """By path, the number of the device that a build is to be asked for: of paths with several devices, the first
    that could be opened."""
    found: dict[str, str] = {}
    for trial in known_trials(build) or []:
        if trial.place == "device" and trial.answer == WORKS and trial.number:
            found.setdefault(trial.path, trial.number)
    return tuple(found.items())
