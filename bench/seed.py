"""What benches draw their cases with: a seed of the day, or the one that `--seed` names; 0 in tests."""

import os
import time

import numpy as np

NAMED = "OVRIK_BENCH_SEED"
LACKING = 3
"""Exit code of a bench that needs what is not on this machine."""


def of_today() -> int:
    """As digits of the date."""
    return int(time.strftime("%Y%m%d"))


def seed() -> int:
    """The one in force: benches run in processes of their own."""
    return int(os.environ.get(NAMED, "0"))


def drawn(what: str) -> np.random.Generator:
    """Chance for one purpose: another purpose that draws more or less changes nothing here."""
    return np.random.default_rng([seed(), *what.encode()])
