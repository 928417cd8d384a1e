"""What comes first of each contender: what its exports need that is made once for a film, and how long that took."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ovrik.analysis.choice.whole_cost import Step, entered, step_of
from ovrik.analysis.times.joint import Joint
from ovrik.store.records.made import Preparation, PreparationKind
from ovrik.store.records.run import RunRecord
from ovrik.study.contender.contender import Contender


@dataclass(frozen=True)
class ComesFirst:
    """One thing that is made before an export can run. Fields: `kind`; `key`, which contenders that share it have in
    common; `times`, seconds of each time that it was made, in order, () where none is known; `bytes` of what was
    written, None unknown; `entered`, whether somebody took the times of what another program made."""

    kind: PreparationKind
    key: str
    times: tuple[float, ...]
    bytes: int | None = None
    entered: bool = False

    def step(self, found: Joint) -> Step:
        """As it enters the whole cost, on the machine of these times."""
        return entered(self.times[-1], found) if self.entered else step_of(self.times, found)


def entered_key(contender_id: int) -> str:
    """Names the time that was entered for a contender."""
    return f"entered {contender_id}"


def comes_first(
    contender: Contender, runs: Sequence[RunRecord], made: Sequence[Preparation], like_it: frozenset[int]
) -> tuple[ComesFirst, ...]:
    """All of it of one contender, in the order in which it is made. Its runs say what they needed; what was made for
    those that export alike (`like_it`, ids) stands for that of an earlier Ovrik's runs, which do not say."""
    done = [p for p in made if p.state == "done" and p.wall_s]
    keys = _needed(contender, runs, done, like_it)
    own = entered_key(contender.contender_id)
    if any(p.key == own for p in done):
        keys = [*keys, own]
    found: Mapping[str, list[Preparation]] = {key: [p for p in done if p.key == key] for key in keys}
    return tuple(
        ComesFirst(
            kind=mine[-1].kind if mine else PreparationKind.PRE_RENDER,
            key=key,
            times=tuple(p.wall_s or 0.0 for p in mine),
            bytes=mine[-1].bytes if mine else None,
            entered=bool(mine) and mine[-1].entered,
        )
        for key, mine in found.items()
    )


def _needed(
    contender: Contender, runs: Sequence[RunRecord], done: Sequence[Preparation], like_it: frozenset[int]
) -> list[str]:
    said = [r.conditions["first"] for r in runs if r.counts and isinstance(r.conditions.get("first"), list)]
    if said:
        return [str(key) for key in said[-1]]
    done = [p for p in done if not p.entered]
    mine = [p for p in done if p.contender_id in like_it]
    # An analysis that a contender of another build or device needs may have been there before the study: what the
    # same one took here stands for it.
    analyses = _of(PreparationKind.ANALYSIS, mine) or _of(PreparationKind.ANALYSIS, done)
    renders = _of(PreparationKind.PRE_RENDER, mine) if contender.prerendered else []
    driven = not contender.outside and any(r.driven for r in runs)
    return [*(analyses if driven else ()), *renders[-1:]]


def _of(kind: PreparationKind, made: Sequence[Preparation]) -> list[str]:
    return list(dict.fromkeys(p.key for p in made if p.kind is kind))
