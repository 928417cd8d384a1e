"""Outputs scored while they are still being checked, as they are to be scored if nothing is wrong with them."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.scores.metrics import ToScore
from ovrik.store.records.score import MetricScores

Scores = dict[str, MetricScores]
Scoring = Callable[[Callable[[float], None], Ask], list[Scores]]
"""Scores the jobs, given whom to tell the share done and whom to ask whether to stop."""
SAID_EVERY_S, PATIENCE_S = 0.1, 0.15


@dataclass(eq=False)
class Meanwhile:
    """Fields: `jobs`, how outputs are scored; `scoring` of them all; `share` done."""

    jobs: Sequence[ToScore]
    scoring: Scoring
    share: float = 0.0
    _dropped: threading.Event = field(default_factory=threading.Event)
    _going: "Future[list[Scores]] | None" = None

    def begin(self, should_stop: Ask) -> None:
        """Score them from now on, if there are any."""
        if not self.jobs:
            return
        pool = ThreadPoolExecutor(1, "scores")
        stopped: Ask = lambda: self._dropped.is_set() or should_stop()  # noqa: E731
        self._going = pool.submit(self.scoring, self._said, stopped)
        pool.shutdown(wait=False)

    def _said(self, share: float) -> None:
        self.share = share

    def drop(self) -> None:
        """End it, whatever it has found. A program that is killed may take its time to give back its memory, which
        nobody has to wait for."""
        self._dropped.set()
        if self._going:
            wait([self._going], PATIENCE_S)

    def of(self, wanted: Sequence[ToScore], say: Callable[[float], None]) -> list[Scores | None]:
        """The scores of outputs that are to be scored as was foreseen, None for others, and for all where it could
        not be done. Tells the share done while it waits. Raises Stopped."""
        none: list[Scores | None] = [None] * len(wanted)
        if self._going is None or not any(one in self.jobs for one in wanted):
            self.drop()
            return none
        say(self.share)
        while wait([self._going], SAID_EVERY_S).not_done:
            say(self.share)
        try:
            found = self._going.result()
        except Stopped:
            raise
        except OvrikError:
            return none
        return [found[self.jobs.index(one)] if one in self.jobs else None for one in wanted]
