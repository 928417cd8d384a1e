"""Which package a program came in, as the system's package manager says. Nothing of the program itself is run."""

import re
import shutil
import subprocess
from pathlib import Path

ASK_S = 10


def package_version(path: Path) -> str:
    """ "ffmpeg 7:5.1.6-0+deb12u1", or "" for what came in none, or where no manager is known."""
    if shutil.which("dpkg-query"):
        owner = _said(["dpkg-query", "-S", str(path)]).partition(":")[0].split(",")[0].strip()
        return _said(["dpkg-query", "-W", "-f", "${Package} ${Version}", owner]) if owner else ""
    if shutil.which("rpm"):
        return _said(["rpm", "-qf", "--qf", "%{NAME} %{VERSION}-%{RELEASE}", str(path)])
    return ""


def _said(command: list[str]) -> str:
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=ASK_S, errors="replace")
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return done.stdout.strip() if done.returncode == 0 else ""


VERSION = re.compile(r"(?<![\w.])v?(\d+(?:\.\d+){1,4})(?![\w.]*\d)")


def version_in(path: str) -> str:
    """The version that the folders of a program's path name, the innermost first, as of what was unpacked:
    "bell-yard-4.2" of /opt/bell-yard-4.2/bin/edit; "" without one."""
    return next((part for part in reversed(path.split("/")) if VERSION.search(part.replace("-", " "))), "")
