"""What a time and a size come to in use: hours a week, upload, storage, and when a price has paid for itself."""

import math
from dataclasses import dataclass

from ovrik.analysis.choice.delivered import upload_s
from ovrik.analysis.choice.entrant import Entrant

WEEKS_A_YEAR = 52
HOUR = 3600.0


@dataclass(frozen=True)
class InUse:
    """One export of so many minutes, and so many a week. Fields: `export_s`; `first_s`, its share of what comes first
    that somebody waits for; `upload_s` and `delivered_s`, None where
    the size is not known; `week_h`, hours a week until all are delivered (exported, where the size is not known);
    `stored_bytes` of all that is kept, None likewise; `saved_week_h` against the baseline; `pays_exports`, after how
    many exports its price has paid for itself, 0 without a price, None when it never does or no hour has a price;
    `pays_a_year`, likewise how many exports a year pay for what it costs a year."""

    export_s: float
    first_s: float
    upload_s: float | None
    delivered_s: float | None
    week_h: float
    stored_bytes: float | None
    saved_week_h: float
    pays_exports: int | None
    pays_a_year: int | None = 0


@dataclass(frozen=True)
class Use:
    """How exports are made. Fields: `length_s` of the excerpt that was timed; `minutes` of each export;
    `exports_a_week`; `line_mbit_s`, upload speed; `years_kept`; `an_hour`, what an hour of waiting costs;
    `exports_a_film`, over how many what comes first is shared, and `first_waits`, whether somebody waits for that."""

    length_s: float
    minutes: float
    exports_a_week: float
    line_mbit_s: float
    years_kept: float
    an_hour: float
    exports_a_film: float = 1.0
    first_waits: bool = True


def export_of(e: Entrant, length_s: float, minutes: float) -> float:
    """Seconds for an export of so many minutes: T = fixed + (usual − fixed) · minutes / the excerpt's."""
    usual = e.usual_s or 0.0
    fixed = min(e.fixed_s or 0.0, usual)
    return fixed + (usual - fixed) * 60 * minutes / length_s


def first_of_export(e: Entrant, use: Use) -> float:
    """Seconds of what comes first that fall to each export of so many minutes: it is drawn out with the length."""
    if not use.first_waits:
        return 0.0
    return (e.first_s or 0.0) * 60 * use.minutes / use.length_s / use.exports_a_film


def in_use(one: Entrant, base: Entrant, use: Use) -> InUse:
    """All of it; `base` is what `one` would take the place of."""
    took, sent = export_of(one, use.length_s, use.minutes), _sent(one, use)
    saved_s = _whole(base, use) - _whole(one, use)
    stored = None
    if one.bytes is not None:
        whole = one.bytes * 60 * use.minutes / use.length_s
        stored = whole * use.exports_a_week * WEEKS_A_YEAR * use.years_kept
    return InUse(
        export_s=took,
        first_s=first_of_export(one, use),
        upload_s=sent,
        delivered_s=None if sent is None else first_of_export(one, use) + took + sent,
        week_h=_whole(one, use) * use.exports_a_week / HOUR,
        stored_bytes=stored,
        saved_week_h=saved_s * use.exports_a_week / HOUR,
        pays_exports=pays_after(one.price, saved_s, use.an_hour),
        pays_a_year=pays_after(one.yearly, saved_s, use.an_hour),
    )


def pays_after(price: float, saved_s: float, an_hour: float) -> int | None:
    """The fewest whole exports n with n · saved hours · price of an hour ≥ price."""
    if price <= 0:
        return 0
    each = saved_s / HOUR * an_hour
    return math.ceil(price / each - 1e-9) if each > 0 else None


def _sent(e: Entrant, use: Use) -> float | None:
    return None if e.bytes is None else upload_s(e.bytes * 60 * use.minutes / use.length_s, use.line_mbit_s)


def _whole(e: Entrant, use: Use) -> float:
    took = export_of(e, use.length_s, use.minutes)
    return first_of_export(e, use) + took + (_sent(e, use) or 0.0)
