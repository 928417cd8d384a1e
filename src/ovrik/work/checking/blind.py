"""A blind comparison as it goes on: what is shown next, what was answered, and what it has come to."""

import random
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from ovrik.analysis.scores.blind import LEAST, MOST, NEITHER, ONE, OPEN, OTHER, Told, power, told
from ovrik.errors import OvrikError
from ovrik.study.facts.notes import REFERENCE, Blind, BlindChoice, Spot


@dataclass(frozen=True)
class BlindTrial:
    """One thing to choose. Fields: `number`, from 1; `spot`; `left`, `right`, checksums of what lies there, or
    `REFERENCE`."""

    number: int
    spot: Spot
    left: str
    right: str


class BlindSeries:
    """A blind comparison under way. Spots come in rounds, each shuffled anew; sides are drawn for each trial."""

    def __init__(
        self,
        blind: Blind,
        keep: Callable[[Blind], Blind],
        draw: random.Random | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        """`keep` is called after each answer, so that a kill loses none, and gives what it kept. Raises
        OvrikError."""
        if not blind.spots:
            raise OvrikError("There is nothing to look at", "Choose a frame, or check the outputs first")
        if not LEAST <= blind.most <= MOST:
            raise OvrikError(f"{blind.most} trials can't be asked for", f"Choose {LEAST} to {MOST}")
        if blind.one == blind.other:
            raise OvrikError("Both are the same file", "Choose two outputs that differ")
        self.blind, self._keep = blind, keep
        self._draw, self._clock = draw or random.SystemRandom(), clock
        self._order: list[int] = []
        self._since = clock()
        self.trial = self._next()

    def _next(self) -> BlindTrial:
        if not self._order:
            self._order = list(range(len(self.blind.spots)))
            self._draw.shuffle(self._order)
        self._spot = self._order.pop()
        self._one_left = self._draw.random() < 0.5
        sides = (self.blind.one, self.blind.other)
        left, right = sides if self._one_left else reversed(sides)
        self._since = self._clock()
        return BlindTrial(len(self.blind.choices) + 1, self.blind.spots[self._spot], left, right)

    @property
    def told(self) -> Told:
        """What the answers so far come to."""
        return told_of(self.blind)

    def answer(self, left: bool) -> Told:
        """The left one, or the right one, looked nearer to the reference."""
        if self.blind.ended:
            raise OvrikError("This comparison has ended", "Begin a new one")
        chosen = BlindChoice(self._spot, self._one_left, left == self._one_left, self._clock() - self._since)
        made = replace(self.blind, choices=(*self.blind.choices, chosen))
        found = told_of(made)
        self.blind = self._keep(replace(made, ended="decided" if found.answer != OPEN else ""))
        if found.answer == OPEN:
            self.trial = self._next()
        return found

    def stop(self) -> None:
        """End it before it is decided."""
        if not self.blind.ended and self.blind.choices:
            self.blind = self._keep(replace(self.blind, ended="stopped"))


def told_of(blind: Blind) -> Told:
    """What a comparison has come to."""
    return told([c.chose_one for c in blind.choices], blind.most)


SEEN_OFTEN, SEEN_MOSTLY = 0.75, 0.9
"""Shares of trials in which a viewer chooses rightly."""


def power_words(most: int) -> str:
    """What so many trials find, in a sentence."""
    often, mostly = (100 * power(most, share) for share in (SEEN_OFTEN, SEEN_MOSTLY))
    return (
        f"Up to {most} trials find a viewer who chooses rightly three times in four in {often:.0f} % of "
        f"comparisons, nine times in ten in {mostly:.0f} %."
    )


def told_words(blind: Blind, one: str, other: str) -> str:
    """The same in words, with the names of the two."""
    found = told_of(blind)
    n, k = found.trials, found.chose_one
    interval = f"95 % interval {100 * found.low:.0f} to {100 * found.high:.0f} %"
    if not n:
        return "No answer yet."
    if found.answer == NEITHER:
        chosen = f"{one} was chosen in {k} of {n} ({interval})"
        return f"You could not tell them apart: {chosen}. {power_words(blind.most)}"
    if found.answer == OPEN:
        return f"Not decided: {one} was chosen in {k} of {n} ({interval})."
    winner, times = (one, k) if found.answer == ONE else (other, n - k)
    if found.answer == OTHER:
        interval = f"95 % interval {100 * (1 - found.high):.0f} to {100 * (1 - found.low):.0f} %"
    if REFERENCE in (blind.one, blind.other) and winner == other and blind.other == REFERENCE:
        return f"You told it from the reference: {times} of {n} ({interval})."
    return f"{winner} looked nearer to the reference: {times} of {n} ({interval})."
