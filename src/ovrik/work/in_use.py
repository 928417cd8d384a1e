"""What each contender's time and size come to in use, from what is on file."""

from dataclasses import dataclass

from ovrik.analysis.worth import Export, InUse, in_use
from ovrik.store.study import Study
from ovrik.work.evidence import Evidence
from ovrik.work.summary import Summary
from ovrik.work.whole import Whole, whole_of


@dataclass(frozen=True)
class Used:
    """Fields: `summary`; `found`, None where it has no time; `price`, what it costs once."""

    summary: Summary
    found: InUse | None
    price: float


def used(e: Evidence) -> list[Used]:
    """Every contender, in line-up order, against the baseline; against itself where that has no time."""
    w, base = e.facts.worth, e.of(e.facts.baseline_id or 0)
    out = []
    for s in e.summaries:
        one = _export(s, e)
        other = (_export(base, e) if base else None) or one
        found = None
        if one is not None and other is not None:
            found = in_use(one, other, w.minutes, w.exports_a_week, w.line_mbit_s, w.years_kept, w.an_hour)
        out.append(Used(s, found, w.price_of(s.contender.id)))
    return out


def _export(s: Summary, e: Evidence) -> Export | None:
    if s.usual_s is None:
        return None
    length = e.facts.excerpt.frames / float(e.programme.rate)
    fixed = min(s.fixed_s or 0.0, s.usual_s)
    return Export(s.usual_s, fixed, s.bytes, length, e.facts.worth.price_of(s.contender.id))


def programme_of(study: Study, e: Evidence, s: Summary) -> tuple[float, float, float, str] | None:
    """Seconds for the whole programme with low and high, and what that rests on; None before segments were timed."""
    found: Whole = whole_of(study, s.contender)
    if found.forecast is not None:
        f = found.forecast
        return f.seconds, f.low, f.high, f.basis
    return None
