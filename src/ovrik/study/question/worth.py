"""What a faster export is worth to whoever asks: how much is exported, over which line, and what things cost."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

from ovrik.errors import OvrikError

MOST = {
    "exports_a_week": 1e5,
    "exports_a_film": 1e5,
    "minutes": 1e5,
    "line_mbit_s": 1e6,
    "an_hour": 1e6,
    "years_kept": 100.0,
}

PRICES = ("prices", "yearly")


@dataclass(frozen=True)
class Worth:
    """How the times are used.

    Fields: `delivered`, True where what counts is the time until the file has been sent, False until it is written;
    `line_mbit_s`, upload speed in megabits a second; `exports_a_week`; `minutes` of each; `an_hour`, what an hour of
    waiting costs, in the user's currency, 0 for left open; `years_kept`, how long exports are stored;
    `exports_a_film`, over how many exports of a film what comes first is shared, at least 1; `first_waits`, whether
    somebody waits for that: what is made overnight costs none; `prices`, pairs of a contender's number and what it
    costs once (a licence, a device), in the same currency, and `yearly`, what it costs a year, likewise.
    """

    delivered: bool = False
    line_mbit_s: float = 20.0
    exports_a_week: float = 10.0
    minutes: float = 10.0
    an_hour: float = 0.0
    years_kept: float = 1.0
    exports_a_film: float = 1.0
    first_waits: bool = True
    prices: tuple[tuple[int, float], ...] = ()
    yearly: tuple[tuple[int, float], ...] = ()

    def price_of(self, contender_id: int) -> float:
        """What a contender costs once, 0 where nothing was said."""
        return dict(self.prices).get(contender_id, 0.0)

    def yearly_of(self, contender_id: int) -> float:
        """What a contender costs a year, likewise."""
        return dict(self.yearly).get(contender_id, 0.0)

    def to_json(self) -> dict[str, Any]:
        """Plain values for the study file: what is not as usual."""
        usual = Worth()
        out = {
            f.name: getattr(self, f.name)
            for f in fields(self)
            if getattr(self, f.name) != getattr(usual, f.name)
        }
        for name in PRICES:
            if pairs := getattr(self, name):
                out[name] = {str(number): price for number, price in pairs}
        return out

    @classmethod
    def from_json(cls, said: Mapping[str, Any]) -> "Worth":
        """The inverse of `to_json`; what makes no sense is left as usual."""
        usual, given = cls(), dict[str, Any]()
        for name, most in MOST.items():
            value = said.get(name)
            if isinstance(value, int | float) and math.isfinite(value) and 0 <= value <= most:
                given[name] = float(value)
        if not given.get("line_mbit_s", usual.line_mbit_s) > 0:
            given.pop("line_mbit_s")
        if given.get("exports_a_film", 1.0) < 1:
            given.pop("exports_a_film")
        return cls(
            delivered=said.get("delivered") is True,
            first_waits=said.get("first_waits") is not False,
            **given,
            prices=_prices(said.get("prices")),
            yearly=_prices(said.get("yearly")),
        )


def _prices(said: object) -> tuple[tuple[int, float], ...]:
    """Pairs of a contender's number and a price, those that can be."""
    kept = said.items() if isinstance(said, Mapping) else ()
    return tuple(
        sorted(
            (int(k), float(v))
            for k, v in kept
            if str(k).isdigit() and isinstance(v, int | float) and math.isfinite(v) and 0 < v < 1e9
        )
    )


def checked_worth(made: Worth) -> Worth:
    """The same, if it can be. Raises OvrikError."""
    for name, most in MOST.items():
        value = getattr(made, name)
        if not (math.isfinite(value) and 0 <= value <= most):
            raise OvrikError(f"{name} is {value:g}", f"Give a number from 0 to {most:g}")
    if made.exports_a_film < 1:
        raise OvrikError(f"exports_a_film is {made.exports_a_film:g}", "A film gets one export at least")
    if made.line_mbit_s <= 0:
        raise OvrikError(f"line_mbit_s is {made.line_mbit_s:g}", "Give the upload speed in megabits a second")
    return made
