"""`./run bench [NAME …]`: runs the benchmarks and says which claims hold."""

import sys
from collections.abc import Callable
from dataclasses import dataclass

from bench import against_hyperfine, own_load, sensors_cost, start_up


@dataclass(frozen=True)
class Claim:
    """Fields: `text` of the claim; `value` found; `limit` it must stay under; `unit`."""

    text: str
    value: float
    limit: float
    unit: str

    @property
    def holds(self) -> bool:
        """Whether the value keeps to the limit."""
        return self.value <= self.limit


def hyperfine() -> list[Claim]:
    """Wall times against an independent timer."""
    off = against_hyperfine.median_deviation()
    return [Claim("median of paired wall times is off hyperfine's by", 100 * off, 1.0, "%")]


def load() -> list[Claim]:
    """Ovrik's own use of the processor while something is timed."""
    return [
        Claim("Ovrik's own use of one core, without a window", 100 * own_load.without_window(), 3.0, "%"),
        Claim("Ovrik's own use of one core, window open at Timing", 100 * own_load.with_window(), 3.0, "%"),
    ]


def start() -> list[Claim]:
    """From the command to a populated window."""
    return [Claim("seconds from `ovrik demo` to the populated window", start_up.seconds(), 5.0, "s")]


def sensors() -> list[Claim]:
    """All sensors at their normal rate."""
    return [
        Claim(
            "all sensors, read twice a second, use of one core",
            100 * sensors_cost.share_of_a_core(),
            0.5,
            "%",
        )
    ]


BENCHES: dict[str, Callable[[], list[Claim]]] = {
    "hyperfine": hyperfine,
    "load": load,
    "start": start,
    "sensors": sensors,
}


def main(names: list[str]) -> int:
    """Run the named benchmarks, or all; gives 1 when a claim does not hold."""
    unknown = [n for n in names if n not in BENCHES]
    if unknown:
        print(f"no benchmark {unknown[0]}; there are {', '.join(BENCHES)}", file=sys.stderr)
        return 2
    claims = [claim for name in names or BENCHES for claim in BENCHES[name]()]
    for claim in claims:
        mark = "holds" if claim.holds else "DOES NOT HOLD"
        print(f"{mark:>13}: {claim.text} {claim.value:.2f} {claim.unit} (limit {claim.limit:g})")
    return 0 if all(c.holds for c in claims) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
