"""What can be asked of an output and its export as a number: floors and ceilings, in one table."""

from collections.abc import Iterator
from dataclasses import dataclass

MEAN, P5, P1, WORST = "mean", "p5", "p1", "worst_second"
STATISTICS = {MEAN: "mean", P5: "5th percentile of", P1: "1st percentile of", WORST: "worst second of"}


@dataclass(frozen=True)
class LimitKind:
    """Something that may have a floor or a ceiling.

    Fields: `key` in plans, study files and exports; `title` as it stands in a sentence; `heading` as it stands
    beside a field; `unit`, "" for none; `floor`, True where less fails, False where more does; `least`, `most` that
    can be asked; `usual`, what is offered first; `digits` shown after the point; `step` of the keys and of "what
    would change"; `metric` and `statistic` of a quality, "" of the others."""

    key: str
    title: str
    heading: str
    unit: str
    floor: bool
    least: float
    most: float
    usual: float
    digits: int
    step: float
    metric: str = ""
    statistic: str = ""

    def fails(self, value: float, limit: float) -> bool:
        """Whether a value misses this limit."""
        return value < limit if self.floor else value > limit

    def margin(self, value: float, limit: float) -> float:
        """How far a value is within the limit, in its unit; below 0 by how much it misses it."""
        return value - limit if self.floor else limit - value

    def words(self, value: float) -> str:
        """A value with its unit."""
        return f"{value:.{self.digits}f} {self.unit}".strip()


METRIC_FLOORS = (
    ("vmaf", "VMAF", "", 100.0, {MEAN: 93.0, P5: 85.0, P1: 80.0, WORST: 80.0}, 1, 1.0),
    ("psnr", "PSNR", "dB", 100.0, {MEAN: 40.0, P5: 37.0, P1: 35.0, WORST: 36.0}, 1, 1.0),
    ("ssim", "SSIM", "", 1.0, {MEAN: 0.98, P5: 0.96, P1: 0.95, WORST: 0.95}, 3, 0.005),
    ("xpsnr", "XPSNR", "dB", 100.0, {MEAN: 40.0, P5: 37.0, P1: 35.0, WORST: 36.0}, 1, 1.0),
)
"""Key, title, unit, the most there is, what is offered first by statistic, digits, step."""


def _floors() -> Iterator[LimitKind]:
    for key, title, unit, most, usual, digits, step in METRIC_FLOORS:
        for statistic, words in STATISTICS.items():
            short = {MEAN: "mean", P5: "5 %", P1: "1 %", WORST: "worst second"}[statistic]
            yield LimitKind(
                *(f"{key}_{statistic}", f"{words} {title}", f"{title} {short}", unit, True, 0.0, most),
                *(usual[statistic], digits, step, key, statistic),
            )


PER_MINUTE, BIT_RATE, PEAK, SECONDS, SPREAD, MEMORY = (
    "megabytes_per_minute",
    "mbit_s",
    "peak_mbit_s",
    "seconds",
    "spread",
    "memory_gb",
)
LIMIT_KINDS: dict[str, LimitKind] = {
    k.key: k
    for k in (
        *_floors(),
        LimitKind(PER_MINUTE, "size", "Size", "MB a minute", False, 0.1, 100_000.0, 60.0, 1, 10.0),
        LimitKind(BIT_RATE, "bit rate", "Bit rate", "Mb/s", False, 0.01, 10_000.0, 20.0, 2, 1.0),
        LimitKind(
            PEAK,
            "bit rate of the busiest second",
            "Busiest second",
            "Mb/s",
            False,
            0.01,
            10_000.0,
            40.0,
            2,
            1.0,
        ),
        LimitKind(SECONDS, "usual time", "Time", "s", False, 0.01, 1e6, 60.0, 2, 1.0),
        LimitKind(SPREAD, "spread of its times", "Spread", "%", False, 0.1, 100.0, 5.0, 1, 1.0),
        LimitKind(MEMORY, "memory at its peak", "Memory", "GB", False, 0.01, 10_000.0, 8.0, 2, 1.0),
    )
}
"""By key, in the order in which they are shown and in which a reason names them."""
