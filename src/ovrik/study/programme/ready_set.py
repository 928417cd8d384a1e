"""Ready sets of treatments, so that a first study shows how load changes the ranking."""

from dataclasses import replace

from ovrik.errors import OvrikError
from ovrik.study.programme.programme import GAP, Programme, Shot
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.programme.treatment_kinds import READY_SETS

WITH_TITLE = ("light finish", "heavy finish")


def with_set(programme: Programme, name: str) -> Programme:
    """The same cut with a ready set in place of all its treatments. Raises OvrikError for an unknown name."""
    if name not in READY_SETS:
        raise OvrikError(f'There is no ready set "{name}"', f"Choose one of {', '.join(READY_SETS)}")
    made = [treatment(kind, dict(values)) for kind, values in READY_SETS[name][1]]
    on_shots = tuple(t for t in made if not t.facts.whole)
    over = tuple(t for t in made if t.facts.whole)
    shots = [_shot(s, on_shots) for s in programme.shots]
    if name in WITH_TITLE:
        first = next((n for n, s in enumerate(shots) if s.clip != GAP), 0)
        title = treatment("title", {"text": programme.name.rsplit(".", 1)[0] or "Title"})
        shots[first] = replace(shots[first], treatments=(*shots[first].treatments, title))
    return replace(programme, shots=tuple(shots), treatments=over)


def _shot(shot: Shot, treatments: tuple[Treatment, ...]) -> Shot:
    """A shot with these treatments in place of its own. One that was slower keeps its length, and so uses
    more of its clip than before, or less: a clip that ends early holds its last frame."""
    return replace(shot, treatments=() if shot.clip == GAP else treatments)


def set_of(programme: Programme) -> str:
    """The ready set that a programme carries, or "" when it is none of them."""
    for name in READY_SETS:
        if with_set(programme, name) == programme:
            return name
    return ""
