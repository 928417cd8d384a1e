"""Whether an output keeps within the limits, and by how much it misses them."""

from dataclasses import dataclass

from ovrik.study.limits import Limits


@dataclass(frozen=True)
class Measured:
    """Fields: `vmaf_mean`, `vmaf_p5`, None while unscored; `megabytes_per_minute`, None unknown; `plays`, whether it
    plays in real time, and `unseen`, whether it could not be told from the reference, None while they were not
    tried."""

    vmaf_mean: float | None
    vmaf_p5: float | None
    megabytes_per_minute: float | None
    plays: bool | None = None
    unseen: bool | None = None


FLOORS = (("vmaf_mean", "mean VMAF"), ("vmaf_p5", "5th percentile of VMAF"))


def misses(limits: Limits, found: Measured) -> list[str]:
    """Each limit that is missed, in a clause with both numbers; empty when all are kept."""
    out = []
    for name, words in FLOORS:
        floor, value = getattr(limits, name), getattr(found, name)
        if floor is not None and value is not None and value < floor:
            out.append(f"{words} {value:.1f} is under the floor of {floor:g}")
    ceiling, size = limits.megabytes_per_minute, found.megabytes_per_minute
    if ceiling is not None and size is not None and size > ceiling:
        out.append(f"size {size:.1f} MB a minute is over the ceiling of {ceiling:g}")
    if limits.plays and found.plays is not None and not found.plays:
        out.append("it does not play in real time here")
    if limits.unseen and found.unseen is not None and not found.unseen:
        out.append("it was told from the reference in a blind comparison")
    return out


NEAR_VMAF, NEAR_SHARE = 0.5, 0.02


def near(limits: Limits, found: Measured) -> list[str]:
    """Each limit, kept or missed, that is within half a point of VMAF or 2 % of the size: there the limit decides."""
    out = []
    for name, words in FLOORS:
        floor, value = getattr(limits, name), getattr(found, name)
        if floor is not None and value is not None and abs(value - floor) <= NEAR_VMAF:
            out.append(f"{words} {value:.1f}, floor {floor:g}")
    ceiling, size = limits.megabytes_per_minute, found.megabytes_per_minute
    if ceiling is not None and size is not None and abs(size / ceiling - 1) <= NEAR_SHARE:
        out.append(f"{size:.1f} MB a minute, ceiling {ceiling:g}")
    return out


def megabytes_per_minute(size_bytes: int, duration_s: float) -> float:
    """Size of an output in 10^6 bytes for each minute of programme."""
    return size_bytes / 1e6 / (duration_s / 60)
