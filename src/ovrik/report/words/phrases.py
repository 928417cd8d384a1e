"""Small pieces of sentences: lists of names, shares, times."""

from collections.abc import Sequence

from ovrik.analysis.times.time_left import TimeLeft

NAMED = 4
"""So many contenders are named in a sentence; the rest are counted."""


def listed(names: Sequence[str]) -> str:
    """Names in a sentence; past a few they are counted."""
    if len(names) > NAMED + 1:
        names = [*names[:NAMED], f"{len(names) - NAMED} others"]
    if len(names) < 2:
        return "".join(names)
    return f"{', '.join(names[:-1])} and {names[-1]}"


def others(count: int) -> str:
    """ "; and 2 others", "" for none."""
    return f"; and {count} other{'s' * (count > 1)}" if count > 0 else ""


def gain_words(share: float) -> str:
    """ "1.4 %", "35 %", "×4"."""
    if share >= 9.95:
        return f"×{1 + share:.0f}"
    return f"{100 * share:.1f} %" if share < 0.0995 else f"{100 * share:.0f} %"


def seconds_words(seconds: float | None) -> str:
    """A rough time for people: "12 s", "3 min 20 s", "1 h 05 min"."""
    if seconds is None:
        return "unknown"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02d} min"


def left_words(left: TimeLeft | None) -> str:
    """ "3 min 20 s ± 12 s left"."""
    if left is None:
        return "time left not known yet"
    about = f" ± {seconds_words(left.spread)}" if left.spread >= 1 else ""
    return f"{seconds_words(left.seconds)}{about} left"


def table(rows: Sequence[Sequence[str]], left: int = 1) -> list[str]:
    """Rows as lines with aligned columns; the first `left` columns to the left, the rest to the right."""
    widths = [max(len(row[i]) for row in rows) for i in range(len(rows[0]))]
    return [
        "  ".join(
            v.ljust(w) if i < left else v.rjust(w) for i, (v, w) in enumerate(zip(row, widths, strict=True))
        ).rstrip()
        for row in rows
    ]
