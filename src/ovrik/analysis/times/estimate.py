"""How long an export will take, from a short one of the same kind."""

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

TRIAL_DOUBT = 0.35
"""A short trial is mostly start-up, and of other frames: its forecast may be off by so much."""
SAME_FILM_DOUBT, FILM_DOUBT = 0.15, 0.4
"""The same export in another study: another day; and another film of the same kind, calmer or livelier."""


@dataclass(frozen=True)
class Forecast:
    """Fields: `seconds` of one run; `low`, `high`, between which it is expected; `basis`, "runs", "trial",
    "earlier studies" or "likeness" (taken from the others, for one that has none of these)."""

    seconds: float
    low: float
    high: float
    basis: str


@dataclass(frozen=True)
class Earlier:
    """The usual run of the same settings in another study. Fields: `wall_s`; `first_s` before its first frame;
    `frames`; `same_film`, whether it was this excerpt of this film."""

    wall_s: float
    first_s: float
    frames: int
    same_film: bool


def from_earlier(found: Sequence[Earlier], frames: int) -> Forecast:
    """The median of what each says, as of a trial; between the least and the most of them, and what another day or
    film adds to that. Raises ValueError where there are none."""
    if not found:
        raise ValueError("nothing was timed earlier")
    each = sorted(e.first_s + (e.wall_s - e.first_s) * frames / e.frames for e in found)
    doubt = SAME_FILM_DOUBT if all(e.same_film for e in found) else FILM_DOUBT
    return Forecast(statistics.median(each), each[0] * (1 - doubt), each[-1] * (1 + doubt), "earlier studies")


def from_trial(wall_s: float, first_s: float | None, trial_frames: int, frames: int) -> Forecast:
    """T = first + (wall − first) · N / n: what comes before the first frame is paid once, the rest grows
    with the frames. Without a first frame everything grows."""
    fixed = min(first_s or 0.0, wall_s)
    seconds = fixed + (wall_s - fixed) * frames / trial_frames
    return Forecast(seconds, seconds * (1 - TRIAL_DOUBT), seconds * (1 + TRIAL_DOUBT), "trial")


def from_runs(times: list[float]) -> Forecast:
    """The median of finished runs, between the shortest and the longest."""
    ordered = sorted(times)
    middle = len(ordered) // 2
    median = ordered[middle] if len(ordered) % 2 else (ordered[middle - 1] + ordered[middle]) / 2
    return Forecast(median, ordered[0], ordered[-1], "runs")


def from_others(known: list[Forecast]) -> Forecast | None:
    """For a contender without run or trial: between the shortest and the longest of the others."""
    if not known:
        return None
    mean = sum(f.seconds for f in known) / len(known)
    return Forecast(mean, min(f.low for f in known), max(f.high for f in known), "likeness")
