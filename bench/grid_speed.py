"""2,000 combinations: expand, filter, sort."""

import statistics
import time
from pathlib import Path

from ovrik.study.contender.grid import combined, expanded, filtered, in_order

LEVELS = {
    "encoder": ["libx264", "libx265"],
    "preset": [
        "ultrafast",
        "superfast",
        "veryfast",
        "faster",
        "fast",
        "medium",
        "slow",
        "slower",
        "veryslow",
        "none",
    ],
    "quality": list(range(18, 28)),
    "pixel_format": ["yuv420p", "yuv420p10le"],
    "container": ["mp4", "mov", "mkv", "webm", "avi"],
}


def seconds(planned_runs: int = 7) -> float:
    """Median time for all three together."""
    took = []
    for _ in range(planned_runs):
        began = time.perf_counter()
        found = expanded(combined(LEVELS), Path("/"))
        in_order(filtered(found, "x265 -slow"), "preset")
        took.append(time.perf_counter() - began)
        assert len(found) == 2000
    return statistics.median(took)
