"""Outputs scored while they are still being checked, as they are to be scored if nothing is wrong with them."""

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from queue import SimpleQueue

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.scores.metrics import ToScore
from ovrik.store.records.score import MetricScores

Scores = dict[str, MetricScores]
Scoring = Callable[[Callable[[float], None], Ask], list[Scores]]
"""Scores the jobs, given whom to tell the share done and whom to ask whether to stop."""


@dataclass(eq=False)
class Meanwhile:
    """Fields: `jobs`, how outputs are scored; `scoring` of them all; `share` done."""

    jobs: Sequence[ToScore]
    scoring: Scoring
    share: float = 0.0
    _dropped: threading.Event = field(default_factory=threading.Event)
    _ended: "SimpleQueue[list[Scores] | BaseException]" = field(default_factory=SimpleQueue)
    _thread: threading.Thread | None = None

    def begin(self, should_stop: Ask) -> None:
        """Score them from now on, if there are any."""
        if not self.jobs:
            return
        stopped: Ask = lambda: self._dropped.is_set() or should_stop()  # noqa: E731
        self._thread = threading.Thread(target=self._run, args=(stopped,), name="scores")
        self._thread.start()

    def _run(self, should_stop: Ask) -> None:
        try:
            self._ended.put(self.scoring(self._said, should_stop))
        except BaseException as exc:  # noqa: BLE001: it is raised where the scores are asked for
            self._ended.put(exc)

    def _said(self, share: float) -> None:
        self.share = share

    def drop(self) -> None:
        """End it, whatever it has found."""
        self._dropped.set()
        if self._thread:
            self._thread.join()

    def of(self, wanted: Sequence[ToScore], say: Callable[[float], None]) -> list[Scores | None]:
        """The scores of outputs that are to be scored as was foreseen, None for others, and for all where it could
        not be done. Tells the share done while it waits. Raises Stopped."""
        none: list[Scores | None] = [None] * len(wanted)
        if self._thread is None or not any(one in self.jobs for one in wanted):
            self.drop()
            return none
        say(self.share)
        while self._thread.is_alive():
            self._thread.join(SAID_EVERY_S)
            say(self.share)
        found = self._ended.get()
        if isinstance(found, OvrikError) and not isinstance(found, Stopped):
            return none
        if isinstance(found, BaseException):
            raise found
        return [found[self.jobs.index(one)] if one in self.jobs else None for one in wanted]


SAID_EVERY_S = 0.1
