"""What makes an output acceptable."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from ovrik.errors import OvrikError
from ovrik.study.question.limit_kinds import LIMIT_KINDS


@dataclass(frozen=True)
class Limits:
    """Floors and ceilings; and what else an output has to pass. That it conforms is always asked.

    Fields: `values`, pairs of a key of `LIMIT_KINDS` and a number in its unit, in the table's order; `plays`, whether
    it has to play in real time here; `unseen`, whether nobody may be able to tell it from the reference in a blind
    comparison.
    """

    values: tuple[tuple[str, float], ...] = ()
    plays: bool = False
    unseen: bool = False

    def get(self, key: str) -> float | None:
        """The floor or ceiling, None where there is none."""
        return dict(self.values).get(key)

    def having(self, key: str, value: float | None) -> "Limits":
        """The same with another floor or ceiling, or without it. Raises OvrikError on one that can't be."""
        return limits(self.plays, self.unseen, **{**dict(self.values), key: value})

    @property
    def any_set(self) -> bool:
        """Whether anything at all is asked of the output beyond conformity."""
        return bool(self.values) or self.plays or self.unseen


def limits(plays: bool = False, unseen: bool = False, **values: float | None) -> Limits:
    """Limits by key; None leaves one out. Raises OvrikError on an unknown key or a number that can't be."""
    return limits_from(values, plays, unseen)


def limits_from(values: Mapping[str, float | None], plays: bool = False, unseen: bool = False) -> Limits:
    """The same from a mapping."""
    for key, value in values.items():
        kind = LIMIT_KINDS.get(key)
        if kind is None:
            raise OvrikError(f'There is no limit "{key}"', f"Choose among {', '.join(LIMIT_KINDS)}")
        if value is not None and not (math.isfinite(value) and kind.least <= value <= kind.most):
            raise OvrikError(f"{key} is {value:g}", f"Give a number from {kind.least:g} to {kind.most:g}")
    kept = ((key, values.get(key)) for key in LIMIT_KINDS)
    return Limits(tuple((k, float(v)) for k, v in kept if v is not None), plays, unseen)


READY_LIMITS: dict[str, tuple[str, Limits]] = {
    "archive master": (
        "kept for good: nothing may be lost that a later grade could need",
        limits(vmaf_mean=98.0, vmaf_worst_second=96.0, psnr_p1=42.0),
    ),
    "client review": (
        "looked at closely, once, over the net: plays everywhere, and fits a line",
        limits(True, vmaf_mean=93.0, vmaf_p5=88.0, mbit_s=20.0),
    ),
    "web upload": (
        "encoded again by whoever shows it: good enough to stand that",
        limits(vmaf_mean=95.0, vmaf_p5=90.0, mbit_s=45.0),
    ),
    "social clip": (
        "seen small and once: quick and light",
        limits(vmaf_mean=88.0, vmaf_worst_second=78.0, mbit_s=8.0),
    ),
}
"""Sets to start from: what each is for, and its plain values."""
