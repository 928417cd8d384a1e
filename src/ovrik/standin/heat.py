"""How warm a simulated device still is: work heats it, and time cools it again."""

import json
import math
from pathlib import Path
from typing import NamedTuple

COOL_S = 8.0
"""Seconds in which what is left of the heat falls to 37 %."""
STALE_S = 1.5
"""A device that has not been heard of for so long is idle."""


class Activity(NamedTuple):
    """Fields: `load`, 0 to 1; `heat`, seconds of work that are still felt; `units` at work; `link`, how full the way
    to the device is, 0 to 1."""

    load: float
    heat: float
    units: int
    link: float = 0.0


def activity(file: Path, now: float) -> Activity:
    """What a device does at `now`, seconds since the epoch, from what its last export reported; idle without that."""
    try:
        said = json.loads(file.read_text())
    except (OSError, ValueError):
        return Activity(0.0, 0.0, 0)
    age = now - said["at"]
    working = said["load"] > 0 and age <= STALE_S
    heat = float(said["busy_s"]) * (1.0 if working else math.exp(-max(age, 0.0) / COOL_S))
    if not working:
        return Activity(0.0, heat, 0)
    return Activity(float(said["load"]), heat, int(said.get("units", 1)), float(said.get("link", 0.0)))
