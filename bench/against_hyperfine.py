"""The same command timed by Ovrik and by hyperfine, in turns."""

import json
import math
import shlex
import statistics
import subprocess

import numpy as np

from bench.subject import export, work_folder
from ovrik.export.run.process import measure

FEWEST, MOST = 20, 400
TELLS = 0.01
"""A difference of so much is to be told: that takes as many pairs as their spread asks for."""
MEDIAN_COSTS = 1.2533
"""The standard error of a median over that of a mean, of normal values: √(π / 2)."""


def hyperfine_s(command: list[str]) -> float:
    """One run timed by hyperfine, without a shell."""
    report = work_folder() / "hyperfine.json"
    subprocess.run(
        [
            "hyperfine",
            "-N",
            "--runs",
            "1",
            "--style",
            "none",
            "--export-json",
            str(report),
            shlex.join(command),
        ],
        check=True,
        capture_output=True,
    )
    return float(json.loads(report.read_text())["results"][0]["times"][0])


def paced(command: list[str]) -> list[str]:
    """The same export, reading its source at its same rate: its time hardly depends on what else the machine does."""
    at = command.index("-i")
    return [*command[:at], "-re", *command[at:]]


def pairs_to_tell(spread: float, tells: float = TELLS) -> int:
    """How many pairs it takes until the 95 % interval of their median is ± `tells` wide at most: n = (1.96 · 1.2533 ·
    s / d)²."""
    return math.ceil((1.96 * MEDIAN_COSTS * spread / tells) ** 2)


def median_deviation(at_own_rate: bool = False) -> float:
    """The median over pairs of ln(Ovrik / hyperfine), without its sign: how far the two timers are apart. Pairs are
    added until they are enough to tell 1 % at the spread that they show."""
    command = export(work_folder() / "out.mp4")
    command = paced(command) if at_own_rate else command
    measure(command)
    logs = []
    number = 0
    while number < FEWEST or number < min(pairs_to_tell(statistics.stdev(logs)), MOST):
        # Turns change sides, so that neither always comes second.
        if number % 2:
            theirs, ours = hyperfine_s(command), measure(command).wall_s
        else:
            ours, theirs = measure(command).wall_s, hyperfine_s(command)
        logs.append(np.log(ours / theirs))
        number += 1
    spread = statistics.stdev(logs)
    half = 1.96 * MEDIAN_COSTS * spread / number**0.5
    enough = "enough" if half <= TELLS else f"not enough ({pairs_to_tell(spread)} would be)"
    print(
        f"{number} pairs, spread of one pair {100 * spread:.1f} %: their median is known to ±{100 * half:.2f} %, "
        f"{enough} to tell {100 * TELLS:.0f} %; mean {100 * statistics.fmean(logs):+.2f} %"
    )
    return abs(statistics.median(logs))
