"""The history as it is drawn, without a widget: where each sitting stands, and each contender's course."""

from dataclasses import dataclass

from ovrik.machine.workstation.facts import differences
from ovrik.work.answers.sittings import OverSittings, Sat, short_version


@dataclass(frozen=True)
class HistoryPlace:
    """One sitting along the time. Fields: `title`; `builds`, the versions that timed it; `machine`, what differs in
    the machine from the sitting before; `words`, all of it in a line."""

    title: str
    builds: str
    machine: tuple[str, ...]
    words: str


@dataclass(frozen=True)
class Course:
    """One contender over all sittings. Fields: `contender_id`; `label`; `seconds`, usual times; `logs`, ln of each
    against the first, None where it was not timed; `halves`, half the 95 % interval of each within its sitting, in
    log times."""

    contender_id: int
    label: str
    seconds: tuple[float | None, ...]
    logs: tuple[float | None, ...]
    halves: tuple[float, ...]


def places(over: OverSittings) -> list[HistoryPlace]:
    """Each sitting, the first one first."""
    out: list[HistoryPlace] = []
    before: Sat | None = None
    for sat in over.each:
        versions = ", ".join(sorted({short_version(b.version) for b in sat.builds.values() if b.version}))
        changed = tuple(differences(before.machine, sat.machine)) if before else ()
        title = f"{sat.sitting.id}: {sat.sitting.words}"
        out.append(HistoryPlace(title, versions, changed, f"Sitting {title}; builds {versions or 'unknown'}"))
        before = sat
    return out


def courses(over: OverSittings) -> list[Course]:
    """Each contender that was timed at all, in line-up order."""
    from ovrik.analysis.times.ratio import t_quantile

    out = []
    for s in over.each[-1].evidence.summaries if over.each else ():
        held = [sat.held.get(s.contender.contender_id) for sat in over.each]
        first = next((h for h in held if h), None)
        if first is None:
            continue
        found = [sat.evidence.of(s.contender.contender_id) for sat in over.each]
        out.append(
            Course(
                s.contender.contender_id,
                s.contender.label,
                tuple(x.usual_s if x else None for x in found),
                tuple(h.log - first.log if h else None for h in held),
                tuple(t_quantile(max(h.freedom, 1.0)) * h.variance**0.5 if h else 0.0 for h in held),
            )
        )
    return out
