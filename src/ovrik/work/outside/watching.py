"""A watch on a folder for a study: exports become runs, one after another, until it is stopped."""

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ovrik.errors import Ask
from ovrik.outside.programs import executable_of
from ovrik.outside.start_key import StartKey
from ovrik.outside.watch import FileWatch, OutsideTime
from ovrik.quality.reference.cut_short import cut_short
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.exports import (
    Card,
    first_words,
    keep_first,
    keep_outside,
    least_frames,
    matched,
    next_card,
    package_of,
)

LOOK_S = 0.1
SHOWN_S = 0.5


@dataclass
class Orders:
    """What is asked for while a watch goes on, from another thread. Fields: `ticked`, checks that are ticked for the
    export that is next; `pressed`, moments on the monotonic clock at which the start key was, newest last; `trial`,
    whether the next export only shows how exactly the program can be timed."""

    ticked: tuple[str, ...] = ()
    trial: bool = False
    pressed: deque[float] = field(default_factory=lambda: deque(maxlen=8))

    def press(self, at_s: float | None = None) -> None:
        """The start key, now or at another moment."""
        self.pressed.append(time.monotonic() if at_s is None else at_s)


@dataclass(frozen=True)
class Watched:
    """What a watch shows. Fields: `card` of the export that is next; `words`, what is going on; `run` that was just
    kept, or None; `ended`, whether something has just ended; `tried`, a trial export, which is not kept."""

    card: Card
    words: str
    run: RunRecord | None = None
    ended: bool = False
    tried: OutsideTime | None = None


def watch_for(
    study: Study,
    folder: Path,
    pid: int | None,
    orders: Orders,
    show: Callable[[Watched], None],
    should_stop: Ask,
    most: int = -1,
    first: Contender | None = None,
) -> int:
    """Watch until stopped, or until so many exports were kept; gives how many. Of a contender whose `first` steps are
    watched, its program's own render or cache, times are kept as what comes before its exports. Raises OvrikError
    when the folder goes, or no contender is exported by another program."""
    going = _Watching(study, orders, show, first)
    watch = FileWatch(folder, lambda path: cut_short(path, going.least_frames(path)), pid)
    key = StartKey(orders.press)
    watch.start()
    key.start()
    try:
        armed, shown = armed_words(pid), 0.0
        show(Watched(going.card, armed))
        while not should_stop() and going.kept != most:
            if orders.pressed:
                watch.press(orders.pressed.pop())
                orders.pressed.clear()
            for found in watch.look():
                going.take(found)
            if time.monotonic() - shown >= SHOWN_S:
                shown = time.monotonic()
                show(Watched(going.card, watched_words(watch, armed, key.bound)))
            time.sleep(LOOK_S)
    finally:
        key.stop()
        watch.stop()
    return going.kept


class _Watching:
    """What becomes of exports as they end. Fields: `card` of the next one; how many were `kept`; `runs` that were
    made of files so far; `tried`, files of trials."""

    def __init__(
        self, study: Study, orders: Orders, show: Callable[[Watched], None], first: Contender | None
    ) -> None:
        self.study, self.orders, self.show, self.first = study, orders, show, first
        self.card, self.kept = next_card(gather(study)), 0
        self.runs, self.tried = dict[Path, RunRecord](), set[Path]()

    def least_frames(self, path: Path) -> int:
        """What a file has to hold to be one."""
        return 1 if self.first else least_frames(self.study, path, self.card.contender)

    def take(self, found: OutsideTime) -> None:
        """Keep one, or correct it; a trial is only shown."""
        if self.orders.trial or (found.corrects and found.path in self.tried):
            self.orders.trial = False
            self.tried.add(found.path)
            self.show(Watched(self.card, "", ended=True, tried=found))
            return
        self.tried.discard(found.path)
        if self.first:
            known = keep_first(self.study, self.first, found)
            self.kept += known and not found.corrects
            self.show(Watched(self.card, first_words(self.first, found, known), ended=True))
            return
        self._keep(found, self.runs.get(found.path) if found.corrects else None)

    def _keep(self, found: OutsideTime, before: RunRecord | None) -> None:
        to = _contender_of(self.study, before) or matched(self.study, found.path, self.card.contender)
        run = keep_outside(self.study, to, found, self.orders.ticked if before is None else (), before)
        name = found.path.name
        words = f"{name} was still being written: its time is corrected" if before else f"Kept {name}"
        if before is None:
            self.orders.ticked = ()
            self.kept += 1
        self.runs[found.path] = run
        self.card = next_card(gather(self.study))
        self.show(Watched(self.card, words, run))


def _contender_of(study: Study, run: RunRecord | None) -> Contender | None:
    """Whose a run is by now: it may have been moved."""
    now = next((r for r in study.runs() if run and r.id == run.id), None)
    return next((c for c in study.contenders() if now and c.contender_id == now.contender_id), None)


ARMED = "Armed: start the export when you are ready"


def armed_words(pid: int | None) -> str:
    """That it is, and for which program in which version."""
    if pid is None:
        return ARMED
    executable = executable_of(pid)
    package = package_of(executable)
    who = f"{Path(executable).name or f'process {pid}'}" + (f" ({package})" if package else "")
    return f"Armed for {who}: start the export when you are ready"


def watched_words(watch: FileWatch, armed: str = ARMED, key: str = "") -> str:
    """What is going on in the folder; `armed`, for whom it is; `key` marks a start anywhere on this desktop."""
    writing = watch.writing
    if writing:
        now = writing[-1]
        size = now.path.stat().st_size / 1e6 if now.path.exists() else 0.0
        state = "is written" if now.open else "is still; waiting to see whether it is whole"
        return f"{now.path.name} {state}: {size:.1f} MB, {time.monotonic() - now.began[0]:.0f} s"
    given_up = [f"{u.path.name} is no whole export ({u.reason})" for u in watch.unfinished.values()]
    anywhere = [f"{key} marks its start, in any window"] if key else []
    return "; ".join([armed, *anywhere, *given_up[-2:]])
