"""A contender, as JSON has it."""

from typing import Annotated

from pydantic import Field

from ovrik.analysis.choice.payoff import Payoff
from ovrik.analysis.scores.pooling import Lost, Pooled, lost
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.analysis.times.spread import Spread
from ovrik.quality.scores.metric_table import METRICS
from ovrik.report.values.of_run import RunPassed
from ovrik.report.values.record import AsDict, PassedOn, at, said
from ovrik.report.words.reasons import reasons_words
from ovrik.study.contender.losses import recipe_losses
from ovrik.study.facts.point import Point
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary


class RatioPassed(PassedOn):
    """Baseline time over own time, with its 95 % interval."""

    value: float
    low: float | None
    high: float | None
    saved: float
    """1 - 1 / value: the share of the baseline's time that is saved."""
    rounds: int = Field(validation_alias="pairs")
    """Rounds in which both were timed."""


class OwnNoise(PassedOn):
    """Run-to-run spread of one contender."""

    spread: float
    """Standard deviation of a natural log time."""
    freedom: float
    """Degrees of freedom that it rests on."""


class Differs(PassedOn):
    """A factor in which a contender differs from the baseline."""

    factor: str
    baseline: str
    here: str


class ComesFirstPassed(PassedOn):
    """Something that is made before its exports."""

    kind: str
    times: tuple[float, ...]
    """Seconds of each time that it was made."""
    bytes: int | None
    """What was written."""
    entered: bool
    """Whether somebody took the time of what another program made."""


class ContenderPassed(PassedOn):
    """One contender with every run of the sitting."""

    contender_id: int = at("contender", "contender_id")
    """Its number in the study; labels may be alike."""
    label: str = at("contender", "label")
    build: str = at("contender", "build")
    """The build's key."""
    encoder: str = at("contender", "recipe", "encoder")
    simulated: bool = at("contender", "simulated")
    """Whether a stand-in plays it."""
    recipe: AsDict = at("contender", "recipe")
    """As in a plan; formats.md describes it."""
    runs: tuple[RunPassed, ...]
    usual_s: float | None
    """The one time shown, seconds."""
    first_s: float | None
    """What comes first of a film, seconds: 0 where nothing does; null where not all of it was timed."""
    cost_s: float | None
    """The whole cost that the choice goes by, seconds: what comes first, shared, the export, the upload if asked."""
    first: tuple[ComesFirstPassed, ...]
    fps: float | None
    """Frames of the excerpt / usual time."""
    times_real_time: float | None
    """Seconds of the excerpt / usual time."""
    doubt_s: float
    """How exactly the time itself is known: a stopwatch, or a file that was watched."""
    plays: bool | None
    """Whether the output plays in real time here; null where it was not tried."""
    unseen: bool | None
    """Whether nobody could tell it from the reference in a blind comparison; null where it was not tried."""
    median_s: float | None
    """Of the counted runs, seconds."""
    spread: Spread | None
    erratic: bool
    """Whether its times vary more than those of the others."""
    ratio: RatioPassed | None
    answer: str
    """baseline, faster, slower, tie or unsure."""
    more_rounds: int | None
    """About how many more rounds would tell, where it is unsure."""
    standing: str
    most_gain: float | None = Field(validation_alias="gain")
    """By how much it could still be faster than the choice, as a share; null when not known."""
    left_out: str = at("left_out", "kind", default="")
    """Whether it is timed no more, and why."""
    bytes: int | None
    """Size of the output."""
    megabytes_per_minute: float | None = Field(validation_alias="mb_per_minute")
    """Megabytes (10^6) for a minute of film."""
    quality: dict[str, Pooled | None]
    """Against the reference, each metric over all frames."""
    scored_every: int | None = at("score", "facts", "every", default=None)
    """Every how many frames were scored."""
    losses: dict[str, Lost]
    """Each kind of loss that was measured."""
    conforms: bool | None
    """Whether the output is what was asked for; null where that was not checked."""
    points: tuple[Point, ...] = at("score", "points", default=())
    acceptable: bool | None
    """Whether it conforms and meets the limits; null where that is not known yet."""
    reasons: Annotated[tuple[str, ...], said(reasons_words)]
    """Why it is not acceptable."""
    decode: str = at("contender", "decode")
    treatments: str = at("contender", "treat")
    methods: Annotated[dict[str, str], said(dict)] = at("contender", "methods")
    """How treatments are done, where it is not as the programme says."""
    prerendered: AsDict | None = at("contender", "prerendered")
    differs_in: tuple[Differs, ...]
    payoff: Payoff | None
    noise: OwnNoise | None
    loses: tuple[str, ...]
    """What its recipe takes away from the programme."""
    other_forms: tuple[str, ...]


def contender_passed(e: Evidence, s: Summary) -> ContenderPassed:
    """All that is known of one."""
    return ContenderPassed.of(
        s,
        runs=[r for r in s.runs if r.state != "running"],
        quality={m.key: s.quality.get(m.key) for m in METRICS},
        losses=_losses(s),
        differs_in=[Differs(factor=f, baseline=a, here=b) for f, a, b in s.apart.differ],
        noise=_own_noise(e, s),
        loses=recipe_losses(e.programme, s.contender.recipe),
    )


def _losses(s: Summary) -> dict[str, Lost]:
    found = {k.key: lost(s.score.of(k.key)) for k in LOSS_KINDS} if s.score else {}
    return {key: one for key, one in found.items() if one}


def _own_noise(e: Evidence, s: Summary) -> OwnNoise | None:
    if not s.times:
        return None
    noise, row = e.times.found.noise, e.times.rows[s.contender.contender_id]
    return OwnNoise(spread=float(noise.variances[row]) ** 0.5, freedom=float(noise.freedoms[row]))
