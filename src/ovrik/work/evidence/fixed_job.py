"""A short series of one fixed job: what a machine of which nothing is known yet is like."""

import math
import statistics

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.run.process import measure
from ovrik.machine.builds.build import find_build

TIMES = 9
"""How often it is made; the first one warms up and does not count."""
JOB = (
    *("-nostdin", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=640x360:rate=25,trim=end_frame=40"),
    *("-c:v", "libx264", "-preset", "veryfast", "-crf", "28", "-pix_fmt", "yuv420p", "-f", "null", "-"),
)
"""Frames that a filter makes, encoded by all cores into nothing: half a second or so that asks nothing of a drive."""
MARGIN = 4.0
"""Exports spread more than a short job that touches no drive, and one of them may be erratic: simulated with twice as
much, two contenders of which one was were decided wrongly in up to 9 of 100 studies, with four times in 1."""
LEAST, MOST = 0.04, 0.3


def spread_of_job(should_stop: Ask = lambda: False, times: int = TIMES) -> float | None:
    """The standard deviation of the job's log times; None where it could not be made. Raises Stopped."""
    try:
        program = find_build("bundled").path
        seconds = [_took([program, *JOB], should_stop) for _n in range(times)]
    except OvrikError:
        return None
    return statistics.stdev(math.log(s) for s in seconds[1:])


def _took(arguments: list[str], should_stop: Ask) -> float:
    done = measure(arguments, should_stop=should_stop, grace_s=0)
    if done.stopped:
        raise Stopped
    if done.exit_code:
        raise OvrikError("The job failed", "Assume what is usual")
    return done.wall_s


def begun_with(spread: float) -> float:
    """The spread of runs to begin with, from that of the job."""
    return min(max(MARGIN * spread, LEAST), MOST)
