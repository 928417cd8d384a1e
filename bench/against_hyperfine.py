"""The same command timed by Ovrik and by hyperfine, in turns."""

import json
import shlex
import statistics
import subprocess

import numpy as np

from bench.subject import export, work_folder
from ovrik.export.process import measure

PAIRS = 40


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


def median_deviation(at_own_rate: bool = False, pairs: int = PAIRS) -> float:
    """The median over pairs of ln(Ovrik / hyperfine), without its sign: how far the two timers are apart."""
    command = export(work_folder() / "out.mp4")
    command = paced(command) if at_own_rate else command
    measure(command)
    logs = []
    for number in range(pairs):
        # Turns change sides, so that neither always comes second.
        if number % 2:
            theirs, ours = hyperfine_s(command), measure(command).wall_s
        else:
            ours, theirs = measure(command).wall_s, hyperfine_s(command)
        logs.append(np.log(ours / theirs))
    spread = statistics.stdev(logs)
    print(
        f"{pairs} pairs, spread of one pair {100 * spread:.1f} %, mean {100 * statistics.fmean(logs):+.2f} %"
    )
    return abs(statistics.median(logs))
