"""A watch on a folder for a study: exports become runs, one after another, until it is stopped."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ovrik.outside.watch import Watch
from ovrik.quality.cut_short import cut_short
from ovrik.store.records import RunRecord
from ovrik.store.study import Study
from ovrik.work.evidence import gather
from ovrik.work.outside import Card, keep_outside, matched, next_card

LOOK_S = 0.1
SHOWN_S = 0.5


@dataclass
class Orders:
    """What is asked for while a watch goes on, from another thread. Fields: `ticked`, checks that are ticked for the
    export that is next; `key`, set when the start key is pressed."""

    ticked: tuple[str, ...] = ()
    key: threading.Event = field(default_factory=threading.Event)


@dataclass(frozen=True)
class Watched:
    """What a watch shows. Fields: `card` of the export that is next; `words`, what is going on; `run` that was just
    kept, or None."""

    card: Card
    words: str
    run: RunRecord | None = None


def watch_for(
    study: Study,
    folder: Path,
    pid: int | None,
    orders: Orders,
    show: Callable[[Watched], None],
    should_stop: Callable[[], bool],
    most: int = -1,
) -> int:
    """Watch until stopped, or until so many exports were kept; gives how many. Raises OvrikError when the folder
    goes, or no contender is exported by another program."""
    card, kept, shown = next_card(gather(study)), 0, 0.0
    watch = Watch(folder, lambda path: cut_short(path, 1), pid)
    watch.start()
    try:
        show(Watched(card, "Armed: begin the export when you are ready"))
        while not should_stop() and kept != most:
            if orders.key.is_set():
                orders.key.clear()
                watch.press()
            for found in watch.look():
                run = keep_outside(study, matched(study, found.path, card.contender), found, orders.ticked)
                orders.ticked = ()
                kept += 1
                card = next_card(gather(study))
                show(Watched(card, f"Kept {found.path.name}", run))
            if time.monotonic() - shown >= SHOWN_S:
                shown = time.monotonic()
                show(Watched(card, words_of(watch)))
            time.sleep(LOOK_S)
    finally:
        watch.stop()
    return kept


def words_of(watch: Watch) -> str:
    """What is going on in the folder."""
    writing = watch.writing
    if writing:
        now = writing[-1]
        size = now.path.stat().st_size / 1e6 if now.path.exists() else 0.0
        state = "is written" if now.open else "is still; waiting to see whether it is whole"
        return f"{now.path.name} {state}: {size:.1f} MB, {time.monotonic() - now.began[0]:.0f} s"
    given_up = [f"{u.path.name} is no whole export ({u.reason})" for u in watch.unfinished.values()]
    return "; ".join(["Armed: begin the export when you are ready", *given_up[-2:]])
