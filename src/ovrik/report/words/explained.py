"""Where the time of an export goes, in words."""

from typing import Any

from ovrik.analysis.forecast.ladder import Ladder, StepShare
from ovrik.analysis.forecast.whole_programme import WholeForecast
from ovrik.report.words.phrases import seconds_words
from ovrik.study.facts.part import TITLES
from ovrik.work.apart.whole_programme import WholeTimed

NO_PARTS = "Its parts have not been timed yet."


def share_words(share: StepShare) -> str:
    """ "4.85 s, 57 % of the whole (52 to 62)"."""
    said = f"{share.seconds:.2f} s, {100 * share.share:.1f} % of the whole"
    if share.low is None or share.high is None:
        return said
    return f"{said} ({100 * share.low:.1f} to {100 * share.high:.1f})"


def ladder_rows(ladder: Ladder | None) -> list[tuple[str, str]]:
    """Parts and what they take."""
    return [(TITLES[s.name], share_words(s)) for s in ladder.shares] if ladder else []


def ladder_words(ladder: Ladder | None) -> str:
    """What the limit is."""
    return ladder.sentence if ladder else NO_PARTS


def whole_words(whole: WholeTimed) -> list[str]:
    """Start-up, pace and finish; fixed cost; the forecast; and how it did. A sentence each."""
    return [w for w in (_shape(whole), _costs(whole), _forecast(whole), _check(whole)) if w]


def _shape(whole: WholeTimed) -> str:
    s = whole.shape
    if s is None:
        return ""
    return (
        f"First frame written after {s.first:.2f} s, the others in {s.steady:.2f} s "
        f"({s.pace:.1f} frames per second), the file closed {s.finish:.2f} s later."
    )


def _costs(whole: WholeTimed) -> str:
    c = whole.costs
    if c is None:
        return "The fixed cost of an export is not known yet: time segments of it."
    fixed = f"{max(c.fixed, 0.0):.2f} s once ({max(c.fixed_low, 0.0):.2f} to {c.fixed_high:.2f})"
    pace = f"{1000 * c.pace:.1f} ms a frame ({1000 * c.pace_low:.1f} to {1000 * c.pace_high:.1f})"
    return (
        f"Every export takes {fixed}, then {pace}, {1 / c.pace:.1f} frames per second; the spread of one timing is "
        f"{100 * c.noise:.1f} %."
    )


def _forecast(whole: WholeTimed) -> str:
    f = whole.forecast
    if f is None:
        return ""
    about = f"from {f.basis}, {100 * f.covered:.0f} % of its frames"
    if f.close:
        span = f"{time_words(f.low)} to {time_words(f.high)}"
        return f"The whole programme is expected to take {time_words(f.seconds)}, {span}, {about}."
    return f"{open_words(f)}, {about}."


def open_words(f: WholeForecast) -> str:
    """That it can't be told yet how long the whole takes, between what it lies, and what would help."""
    span = f"{time_words(f.low)} to {time_words(f.high)}"
    if f.more is None:
        helps = "more segments would not tell: time the whole once"
    else:
        helps = f"about {f.more} more segment{'s' * (f.more != 1)} would tell"
    return f"How long the whole programme takes can't be told yet ({span}; {helps})"


def _check(whole: WholeTimed) -> str:
    c = whole.check
    if c is None:
        return ""
    within = "inside" if c.within else "OUTSIDE"
    sign = "more" if c.off >= 0 else "less"
    return (
        f"It took {time_words(c.seconds)}: the forecast said {100 * abs(c.off):.0f} % {sign}, which is "
        f"{within} its interval."
    )


def time_words(seconds: float) -> str:
    """Seconds to a tenth under two minutes, else as everywhere."""
    return f"{seconds:.1f} s" if seconds < 120 else seconds_words(seconds)


def explain_json(ladder: Ladder | None, whole: WholeTimed) -> dict[str, Any]:
    """The same as plain values."""
    parts = (
        [
            {"part": s.name, "seconds": s.seconds, "share": s.share, "low": s.low, "high": s.high}
            for s in ladder.shares
        ]
        if ladder
        else []
    )
    said = {
        name: vars(part) if part else None
        for name, part in (
            ("shape", whole.shape),
            ("costs", whole.costs),
            ("forecast", whole.forecast),
            ("check", whole.check),
        )
    }
    limit = (
        {
            "limit": ladder.limit,
            "resource": ladder.resource,
            "saving": ladder.saving,
            "sentence": ladder.sentence,
        }
        if ladder
        else None
    )
    return {"parts": parts, "limit": limit, **said}
