"""Which frames of an output are worth a look, and why, in words: by its scores alone."""

from ovrik.analysis.signals.loss_kinds import LOSS_TABLE
from ovrik.analysis.signals.telling import APART, LOWEST, Moment, differing, moments
from ovrik.store.records.score import ScoreRecord


def words_of(moment: Moment, other: str = "") -> str:
    """Why a moment is worth a look; `other` names what it is compared with."""
    if moment.kind == LOWEST:
        return f"lowest VMAF, {moment.value:.1f}"
    if moment.kind == APART:
        how = "higher" if moment.value > 0 else "lower"
        return f"VMAF {abs(moment.value):.1f} {how} than {other}"
    kind = LOSS_TABLE[moment.kind]
    return f"{kind.plain} ({kind.title.lower()} {moment.value:.{kind.digits}f} {kind.unit})"


def found_moments(score: ScoreRecord, against: ScoreRecord | None, rate: float) -> list[Moment]:
    """The telling frames of an output, and those where it differs most from another one, each by its place among the
    scores."""
    own = moments({key: found.values for key, found in score.metrics.items()}, rate)
    if against is None or against.output_sha256 == score.output_sha256:
        return own
    return [*own, *differing(score.of("vmaf"), against.of("vmaf"), rate)]
