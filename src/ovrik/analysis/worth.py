"""What a time and a size come to in use: hours a week, upload, storage, and when a price has paid for itself."""

import math
from dataclasses import dataclass

from ovrik.analysis.delivered import upload_s

WEEKS_A_YEAR = 52
HOUR = 3600.0


@dataclass(frozen=True)
class Export:
    """One contender's excerpt. Fields: `seconds`, its usual time; `fixed_s` of that, what every export pays once, 0
    where it is not known; `bytes` of its output, None unknown; `length_s` of the excerpt; `price` that the contender
    costs once, 0 for none."""

    seconds: float
    fixed_s: float
    bytes: int | None
    length_s: float
    price: float = 0.0


@dataclass(frozen=True)
class InUse:
    """One export of so many minutes, and so many a week. Fields: `export_s`; `upload_s` and `delivered_s`, None where
    the size is not known; `week_h`, hours a week until all are delivered (exported, where the size is not known);
    `stored_bytes` of all that is kept, None likewise; `saved_week_h` against the baseline; `pays_exports`, after how
    many exports its price has paid for itself, 0 without a price, None when it never does or no hour has a price."""

    export_s: float
    upload_s: float | None
    delivered_s: float | None
    week_h: float
    stored_bytes: float | None
    saved_week_h: float
    pays_exports: int | None


def export_of(one: Export, minutes: float) -> float:
    """Seconds for an export of so many minutes: T = fixed + (usual − fixed) · minutes / the excerpt's."""
    return one.fixed_s + (one.seconds - one.fixed_s) * 60 * minutes / one.length_s


def in_use(
    one: Export,
    base: Export,
    minutes: float,
    exports_a_week: float,
    line_mbit_s: float,
    years_kept: float,
    an_hour: float,
) -> InUse:
    """All of it; `base` is what `one` would take the place of."""
    took, sent = export_of(one, minutes), _sent(one, minutes, line_mbit_s)
    saved_s = _whole(base, minutes, line_mbit_s) - _whole(one, minutes, line_mbit_s)
    stored = None
    if one.bytes is not None:
        stored = one.bytes * 60 * minutes / one.length_s * exports_a_week * WEEKS_A_YEAR * years_kept
    return InUse(
        took,
        sent,
        None if sent is None else took + sent,
        _whole(one, minutes, line_mbit_s) * exports_a_week / HOUR,
        stored,
        saved_s * exports_a_week / HOUR,
        pays_after(one.price, saved_s, an_hour),
    )


def pays_after(price: float, saved_s: float, an_hour: float) -> int | None:
    """The fewest whole exports n with n · saved hours · price of an hour ≥ price."""
    if price <= 0:
        return 0
    each = saved_s / HOUR * an_hour
    return math.ceil(price / each - 1e-9) if each > 0 else None


def _sent(one: Export, minutes: float, line_mbit_s: float) -> float | None:
    return None if one.bytes is None else upload_s(one.bytes * 60 * minutes / one.length_s, line_mbit_s)


def _whole(one: Export, minutes: float, line_mbit_s: float) -> float:
    return export_of(one, minutes) + (_sent(one, minutes, line_mbit_s) or 0.0)
