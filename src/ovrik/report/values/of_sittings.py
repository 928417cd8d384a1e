"""A study's sittings against one another, as JSON has them."""

from typing import Annotated

from pydantic import Field

from ovrik.report.values.of_contender import RatioPassed
from ovrik.report.values.record import PassedOn, at, said
from ovrik.report.words.sittings import SAID, pair_words, worse_words
from ovrik.work.answers.sittings import Sat, SittingPair


class SittingPassed(PassedOn):
    """One going-through of the study."""

    id: int
    name: str
    began_utc: str
    builds: Annotated[dict[str, str], said(dict)]
    """By the key of a build, the one that takes its place in this sitting."""


class TimedIn(PassedOn):
    """A contender's time in one sitting."""

    contender_id: int
    label: str
    usual_s: float | None
    build: str | None
    """Version of the program that timed it; null where none did."""


class SatPassed(SittingPassed):
    """One going-through of the study, with what came of it."""

    machine: dict[str, str]
    """Facts of the one that counted runs were made on, the last of several."""
    contenders: tuple[TimedIn, ...]


def sat_passed(sat: Sat) -> SatPassed:
    """A sitting with its times."""
    timed = [
        TimedIn.of(s.contender, usual_s=s.usual_s, build=by.version if by else None)
        for s in sat.evidence.summaries
        for by in [sat.builds.get(s.contender.contender_id)]
    ]
    machine = {key: str(value) for key, value in sat.machine.items()}
    return SatPassed.of(sat.sitting, machine=machine, contenders=timed)


class DayToDay(PassedOn):
    """What the machine does from day to day with nothing changed."""

    spread: float
    """A standard deviation of log times of one sitting."""
    repeats: float = Field(validation_alias="freedom")
    """Degrees of freedom that repeated sittings gave it; 0 where it is only stated."""


class ChangedPassed(PassedOn):
    """One contender in two sittings."""

    contender_id: int = at("now", "contender", "contender_id")
    label: str
    then_s: float | None = at("then", "usual_s")
    now_s: float | None = at("now", "usual_s")
    ratio: RatioPassed | None = at("change", "ratio", default=None)
    """T then / T now; the interval allows for runs and days."""
    runs_reach: float | None = at("change", "runs_reach", default=None)
    """Half the interval that runs alone give, in log times."""
    answer: str | None
    size: float | None
    """Bytes now / bytes then."""
    vmaf_mean: float | None = Field(validation_alias="quality")
    """Now less then."""
    build_then: str
    build_now: str
    new_build: bool
    """Whether another program timed it."""
    worse: Annotated[tuple[str, ...], said(lambda found: list(map(worse_words, found)))]
    """What is worse beyond doubt."""


class PairPassed(PassedOn):
    """A sitting against the one before it."""

    then: SittingPassed = at("then", "sitting")
    now: SittingPassed = at("now", "sitting")
    day_to_day: DayToDay = Field(validation_alias="shift")
    machine_differences: tuple[str, ...] = Field(validation_alias="machine")
    words: str
    contenders: tuple[ChangedPassed, ...]


def pair_passed(pair: SittingPair) -> PairPassed:
    """What changed from one to the other."""
    changed = [ChangedPassed.of(c, answer=SAID[c.change.answer] if c.change else None) for c in pair.changed]
    return PairPassed.of(pair, words=pair_words(pair), contenders=changed)
