"""Which contenders have a lane in *Rounds*, in which order, and what stands beside each."""

from collections.abc import Mapping
from dataclasses import dataclass

from ovrik.report.words.numbers import ANSWERS, NONE, left_out_words, own_time_words, spread_words
from ovrik.store.records.run import RunRecord, RunState
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary


@dataclass(frozen=True)
class Lane:
    """A contender's row. Fields: `summary`; `usual`, its usual time in words; `spread` in words; `answer` against the
    baseline in a word; `aside`, why it is not timed any more, "" while it is."""

    summary: Summary
    usual: str
    spread: str
    answer: str
    aside: str

    @property
    def contender_id(self) -> int:
        """Of whom the row is."""
        return self.summary.contender.contender_id

    @property
    def done(self) -> list[RunRecord]:
        """Its runs that have a time."""
        return [r for r in self.summary.runs if r.state is RunState.DONE and r.wall_s]


@dataclass(frozen=True)
class Lanes:
    """Fields: `rows` on show; `aside`, how many are not timed any more, whether they are on show or folded away;
    `longest` time of a run, seconds."""

    rows: tuple[Lane, ...]
    aside: int
    longest: float

    def place_of(self, contender_id: int) -> int | None:
        """The place of a contender's row, None where it has none."""
        ids = [row.contender_id for row in self.rows]
        return ids.index(contender_id) if contender_id in ids else None


def lanes_of(evidence: Evidence, barred: Mapping[int, str], folded: bool, chosen: int = 0) -> Lanes:
    """Those that are timed, in the order of the line-up, then those set aside, which are folded away if so wished,
    but for the one that is chosen."""
    every = [_lane(s, evidence, barred) for s in evidence.summaries]
    timed, aside = ([lane for lane in every if bool(lane.aside) == out] for out in (False, True))
    longest = max((r.wall_s or 0.0 for lane in every for r in lane.done), default=1.0)
    seen = [lane for lane in aside if not (folded and timed) or lane.contender_id == chosen]
    return Lanes((*timed, *seen), len(aside), longest)


def _lane(s: Summary, evidence: Evidence, barred: Mapping[int, str]) -> Lane:
    why = barred.get(s.contender.contender_id, "")
    return Lane(
        summary=s,
        usual=f"{own_time_words(s)} s" if s.usual_s is not None else NONE,
        spread=_spread(s),
        answer="" if s.usual_s is None else ANSWERS[s.answer],
        aside=f"can't run: {why}" if why else left_out_words(s, evidence) if s.left_out else _failure(s),
    )


def _spread(s: Summary) -> str:
    return spread_words(s).removeprefix("±") if s.spread else ""


def _failure(s: Summary) -> str:
    """Why the last run of a contender that has no time failed, or ""."""
    last = s.runs[-1] if s.runs and s.usual_s is None else None
    return f"failed: {last.reason}" if last is not None and last.state is RunState.FAILED else ""


@dataclass(frozen=True)
class InOrder:
    """A run in the order in which runs were made. Fields: `run`; `place` from 1; `beside`, its time over its
    contender's usual one, less 1, as a share."""

    run: RunRecord
    place: int
    beside: float


def in_order(evidence: Evidence) -> list[InOrder]:
    """Every timed run that Ovrik drove, warm-ups too, beside its contender's usual time."""
    usual = {s.contender.contender_id: s.usual_s for s in evidence.summaries}
    runs = sorted(
        (
            r
            for s in evidence.summaries
            for r in s.runs
            if r.state is RunState.DONE and r.wall_s and r.driven and usual[r.contender_id]
        ),
        key=lambda r: r.id,
    )
    return [
        InOrder(r, place, (r.wall_s or 0.0) / (usual[r.contender_id] or 1.0) - 1)
        for place, r in enumerate(runs, 1)
    ]
