"""Processes that look for texts that are cut, at every size, by day and by night."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

HERE = Path(__file__).parent / "desk"
SIZE_CHECKS = {"day": 96, "night": 144}
"""Dots to an inch that text is set for, by the time of day."""
_going: "dict[str, subprocess.Popen[str]]" = {}


def size_check(time_of_day: str, looked_at: str = "") -> "subprocess.Popen[str]":
    """The process that looks by day or by night, begun now if it has not been yet; `looked_at`, which of the sizes of
    `every_size.LOOKED_AT`, those of the time of day if left out."""
    if time_of_day not in _going:
        folder = tempfile.mkdtemp(prefix="ovrik-sizes-")
        _going[time_of_day] = subprocess.Popen(
            [sys.executable, str(HERE / "every_size.py"), folder, time_of_day, looked_at or time_of_day],
            env={
                **os.environ,
                "XDG_DATA_HOME": tempfile.mkdtemp(prefix="ovrik-sizes-"),
                "QT_FONT_DPI": str(SIZE_CHECKS[time_of_day]),
                "QT_QPA_PLATFORM": "offscreen",
                "PYTHONPATH": f"{HERE.parent}:{HERE}",
            },
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
    return _going[time_of_day]
