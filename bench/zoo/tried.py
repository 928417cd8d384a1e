"""The whole zoo, tried: which sound exports are blamed, which wrong ones are missed, not told, or named otherwise."""

import os
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path

from bench.zoo.footage import FOOTAGE, Kind, write
from bench.zoo.judged import Reference, points_of
from bench.zoo.outputs import CODINGS, EIGHT, TOLD_BY, WRONG, Coding, Wrong, export, make_wrong
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.point import UNKNOWN

EIGHT_KINDS = (
    "pan",
    "hand-held",
    "grain 2",
    "fade from black",
    "cuts",
    "talking head",
    "10 bits 4:2:0",
    "letterbox",
)
"""Footage on which every wrong export is tried."""
NO_MATTER = {(coding, kind) for coding in ("DNxHR lb", "DNxHR hqx") for kind in ("PQ", "HLG")}
"""Blamed rightly: this encoder tags its stream as BT.709 whatever it is given."""
CAN_NOT = {(coding, kind) for coding in ("DNxHR lb", "DNxHR hqx") for kind in ("odd size", "turned")}
"""Smaller than this encoder takes."""


@dataclass(frozen=True)
class Said:
    """What the checks say of one export. Fields: `kind` of footage; `export`, its name; `faults`, in clauses;
    `untold`, names of points of which nothing can be told."""

    kind: str
    export: str
    faults: tuple[str, ...]
    untold: tuple[str, ...] = ()


def _said(kind: Kind, name: str, path: Path, reference: Reference, made: object) -> Said:
    points, other = points_of(path, reference, made)  # type: ignore[arg-type]
    faults = (*other, *(p.fault for p in points if p.fault))
    return Said(kind.name, name, faults, tuple(p.name for p in points if p.answer == UNKNOWN))


def sound_ones(name: str, codings: Sequence[Coding] = CODINGS) -> list[Said]:
    """Every export of one kind of footage."""
    [kind] = [k for k in FOOTAGE if k.name == name]
    out = []
    with tempfile.TemporaryDirectory(prefix="ovrik-zoo-") as place:
        folder = Path(place)
        reference = Reference(write(kind, folder / "reference.mkv"))
        for coding in codings:
            if (coding.name, name) not in CAN_NOT:
                path = export(coding, reference.clip, folder)
                out.append(_said(kind, coding.name, path, reference, coding.recipe()))
    return out


def wrong_ones(name: str, wrongs: Sequence[Wrong] = WRONG) -> list[Said]:
    """One kind of footage, wrong in every way."""
    [kind] = [k for k in FOOTAGE if k.name == name]
    asked = recipe("libx264", "veryfast", 14, pixel_format=EIGHT, container="mkv", sound="none")
    with tempfile.TemporaryDirectory(prefix="ovrik-zoo-") as place:
        folder = Path(place)
        reference = Reference(write(kind, folder / "reference.mkv"))
        return [
            _said(kind, wrong.name, make_wrong(wrong, kind, folder), reference, asked) for wrong in wrongs
        ]


def everywhere(what: Callable[[str], list[Said]], names: Sequence[str]) -> Iterator[Said]:
    """Over many kinds of footage, as many at once as there are cores."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for count, done in enumerate(as_completed([pool.submit(what, name) for name in names]), 1):
            print(f"{count} of {len(names)} kinds of footage", file=sys.stderr, flush=True)
            yield from done.result()


@dataclass(frozen=True)
class Found:
    """Fields: `sound`, `wrong`, how many exports there are; `blamed`, `missed`, `otherwise`, `untold`, lines on those
    that were."""

    sound: int
    wrong: int
    blamed: tuple[str, ...]
    missed: tuple[str, ...]
    otherwise: tuple[str, ...]
    untold: tuple[str, ...]


def tried() -> Found:
    """All of it: some ten minutes on two cores."""
    sound = list(everywhere(sound_ones, [k.name for k in FOOTAGE]))
    wrong = list(everywhere(wrong_ones, EIGHT_KINDS))
    words = {w.name: w.said for w in WRONG}
    silent = [s for s in wrong if not s.faults]
    untold = [s for s in silent if TOLD_BY.get(words[s.export], set()) & set(s.untold)]
    return Found(
        sound=len(sound),
        wrong=len(wrong),
        blamed=_lines(s for s in sound if s.faults and (s.export, s.kind) not in NO_MATTER),
        missed=_lines(s for s in silent if s not in untold),
        otherwise=_lines(
            s for s in wrong if s.faults and not any(w in f for w in words[s.export] for f in s.faults)
        ),
        untold=_lines(untold),
    )


def _lines(found: Iterator[Said]) -> tuple[str, ...]:
    return tuple(f"{s.kind}, {s.export}: {'; '.join(s.faults)}" for s in found)
