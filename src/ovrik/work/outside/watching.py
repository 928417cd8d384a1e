"""A watch on a folder for a study: exports become runs, one after another, until it is stopped."""

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ovrik.errors import Ask
from ovrik.outside.start_key import StartKey
from ovrik.outside.watch import FileWatch
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
)

LOOK_S = 0.1
SHOWN_S = 0.5


@dataclass
class Orders:
    """What is asked for while a watch goes on, from another thread. Fields: `ticked`, checks that are ticked for the
    export that is next; `pressed`, moments on the monotonic clock at which the start key was, newest last."""

    ticked: tuple[str, ...] = ()
    pressed: deque[float] = field(default_factory=lambda: deque(maxlen=8))

    def press(self, at_s: float | None = None) -> None:
        """The start key, now or at another moment."""
        self.pressed.append(time.monotonic() if at_s is None else at_s)


@dataclass(frozen=True)
class Watched:
    """What a watch shows. Fields: `card` of the export that is next; `words`, what is going on; `run` that was just
    kept, or None; `ended`, whether something has just ended."""

    card: Card
    words: str
    run: RunRecord | None = None
    ended: bool = False


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
    card, kept, shown, runs = next_card(gather(study)), 0, 0.0, dict[Path, RunRecord]()

    def whole(path: Path) -> str:
        return cut_short(path, 1 if first else least_frames(study, path, card.contender))

    watch = FileWatch(folder, whole, pid)
    key = StartKey(orders.press)
    watch.start()
    key.start()
    try:
        show(Watched(card, ARMED))
        while not should_stop() and kept != most:
            if orders.pressed:
                watch.press(orders.pressed.pop())
                orders.pressed.clear()
            for found in watch.look():
                if first:
                    known = keep_first(study, first, found)
                    kept += known and not found.corrects
                    show(Watched(card, first_words(first, found, known), ended=True))
                    continue
                before = runs.get(found.path) if found.corrects else None
                to = _contender_of(study, before) or matched(study, found.path, card.contender)
                run = keep_outside(study, to, found, orders.ticked if before is None else (), before)
                name = found.path.name
                words = f"{name} was still being written: its time is corrected" if before else f"Kept {name}"
                if before is None:
                    orders.ticked = ()
                    kept += 1
                runs[found.path] = run
                card = next_card(gather(study))
                show(Watched(card, words, run))
            if time.monotonic() - shown >= SHOWN_S:
                shown = time.monotonic()
                show(Watched(card, watched_words(watch, key.bound)))
            time.sleep(LOOK_S)
    finally:
        key.stop()
        watch.stop()
    return kept


def _contender_of(study: Study, run: RunRecord | None) -> Contender | None:
    """Whose a run is by now: it may have been moved."""
    now = next((r for r in study.runs() if run and r.id == run.id), None)
    return next((c for c in study.contenders() if now and c.contender_id == now.contender_id), None)


ARMED = "Armed: start the export when you are ready"


def watched_words(watch: FileWatch, key: str = "") -> str:
    """What is going on in the folder; `key` marks a start anywhere on this desktop."""
    writing = watch.writing
    if writing:
        now = writing[-1]
        size = now.path.stat().st_size / 1e6 if now.path.exists() else 0.0
        state = "is written" if now.open else "is still; waiting to see whether it is whole"
        return f"{now.path.name} {state}: {size:.1f} MB, {time.monotonic() - now.began[0]:.0f} s"
    given_up = [f"{u.path.name} is no whole export ({u.reason})" for u in watch.unfinished.values()]
    anywhere = [f"{key} marks its start, in any window"] if key else []
    return "; ".join([ARMED, *anywhere, *given_up[-2:]])
