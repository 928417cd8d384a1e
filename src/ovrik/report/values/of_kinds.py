"""The verdict over all kinds of footage, as JSON has it."""

from pydantic import Field

from ovrik.report.values.of_contender import RatioPassed
from ovrik.report.values.of_verdict import VerdictPassed, verdict_passed
from ovrik.report.values.record import PassedOn, at
from ovrik.report.words.progress import changes_words
from ovrik.report.words.verdict import sentence_of, sentence_over
from ovrik.work.answers.over_kinds import OverKinds


class TimeOn(PassedOn):
    """A contender's usual time."""

    contender_id: int
    label: str
    usual_s: float | None


class TimeOver(TimeOn):
    """A contender's usual time over all kinds of footage, and its ratio to the baseline."""

    ratio: RatioPassed | None


class KindPassed(PassedOn):
    """One kind of footage."""

    name: str
    programme: str = Field(validation_alias="programme_name")
    checksum: str = Field(validation_alias="programme")
    start_frame: int = at("excerpt", "start_frame")
    frames: int = at("excerpt", "frames")
    weight: float
    verdict: VerdictPassed
    contenders: tuple[TimeOn, ...]


class KindsPassed(PassedOn):
    """Over all kinds of footage."""

    kinds: tuple[KindPassed, ...]
    contenders: tuple[TimeOver, ...]
    verdict: VerdictPassed
    changes: str
    """How the choice differs from kind to kind, in words."""


def kinds_passed(found: OverKinds) -> KindsPassed:
    """Over all, and on each."""
    first = found.each[0]
    over = [
        TimeOver.of(s.contender, usual_s=found.usual_s(n), ratio=found.ratios.get(s.contender.contender_id))
        for n, s in enumerate(first.summaries)
    ]
    kinds = [
        KindPassed.of(
            kind,
            verdict=verdict_passed(e.verdict, e, sentence_of(e)),
            contenders=[
                TimeOn.of(s.contender, usual_s=found.seconds(n, s.contender.contender_id))
                for s in e.summaries
            ],
        )
        for n, (kind, e) in enumerate(zip(found.kinds, found.each, strict=True))
    ]
    return KindsPassed(
        kinds=tuple(kinds),
        contenders=tuple(over),
        verdict=verdict_passed(found.verdict, first, sentence_over(found)),
        changes=changes_words(found),
    )
