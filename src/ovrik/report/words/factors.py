"""What a level of a factor brings, in a sentence."""

from ovrik.analysis.choice.factor_effects import EffectSpan, FactorEffect, LevelEffect
from ovrik.analysis.times.ratio import Ratio
from ovrik.report.words.phrases import listed
from ovrik.study.contender.contender import NOT_SET
from ovrik.work.answers.factors import Factors


def effect_words(of: Factors, f: FactorEffect, x: LevelEffect) -> str:
    """ "9.0.2 takes 7 % less time than 5.1 (4 to 10 %) at every preset but ultrafast (3 % more)."""
    name = of.titles.get(x.other, "").lower()
    if x.mixed:
        ranked = sorted(x.groups, key=lambda g: -g.ratio.value)
        first, last = (f"{_percent(_saved(g.ratio))} at {g.level}" for g in (ranked[0], ranked[-1]))
        return f"{x.level} against {x.base} depends on {name}: from {first} to {last}."
    where = f" over {x.pairs} pair{'s' * (x.pairs != 1)}"
    if x.exceptions:
        some = listed([f"{g.level} ({_short(g.ratio, g.answer)})" for g in x.exceptions])
        where = f" at every {name} but {some}"
    if x.answer == "unsure":
        return f"{x.level} can't be told from {x.base}{_span(x.ratio, x.answer)}{where}."
    if x.answer == "tie":
        return f"{x.level} takes as long as {x.base}{_span(x.ratio, x.answer)}{where}."
    return f"{x.level} takes {_percent(_saved(x.ratio))} than {x.base}{_span(x.ratio, x.answer)}{where}."


def _saved(ratio: Ratio) -> float:
    """Time saved, in per cent."""
    return 100 * (1 - 1 / ratio.value)


def _short(ratio: Ratio, answer: str) -> str:
    if answer == "tie":
        return "as long"
    return _percent(_saved(ratio)).removesuffix(" time") + (", if anything" if answer == "unsure" else "")


def _percent(share: float) -> str:
    digits = 1 if abs(share) < 9.95 else 0
    return f"{abs(share):.{digits}f} % {'less' if share > 0 else 'more'} time"


def _span(ratio: Ratio, answer: str) -> str:
    """The interval of the time saved."""
    if ratio.low is None or ratio.high is None:
        return ""
    ends = sorted(100 * (1 - 1 / v) for v in (ratio.low, ratio.high))
    if answer in ("tie", "unsure") or ends[0] * ends[1] < 0:
        worse, better = -ends[0], ends[1]
        return f" ({_bare(worse)} % more to {_bare(better)} % less)" if worse > 0 else ""
    low, high = sorted(abs(v) for v in ends)
    return f" ({_bare(low)} to {_bare(high)} %)"


def _bare(value: float) -> str:
    return f"{value:.1f}" if abs(value) < 9.95 else f"{value:.0f}"


def size_effect(s: EffectSpan | None) -> str:
    """ "12 % smaller (10 to 14 %)"; of few pairs with how far they lie apart."""
    if s is None:
        return "–"
    share = 100 * (s.mean - 1)
    if abs(share) < 0.05:
        return "same size"
    low, high = (s.low, s.high) if s.low is not None and s.high is not None else (s.least, s.most)
    ends = sorted(100 * (v - 1) for v in (low, high))
    way = "smaller" if share < 0 else "larger"
    if ends[0] * ends[1] < 0:
        return f"{_bare(abs(share))} % {way} ({ends[0]:+.0f} to {ends[1]:+.0f} %)".replace("-", "−")
    least, most = sorted(abs(v) for v in ends)
    return f"{_bare(abs(share))} % {way}" + (
        "" if most - least < 0.05 else f" ({_bare(least)} to {_bare(most)} %)"
    )


def quality_effect(s: EffectSpan | None, digits: int) -> str:
    """ "+1.2 (+0.9 to +1.5)"."""
    if s is None:
        return "–"
    low, high = (s.low, s.high) if s.low is not None and s.high is not None else (s.least, s.most)
    said = f"{s.mean:+.{digits}f}"
    if high - low >= 0.5 * 10.0**-digits:
        said += f" ({low:+.{digits}f} to {high:+.{digits}f})"
    return said.replace("-", "−")


def alone_words(f: FactorEffect) -> str:
    """Levels of which nothing can be said, or ""."""
    alone = [level for level in f.alone if level != NOT_SET]
    if not alone:
        return ""
    verb = "never varies" if len(alone) == 1 else "never vary"
    return f"{listed(alone)} {verb} alone: no two contenders differ in nothing else."
