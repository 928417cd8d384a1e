"""Times in words."""

from ovrik.analysis.time_left import TimeLeft


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
