"""What a fault is."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Fault:
    """One fault. Fields: `what` goes wrong; `file` below src/ovrik; `old`, text of the file that is replaced once
    by `new`; `tests`, what pytest is asked to run, below tests/."""

    what: str
    file: str
    old: str
    new: str
    tests: str
