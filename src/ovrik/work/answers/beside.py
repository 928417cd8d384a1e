"""Studies from different files, machines or days laid side by side."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ovrik.analysis.times.day_to_day import STATED, DayChange, change
from ovrik.errors import OvrikError
from ovrik.machine.workstation.facts import differences
from ovrik.store.study import Study
from ovrik.work.answers.sittings import Sat, TimedBy, now_band, sat, short_version
from ovrik.work.evidence.gathered import Evidence, gather
from ovrik.work.evidence.summary import Summary

MOST = 12
"""So many studies at once: more can't be read beside one another."""


@dataclass(frozen=True, eq=False)
class Side:
    """One study among several. Fields: `name`, of its file, with a number where another has the same; `sat`, its
    present sitting."""

    name: str
    sat: Sat

    @property
    def evidence(self) -> Evidence:
        """What it comes to."""
        return self.sat.evidence

    @property
    def baseline(self) -> Summary | None:
        """What its speeds are relative to."""
        return self.evidence.of(self.evidence.facts.baseline_id or 0)


@dataclass(frozen=True, eq=False)
class BesideRow:
    """One recipe in every study. Fields: `label`, of the first that has it; `cells`, its summary in each study, None
    where it is not; `changes`, its time in each against the first study that has one, None likewise."""

    label: str
    cells: tuple[Summary | None, ...]
    changes: tuple[DayChange | None, ...]


@dataclass(frozen=True, eq=False)
class Beside:
    """Fields: `sides`; `rows`, those that several studies have first; `unlike`, what makes absolute times
    incomparable, in words; `apart`, what else differs."""

    sides: tuple[Side, ...]
    rows: tuple[BesideRow, ...]
    unlike: tuple[str, ...]
    apart: tuple[str, ...]


def lay_beside(studies: Sequence[Study]) -> Beside:
    """Read them and match their contenders by recipe. Raises OvrikError with fewer than two, or too many."""
    if not 2 <= len(studies) <= MOST:
        raise OvrikError(f"{len(studies)} studies", f"Name two to {MOST}")
    names = _names([s.path.stem for s in studies])
    sides = tuple(Side(name, sat(s, s.sitting, gather(s))) for name, s in zip(names, studies, strict=True))
    unlike = _unlike(sides)
    return Beside(sides, _rows(sides, bool(unlike)), unlike, _apart(sides))


def _names(stems: Sequence[str]) -> list[str]:
    count, seen = Counter(stems), Counter[str]()
    out = []
    for stem in stems:
        seen[stem] += 1
        out.append(f"{stem} ({seen[stem]})" if count[stem] > 1 else stem)
    return out


def _rows(sides: Sequence[Side], unlike: bool) -> tuple[BesideRow, ...]:
    keys = [_keyed(side) for side in sides]
    every = list(dict.fromkeys(key for found in keys for key in found))
    made = []
    for key in every:
        cells = tuple(found.get(key) for found in keys)
        label = next(c.contender.label for c in cells if c)
        made.append(
            BesideRow(
                label, cells, _changes(sides, cells, len(every)) if not unlike else (None,) * len(cells)
            )
        )
    return tuple(sorted(made, key=lambda r: -sum(c is not None and bool(c.counted) for c in r.cells)))


def _keyed(side: Side) -> dict[object, Summary]:
    """A study's contenders by recipe; where one recipe is there with several builds, by version too."""
    plain = [(replace(s.contender, build="").identity, s) for s in side.evidence.summaries]
    count = Counter(repr(key) for key, _s in plain)
    out: dict[object, Summary] = {}
    for key, s in plain:
        version = short_version(
            side.sat.builds.get(s.contender.contender_id, TimedBy(s.contender.build)).version
        )
        out.setdefault((repr(key), version if count[repr(key)] > 1 else ""), s)
    return out


def _changes(
    sides: Sequence[Side], cells: Sequence[Summary | None], among: int
) -> tuple[DayChange | None, ...]:
    """Each against the first that has a time. Other machines have other days: what is stated is allowed for."""
    held = [
        side.sat.held.get(c.contender.contender_id) if c else None
        for side, c in zip(sides, cells, strict=True)
    ]
    first = next((n for n, h in enumerate(held) if h), None)
    if first is None:
        return (None,) * len(cells)
    base = held[first]
    assert base is not None
    among = max(among * (len(sides) - 1), 1)
    return tuple(
        change(base, h, STATED, among, now_band(sides[0].sat)) if h and n != first else None
        for n, h in enumerate(held)
    )


def _unlike(sides: Sequence[Side]) -> tuple[str, ...]:
    """Why absolute times can't be compared."""
    first, out = sides[0].evidence, []
    for side in sides[1:]:
        e = side.evidence
        if e.programme.checksum != first.programme.checksum:
            out.append(
                f"{side.name} exports another programme ({e.programme.name}) than {sides[0].name} "
                f"({first.programme.name})"
            )
        elif e.facts.excerpt != first.facts.excerpt:
            out.append(
                f"{side.name} exports another excerpt (frames {_range(e)}) than {sides[0].name} ({_range(first)})"
            )
    return tuple(out)


def _range(e: Evidence) -> str:
    x = e.facts.excerpt
    return f"{x.start_frame} to {x.end_frame - 1}"


CONDUCT = (
    ("cache", "page cache"),
    ("nice", "priority"),
    ("cores", "cores used"),
    ("sync", "flush before a run"),
)


def _apart(sides: Sequence[Side]) -> tuple[str, ...]:
    """What else differs: machine, conduct, baseline."""
    first, out = sides[0], list[str]()
    for side in sides[1:]:
        machine = differences(first.sat.machine, side.sat.machine)
        out += [f"{side.name}: {words} (as in {first.name}, {side.name})" for words in machine]
        for key, title in CONDUCT:
            ours, theirs = (getattr(s.evidence.facts.conduct, key) for s in (first, side))
            if ours != theirs:
                out.append(f"{side.name}: {title} {theirs or 'all'} against {ours or 'all'}")
    bases = [s.baseline.contender.label for s in sides if s.baseline]
    if len(set(bases)) > 1:
        out.append(f"speeds are relative to different baselines: {', '.join(bases)}")
    return tuple(out)
