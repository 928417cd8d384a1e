"""Studies side by side, as JSON has them."""

from ovrik.analysis.times.day_to_day import DayChange
from ovrik.analysis.times.spread import Spread
from ovrik.report.values.of_contender import RatioPassed
from ovrik.report.values.record import PassedOn, at
from ovrik.report.words.sittings import SAID
from ovrik.report.words.verdict import sentence_of
from ovrik.work.answers.beside import Beside, BesideRow, Side
from ovrik.work.evidence.summary import Summary


class AgainstFirst(RatioPassed):
    """A contender's time against the first study that has it: T there / T here."""

    answer: str


class BesideCell(PassedOn):
    """A recipe in one of the studies."""

    label: str = at("contender", "label")
    usual_s: float | None
    spread: Spread | None
    ratio_to_own_baseline: RatioPassed | None = at("ratio", default=None)
    vmaf_mean: float | None = at("vmaf", "mean", default=None)
    bytes: int | None
    against_first: AgainstFirst | None


class BesideRowPassed(PassedOn):
    """One recipe in all of them; null where a study has no contender of it."""

    label: str
    studies: tuple[BesideCell | None, ...]


class SidePassed(PassedOn):
    """One of the studies."""

    name: str
    title: str = at("evidence", "facts", "title")
    sitting: int = at("evidence", "sitting")
    programme: str = at("evidence", "programme", "checksum")
    baseline: str | None = at("baseline", "contender", "label", default=None)
    machine: dict[str, str]
    verdict: str


class BesidePassed(PassedOn):
    """What is laid side by side, and what keeps it from being compared."""

    not_comparable: tuple[str, ...]
    differs: tuple[str, ...]
    studies: tuple[SidePassed, ...]
    contenders: tuple[BesideRowPassed, ...]


def beside_passed(b: Beside) -> BesidePassed:
    """All of it."""
    rows = [BesideRowPassed.of(row, studies=_cells(row)) for row in b.rows]
    return BesidePassed(
        not_comparable=b.unlike, differs=b.apart, studies=tuple(map(_side, b.sides)), contenders=tuple(rows)
    )


def _cells(row: BesideRow) -> list[BesideCell | None]:
    return [_cell(c, by) if c else None for c, by in zip(row.cells, row.changes, strict=True)]


def _cell(s: Summary, by: DayChange | None) -> BesideCell:
    against = AgainstFirst.of(by.ratio, answer=SAID[by.answer]) if by else None
    return BesideCell.of(s, against_first=against)


def _side(side: Side) -> SidePassed:
    machine = {key: str(value) for key, value in side.sat.machine.items()}
    return SidePassed.of(side, machine=machine, verdict=sentence_of(side.evidence))
