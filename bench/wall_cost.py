"""What the wall around an encoder costs a run: the same short program, in turns with and without."""

import statistics
import time

from bench.subject import work_folder
from ovrik.export.run.process import measure
from ovrik.export.run.wall import Wall

PROGRAM = ["/usr/bin/env", "true"]


def added_ms(pairs: int = 150) -> tuple[float, float]:
    """Medians of the differences in milliseconds: in the wall time that is measured, and from call to return."""
    wall = Wall((work_folder(),), (work_folder(),))
    measured, whole = [], []
    for number in range(pairs):
        spent = {}
        for walled in ((True, False), (False, True))[number % 2]:
            began = time.perf_counter()
            usage = measure(PROGRAM, wall=wall if walled else None)
            spent[walled] = (usage.wall_s, time.perf_counter() - began)
        measured.append(spent[True][0] - spent[False][0])
        whole.append(spent[True][1] - spent[False][1])
    return 1000 * statistics.median(measured), 1000 * statistics.median(whole)
