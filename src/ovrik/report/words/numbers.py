"""Numbers in words, the same everywhere they are shown."""

import math

from ovrik.analysis.times.ratio import Ratio
from ovrik.report.words.phrases import seconds_words
from ovrik.report.words.reasons import close_words, decision_words, doubt_words
from ovrik.work.answers.estimate import Estimate
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary

ANSWERS = {
    "baseline": "baseline",
    "faster": "faster",
    "slower": "slower",
    "tie": "tie",
    "unsure": "can't tell yet",
}
NONE = "–"
ENOUGH_FREEDOM = 10
"""From so many degrees of freedom on a study's own runs say how much they spread."""
WIDE = 2.0
"""Past so many times the value the upper end of an interval says nothing."""


def unlike(s: Summary) -> str:
    """ "*" behind a comparison with the baseline, where more than one thing differs, "" otherwise."""
    return "*" if s.apart.warning else ""


def ratio_words(ratio: Ratio | None) -> str:
    """ "×1.52 (1.47 to 1.58)"; "×1.5, at least ×0.2" where the interval is so wide that its upper end says
    nothing."""
    if ratio is None:
        return NONE
    if ratio.low is None or ratio.high is None or ratio.pairs == 0:
        return f"×{four(ratio.value)}"
    if ratio.high > WIDE * ratio.value:
        return f"×{figures(ratio.value)}, at least ×{figures(ratio.low)}"
    return f"×{four(ratio.value)} ({four(ratio.low)} to {four(ratio.high)})"


def four(value: float) -> str:
    """Two places after the point, and four figures at the most: "1.52", "12.34", "123.4", "1234"."""
    return f"{value:.{2 if value < 99.995 else 1 if value < 999.95 else 0}f}"


def figures(value: float) -> str:
    """Two figures, in four places at most: "0.2", "1.5", "12", "0.03", "<0.01"."""
    if value < 0.01:
        return "<0.01"
    return f"{value:.2f}" if value < 0.095 else f"{value:.1f}" if value < 9.95 else f"{value:.0f}"


def saved_words(ratio: Ratio | None) -> str:
    """ "34 % less time" or "12 % more time"."""
    if ratio is None:
        return NONE
    share = 100 * ratio.saved
    if abs(share) < 0.5:
        return "same time"
    return f"{share:.0f} % less time" if share > 0 else f"{-share:.0f} % more time"


def spread_words(summary: Summary) -> str:
    """ "±4 %", with a word when it stands out, and where it is assumed: of a single run; a dash without any."""
    if summary.spread is None:
        return NONE
    words = f"±{100 * summary.spread.share:.{1 if summary.spread.share < 0.095 else 0}f} %"
    return f"{words} erratic" if summary.erratic else f"{words} assumed" if summary.spread.assumed else words


def spread_formula(summary: Summary) -> str:
    """What the spread is, and the interval of the usual time."""
    s = summary.spread
    if s is None:
        return "the spread needs a round that Ovrik timed"
    if s.assumed:
        return (
            f"assumed, by the other contenders and earlier runs: T · exp(± t · s), {s.low:.3f} to {s.high:.3f} s; "
            "its own needs two rounds"
        )
    return (
        f"s of ln T over {s.runs} rounds; by itself {s.low:.3f} to {s.high:.3f} s "
        f"(95 %: exp(mean ln T ± t · s / √{s.runs}))"
    )


def usual_words(summary: Summary) -> str:
    """What the usual time is, and the median."""
    return (
        f"T = usual time over {summary.rounds} round{'s' * (summary.rounds != 1)}, effects of rounds removed; "
        f"median {number(summary.median_s, 3)} s"
    )


def rates_words(seconds: float | None, frames: int, rate: float) -> str:
    """One time as frames per second and times real time, with the formula of each."""
    if not seconds:
        return "not timed"
    return (
        f"{frames} frames / T = {frames / seconds:.1f} fps; {frames / rate:.2f} s / T = "
        f"×{frames / rate / seconds:.2f} real time"
    )


def together_words(comparisons: int, looks: int) -> str:
    """At what level the intervals hold."""
    if comparisons < 2 and not looks:
        return "Interval: 95 %."
    paid = f", and for looking after each of up to {looks} rounds" if looks else ""
    among = f"for all {comparisons} comparisons together" if comparisons > 1 else "for the comparison"
    return f"Intervals hold at 95 % {among}{paid}."


def assumed_words(evidence: Evidence) -> str:
    """What the intervals take for the spread of runs while the study's own say little of it, and for how much a run
    resembles the one before it where that widens them; "" where there is nothing to say."""
    return " ".join(filter(None, (_assumed_spread(evidence), _alike(evidence))))


def _assumed_spread(evidence: Evidence) -> str:
    noise, conduct = evidence.times.found.noise, evidence.facts.conduct
    if not evidence.times.found.counts.any() or noise.total >= ENOUGH_FREEDOM:
        return ""
    seen = "since nothing is known of this machine yet"
    if conduct.noise_runs:
        seen = f"as {conduct.noise_runs} earlier runs on this machine showed"
    elif conduct.noise_job:
        seen = f"from a short fixed job, which spread by {100 * conduct.noise_job:.1f} % here"
    return f"Few runs so far: their spread is taken to be {100 * conduct.noise:.0f} % at first, {seen}."


def _alike(evidence: Evidence) -> str:
    found = evidence.times.found
    runs = int(found.counts.max(initial=0))
    wider = found.alike.widening(runs) ** 0.5
    if runs < 2 or wider < TELLING:
        return ""
    known = "resemble" if found.alike_shown.pairs and found.alike.correlation >= SOME else "may resemble"
    return (
        f"A contender's runs {known} the one before them (correlation {found.alike.correlation:.1f}), as where a "
        f"machine warms up or a cache fills: of {runs} runs that makes an interval {100 * (wider - 1):.0f} % wider."
    )


SOME = 0.1
TELLING = 1.15
"""By so much wider intervals are said to be."""


def near_words(evidence: Evidence) -> str:
    """Where a limit is close to deciding; "" where none is."""
    found = [
        f"{s.contender.label} ({'; '.join(map(close_words, close))})" for s, close in evidence.near_limits
    ]
    return f"Close to a limit: {', '.join(found)}." if found else ""


WORTH_ROUNDS = 20
"""More rounds than these are not offered: what takes so long to be told is not worth telling."""


def answer_words(summary: Summary) -> str:
    """The answer, with how many more rounds would settle it when it is open."""
    said = ANSWERS[summary.answer]
    if summary.answer == "unsure":
        if not summary.counted:
            return "not timed"
        if summary.more_rounds and summary.more_rounds <= WORTH_ROUNDS:
            return f"{said} (+{summary.more_rounds})"
    return said


def size_words(size: int | None) -> str:
    """Bytes in decimal units."""
    if size is None:
        return NONE
    for unit, name in ((1e9, "GB"), (1e6, "MB"), (1e3, "kB")):
        if size >= unit:
            return f"{size / unit:.2f} {name}" if size < 100 * unit else f"{size / unit:.0f} {name}"
    return f"{size} B"


SAMPLE = "~"
"""Stands before a quality that is known of a sample of frames only."""


def quality_words(value: float | None, digits: int, sampled: bool) -> str:
    """A score as it is shown, marked where it is a sample's."""
    return (SAMPLE if sampled and value is not None else "") + number(value, digits)


def number(value: float | None, digits: int = 2) -> str:
    """A number, or a dash."""
    return NONE if value is None else f"{value:.{digits}f}"


def own_time_words(s: Summary) -> str:
    """A contender's usual time in seconds; of one that Ovrik did not drive, with how far off each of its times may
    be: "4.57 ±0.02", "61 ±0.5"; of one that is not known better than between bounds, these: "4.7 to 24"."""
    if s.usual_s is None or not s.doubt_s:
        return number(s.usual_s)
    if s.bounds_s:
        return " to ".join(f"{bound:.2g}" if bound < 100 else f"{bound:.0f}" for bound in s.bounds_s)
    # A time is never shown finer than it is known.
    digits = min(2, max(0, -math.floor(math.log10(2 * s.doubt_s))))
    return f"{s.usual_s:.{digits}f} ±{s.doubt_s:.2g}"


def how_timed(s: Summary) -> str:
    """How its times were come by where Ovrik did not drive them, by the last of them."""
    return doubt_words(s.counted[-1]) if s.counted and s.doubt_s else ""


def state_words(summary: Summary) -> str:
    """Where a contender stands, in a word or two."""
    if summary.reasons:
        timed = bool(summary.counted)
        return "not acceptable" if timed else "can't run" if not summary.runs else "failed"
    if not summary.counted:
        return "not timed"
    return "acceptable" if summary.judged else "not checked"


def estimate_words(e: Estimate) -> str:
    """How long it will take, how much disk, and what is uncertain."""
    if not e.runs:
        return "Nothing is left to time."
    if e.seconds is None:
        return f"{e.runs} runs; how long they take is not known until something has been tried."
    time = f"{seconds_words(e.seconds)} ({seconds_words(e.low)} to {seconds_words(e.high)})"
    disk = f", about {size_words(e.bytes)} on the disk" if e.bytes else ""
    doubts = f" Uncertain: {e.doubts}." if e.doubts else ""
    parts = (("pre-rendering", e.once), ("rests", e.rests or 0.0))
    of_it = [f"{seconds_words(s)} of it {what}" for what, s in parts if s >= 1]
    return f"{e.runs} runs in about {time}{''.join(f', {x}' for x in of_it)}{disk}.{doubts}"


def left_out_words(s: Summary, e: Evidence) -> str:
    """Why a contender is not timed any more; "" where it is."""
    return decision_words(s.left_out, e.label(s.left_out.choice_id)) if s.left_out else ""
