"""Whether frames came in time to be shown, and how many streams at once did."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.special import student_quantile
from ovrik.study.facts.played import Pace

PREROLL = 2
"""Frames that a player holds ready before it shows the first: it starts so much later."""


def paced(moments: Sequence[float], rate: float, preroll: int = PREROLL) -> Pace:
    """From the moments at which frames were ready, shape (n,), seconds; the first is shown `preroll` frames after it
    came, and frame i is due i / rate after that. Raises ValueError on a rate that is not positive."""
    if rate <= 0:
        raise ValueError("a rate is above 0")
    came = np.asarray(moments, float)
    if len(came) < 2:
        return Pace(frames=len(came), late=0, dropped=0, sustained=0.0, hitch_s=0.0, rate=rate)
    behind = came - came[0] - (preroll + np.arange(len(came))) / rate
    waits = np.diff(came)
    return Pace(
        frames=len(came),
        late=int((behind > 0).sum()),
        dropped=_without_new(came - came[0] - preroll / rate, rate),
        sustained=float((len(came) - 1) / (came[-1] - came[0])) if came[-1] > came[0] else float("inf"),
        hitch_s=float(max(0.0, waits.max() - 1 / rate)),
        rate=rate,
    )


def _without_new(came: np.ndarray, rate: float) -> int:
    """Periods of 1 / rate on the screen, from the moment at which the first frame is shown until the last one is, in
    which nothing new could be: a period shows the newest frame that came before its end, and none before it is due.
    `came`, shape (n,), seconds from that moment."""
    came, last = np.maximum.accumulate(came), len(came) - 1  # one after another, as they are shown
    periods = np.arange(max(last, int(np.floor(came[-1] * rate + TOUCH))) + 1)
    newest = np.searchsorted(came, (periods + 1) / rate - TOUCH / rate, side="right") - 1
    shown = np.minimum(np.maximum(newest, 0), periods)
    return int((np.diff(shown) <= 0).sum())


TOUCH = 1e-9
"""Of a period: a frame that comes at its very end belongs to the next one, whatever sums of floats make of it."""


def between(rounds: Sequence[float]) -> tuple[float, float, float]:
    """Mean of a rate over rounds with its 95 % interval by Student's t; from one round alone the interval is open:
    (value, 0, infinity)."""
    values = np.asarray(rounds, float)
    mean = float(values.mean())
    if len(values) < 2:
        return mean, 0.0, float("inf")
    half = float(student_quantile(len(values) - 1, 0.975)) * float(values.std(ddof=1)) / len(values) ** 0.5
    return mean, max(0.0, mean - half), mean + half


@dataclass(frozen=True)
class Streams:
    """So many streams at once. Fields: `count`; `paces`, of each stream of each round."""

    count: int
    paces: tuple[Pace, ...]

    @property
    def held(self) -> bool:
        """Whether every one of them held in every round."""
        return bool(self.paces) and all(p.held for p in self.paces)


def most_held(tried: Sequence[Streams]) -> int:
    """The largest number of streams that held, with all smaller ones that were tried holding too; 0 for none."""
    most = 0
    for one in sorted(tried, key=lambda s: s.count):
        if not one.held:
            break
        most = one.count
    return most
