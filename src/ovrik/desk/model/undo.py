"""What was removed from a study in this window, and how each comes back."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from psygnal import Signal

from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.programme.programme import Programme
from ovrik.study.question.footage_kind import FootageKind

MOST_KEPT = 50


@dataclass(frozen=True)
class Removed:
    """Fields: `words`, what was removed; `back`, which puts it where it was."""

    words: str
    back: Callable[[], object]


class Undo:
    """The last removals, the newest last. Signal: `changed` with what was removed, or "" when one came back."""

    changed = Signal(str)

    def __init__(self) -> None:
        self._removed: list[Removed] = []

    @property
    def last(self) -> str:
        """What would come back, "" for nothing."""
        return self._removed[-1].words if self._removed else ""

    def keep(self, words: str, back: Callable[[], object]) -> None:
        """Something was removed."""
        self._removed = [*self._removed, Removed(words, back)][-MOST_KEPT:]
        self.changed.emit(words)

    def back(self) -> str:
        """Put back what was removed last; gives what it was, "" for nothing. Raises OvrikError."""
        if not self._removed:
            return ""
        removed = self._removed.pop()
        removed.back()
        self.changed.emit("")
        return removed.words


def contender_back(
    study: Study, contender: Contender, ids: Sequence[int], was_baseline: bool
) -> Callable[[], None]:
    """Puts a contender that has not been removed yet back among those of these numbers, in its place of now."""
    at, timed = list(ids).index(contender.contender_id), study.has_evidence(contender.contender_id)

    def back() -> None:
        number = contender.contender_id
        if not timed:
            number = study.add_contender(replace(contender, contender_id=0)).contender_id
        now = [c.contender_id for c in study.contenders() if c.contender_id != number]
        now.insert(min(at, len(now)), number)
        study.place(now)
        if was_baseline:
            study.set_baseline(number)

    return back


def kind_back(study: Study, kind: FootageKind, programme: Programme) -> Callable[[], None]:
    """Puts a kind of footage back, with its weight."""

    def back() -> None:
        number = study.keep_excerpt(kind.name, kind.excerpt, programme)
        study.set_weight(number, kind.weight)

    return back
