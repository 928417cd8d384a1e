"""Treatments over the whole programme: most follow the cut, a few work shot by shot and stand on every shot."""

from dataclasses import replace

from ovrik.errors import OvrikError
from ovrik.study.programme.programme import GAP, Programme, Shot
from ovrik.study.programme.treatment import Treatment


def treated_over_all(programme: Programme) -> tuple[Treatment, ...]:
    """What is done to all of it, in order: what stands on every shot and can't be done after the cut, then what is
    done after the cut."""
    return (*_on_every_shot(programme), *programme.treatments)


def with_over_all(programme: Programme, made: tuple[Treatment, ...]) -> Programme:
    """The same cut with these over the whole. Every shot keeps its length in the cut. Raises OvrikError where a shot
    has a speed of its own."""
    by_shot = tuple(t for t in made if not t.facts.whole)
    before = _on_every_shot(programme)
    shots = tuple(_with(n, s, before, by_shot) for n, s in enumerate(programme.shots, 1))
    return replace(programme, shots=shots, treatments=tuple(t for t in made if t.facts.whole))


def _on_every_shot(programme: Programme) -> tuple[Treatment, ...]:
    shots = [s for s in programme.shots if s.clip != GAP]
    if not shots:
        return ()
    return tuple(
        t for t in shots[0].treatments if not t.facts.whole and all(t in s.treatments for s in shots[1:])
    )


def _with(number: int, shot: Shot, before: tuple[Treatment, ...], now: tuple[Treatment, ...]) -> Shot:
    if shot.clip == GAP:
        return shot
    own = tuple(t for t in shot.treatments if t not in before)
    if any(t.kind == "retime" for t in own) and any(t.kind == "retime" for t in now):
        raise OvrikError(f"Shot {number} has a speed of its own", "Remove its retime, or retime single shots")
    return replace(shot, treatments=(*now, *own))
