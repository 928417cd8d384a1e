"""What each contender's time and size come to in use, from what is on file."""

from dataclasses import dataclass

from ovrik.analysis.choice.worth import InUse, Use, in_use
from ovrik.analysis.forecast.whole_programme import WholeForecast
from ovrik.store.study import Study
from ovrik.work.apart.whole_programme import whole_of
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary


@dataclass(frozen=True)
class Used:
    """Fields: `summary`; `found`, None where it has no time; `price`, what it costs once, and
    `yearly`, what it costs a year."""

    summary: Summary
    found: InUse | None
    price: float
    yearly: float = 0.0


def used(e: Evidence) -> list[Used]:
    """Every contender, in line-up order, against the baseline; against itself where that has no time."""
    w, base = e.facts.worth, e.of(e.facts.baseline_id)
    length = e.facts.excerpt.frames / float(e.programme.rate)
    use = Use(
        length_s=length,
        minutes=w.minutes,
        exports_a_week=w.exports_a_week,
        line_mbit_s=w.line_mbit_s,
        years_kept=w.years_kept,
        an_hour=w.an_hour,
        exports_a_film=w.exports_a_film,
        first_waits=w.first_waits,
    )
    out = []
    for s in e.summaries:
        other = base.entrant if base and base.usual_s is not None else s.entrant
        found = in_use(s.entrant, other, use) if s.usual_s is not None else None
        out.append(Used(s, found, s.entrant.price, s.entrant.yearly))
    return out


def programme_worth(study: Study, s: Summary) -> WholeForecast | None:
    """How long the whole programme takes; None before segments were timed."""
    return whole_of(study, s.contender).forecast
