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


def size_check(time_of_day: str) -> "subprocess.Popen[str]":
    """The process that looks by day or by night, begun now if it has not been yet."""
    if time_of_day not in _going:
        folder = tempfile.mkdtemp(prefix="ovrik-sizes-")
        own = {name: tempfile.mkdtemp(prefix="ovrik-sizes-") for name in ("XDG_CACHE_HOME", "XDG_DATA_HOME")}
        _going[time_of_day] = subprocess.Popen(
            [sys.executable, str(HERE / "every_size.py"), folder, time_of_day],
            env={
                **os.environ,
                **own,
                "QT_FONT_DPI": str(SIZE_CHECKS[time_of_day]),
                "QT_QPA_PLATFORM": "offscreen",
                "PYTHONPATH": f"{HERE.parent}:{HERE}",
            },
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
    return _going[time_of_day]
