"""Every case, one after another, and what came of it."""

import sys
from collections import Counter
from dataclasses import dataclass

from bench.hostile.case import Case, tried
from bench.hostile.cases import every_case
from bench.hostile.subject import place_for


@dataclass(frozen=True)
class Broken:
    """A promise that did not hold. Fields: `case`; `how` it did not."""

    case: Case
    how: str


def broken(only: str = "") -> tuple[int, list[Broken]]:
    """How many were tried, and what did not hold; each that did not is said."""
    out, count = list[Broken](), Counter[str]()
    for number, case in enumerate(every_case()):
        if only not in f"{case.promise}: {case.name}":
            continue
        count[case.promise] += 1
        if how := tried(case, place_for(number)):
            print(f"{case.promise}: {case.name}: {how}", flush=True)
            out.append(Broken(case, how))
    for promise, tries in count.items():
        print(f"{tries:4} {promise}: {sum(b.case.promise == promise for b in out)} broken", flush=True)
    return count.total(), out


if __name__ == "__main__":
    broken(sys.argv[1] if len(sys.argv) > 1 else "")
