"""Times as builds read them."""

from fractions import Fraction


def seconds_text(value: Fraction) -> str:
    """Seconds cut to the microsecond, as the builds read them.

    Cut, not rounded: a build rounds a seek time to the stream's own ticks, and a time a fraction of
    a microsecond late could miss its picture.
    """
    micros = int(value * 1_000_000)
    return f"{micros // 1_000_000}.{micros % 1_000_000:06d}"
