"""The search for texts that are cut, in every size of the window and with every number of contenders."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

TESTS = Path(__file__).parents[1] / "tests"
DOTS = {"day": "96", "night": "144"}


def texts_cut() -> list[str]:
    """What was found, a line each, by day and by night; both are looked at side by side."""
    going = [_started(time_of_day) for time_of_day in DOTS]
    out = []
    for process in going:
        said, trouble = process.communicate()
        if process.returncode:
            raise SystemExit(trouble[-2000:])
        out += said.splitlines()
    return out


def _started(time_of_day: str) -> "subprocess.Popen[str]":
    folder = tempfile.mkdtemp(prefix="ovrik-sizes-")
    return subprocess.Popen(
        [sys.executable, str(TESTS / "desk" / "every_size.py"), folder, time_of_day],
        env={
            **os.environ,
            "XDG_DATA_HOME": folder,
            "QT_FONT_DPI": DOTS[time_of_day],
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONPATH": f"{TESTS}:{TESTS / 'desk'}",
        },
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
