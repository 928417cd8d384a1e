"""How a treatment is done, as a contender's own choice: the programme says what is done, a contender may say how."""

from collections.abc import Mapping
from dataclasses import replace

from ovrik.errors import OvrikError
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.treatment import Treatment
from ovrik.study.programme.treatment_kinds import KINDS

RESIZE = "resize"
"""Bringing the programme to the size of a delivery: no treatment of the programme, but done in several ways too."""
USUAL_KERNEL = "bicubic"
KERNELS = ("bicubic", "bilinear", "lanczos", "spline", "area", "neighbor")
PREFIX = "methods."
"""Begins the key of a method among the factors of a grid: `methods.upscale`."""

Methods = tuple[tuple[str, str], ...]
"""Pairs of a kind of treatment, or `RESIZE`, and a method; in order, each kind once."""


def choices() -> dict[str, tuple[str, ...]]:
    """The methods there are, by kind, the usual one first."""
    named = {
        kind.key: next((p.choices for p in kind.parameters if p.name == "method"), ())
        for kind in KINDS.values()
    }
    return {RESIZE: KERNELS, **{key: found for key, found in named.items() if found}}


def title_of(kind: str) -> str:
    """What a method belongs to, in words."""
    return "Resize" if kind == RESIZE else KINDS[kind].title


def methods(said: Mapping[str, object]) -> Methods:
    """Methods as they are kept, from what was written; "" leaves one as the programme has it. Raises OvrikError."""
    known, out = choices(), []
    for kind, value in said.items():
        if kind not in known:
            raise OvrikError(f'"{kind}" is done in one way only', f"Methods are for {', '.join(known)}")
        if value in ("", None):
            continue
        if value not in known[kind]:
            raise OvrikError(
                f'{title_of(kind)} can\'t be done by "{value}"', f"Choose one of {', '.join(known[kind])}"
            )
        out.append((kind, str(value)))
    return tuple(sorted(out))


def kernel_of(found: Methods) -> str:
    """The kernel of a delivery's resize."""
    return dict(found).get(RESIZE, USUAL_KERNEL)


def done_by(programme: Programme, found: Methods) -> Programme:
    """The same programme with its treatments done in these ways."""
    ways = {kind: method for kind, method in found if kind != RESIZE}
    if not ways or not any(t.kind in ways for t in programme.every_treatment):
        return programme
    shots = tuple(replace(s, treatments=_changed(s.treatments, ways)) for s in programme.shots)
    return replace(programme, shots=shots, treatments=_changed(programme.treatments, ways))


def _changed(treatments: tuple[Treatment, ...], ways: Mapping[str, str]) -> tuple[Treatment, ...]:
    return tuple(
        replace(t, values=tuple((n, ways[t.kind] if n == "method" else v) for n, v in _complete(t)))
        if t.kind in ways
        else t
        for t in treatments
    )


def _complete(t: Treatment) -> list[tuple[str, float | str]]:
    """The values of a treatment, with what was not there yet when it was written."""
    return [(p.name, t[p.name]) for p in t.facts.parameters]


def idle(programme: Programme, found: Methods, resized: bool) -> list[str]:
    """Methods that change nothing, in clauses: of kinds that the programme does not have."""
    kinds = {t.kind for t in programme.every_treatment}
    out = [f"this programme has no {title_of(k).lower()}" for k, _m in found if k not in (RESIZE, *kinds)]
    if dict(found).get(RESIZE) and not resized:
        out.append("nothing is resized: give a size")
    return out
