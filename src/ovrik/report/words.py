"""Numbers in words, the same everywhere they are shown."""

from ovrik.analysis.ratio import Ratio
from ovrik.work.evidence import Summary

ANSWERS = {
    "baseline": "baseline", "faster": "faster", "slower": "slower", "tie": "tie",
    "unsure": "can't tell yet",
}  # fmt: skip
NONE = "–"


def ratio_words(ratio: Ratio | None) -> str:
    """ "×1.52 (1.47 to 1.58)"."""
    if ratio is None:
        return NONE
    if ratio.low is None or ratio.high is None:
        return f"×{ratio.value:.2f}"
    return f"×{ratio.value:.2f} ({ratio.low:.2f} to {ratio.high:.2f})"


def saved_words(ratio: Ratio | None) -> str:
    """ "34 % less time" or "12 % more time"."""
    if ratio is None:
        return NONE
    share = 100 * ratio.saved
    if abs(share) < 0.5:
        return "same time"
    return f"{share:.0f} % less time" if share > 0 else f"{-share:.0f} % more time"


def answer_words(summary: Summary) -> str:
    """The answer, with how many more rounds would tell when it is open."""
    said = ANSWERS[summary.answer]
    if summary.answer == "unsure":
        if not summary.counted:
            return "not timed"
        if summary.more_rounds:
            return f"{said} (+{summary.more_rounds})"
    return said


def size_words(size: int | None) -> str:
    """Bytes in decimal units."""
    if size is None:
        return NONE
    for unit, name in ((1e9, "GB"), (1e6, "MB"), (1e3, "kB")):
        if size >= unit:
            return f"{size / unit:.2f} {name}" if size < 100 * unit else f"{size / unit:.0f} {name}"
    return f"{size} B"


def number(value: float | None, digits: int = 2) -> str:
    """A number, or a dash."""
    return NONE if value is None else f"{value:.{digits}f}"


def state_words(summary: Summary) -> str:
    """Where a contender stands, in a word or two."""
    if summary.reasons:
        timed = bool(summary.counted)
        return "not acceptable" if timed else "can't run" if not summary.runs else "failed"
    if not summary.counted:
        return "not timed"
    return "acceptable" if summary.judged else "not checked"
