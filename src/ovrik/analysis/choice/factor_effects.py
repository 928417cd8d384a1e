"""What each level of a factor brings: from pairs that differ in nothing else, and where it is not the same
everywhere.

A level is compared with a base level over all pairs of cells that differ in this factor alone; the effect is the mean
of their log time ratios, whatever else varies from pair to pair. Whether it is the same everywhere is asked of each
other factor in turn: the pairs at one of its levels against the pairs at all others.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ovrik.analysis.special import student_quantile
from ovrik.analysis.times.bounded import ratio_of
from ovrik.analysis.times.cells import Cells
from ovrik.analysis.times.ratio import ALPHA, Ratio, answer

FEWEST_FOR_SPAN = 3
"""From so many pairs on the spread among them gives an interval of size or quality."""

Levels = Sequence[Mapping[str, str]]
"""Of each cell, the level of every factor."""


@dataclass(frozen=True)
class EffectSpan:
    """What a level brings in size (a ratio) or quality (a difference), over all pairs. Fields: `mean`, geometric of
    ratios; `low`, `high`, the 95 % interval by the spread among the pairs, None with fewer than three of them;
    `least`, `most` of any pair."""

    mean: float
    low: float | None
    high: float | None
    least: float
    most: float


@dataclass(frozen=True)
class GroupEffect:
    """The effect where another factor has one of its levels. Fields: `level`; `ratio`; `answer`; `pairs`; `apart`,
    whether it is shown to be another one there than elsewhere."""

    level: str
    ratio: Ratio
    answer: str
    pairs: int
    apart: bool


@dataclass(frozen=True)
class LevelEffect:
    """A level against the base. Fields: `level`; `base`; `pairs`; `ratio`, T of the base / T of the level, but for
    where it is another one, with an interval that holds for all levels of all factors together; `answer` from it,
    as `ratio.answer` gives it; `size`, bytes of the level / bytes of the base, and `quality`, the level's less the
    base's, None where unknown; `other`, the factor with which it is not the same everywhere, or ""; `groups` by that
    factor's levels."""

    level: str
    base: str
    pairs: int
    ratio: Ratio
    answer: str
    size: EffectSpan | None
    quality: EffectSpan | None
    other: str = ""
    groups: tuple[GroupEffect, ...] = ()

    @property
    def mixed(self) -> bool:
        """Whether it is another one at each of that factor's levels, so that the mean says little."""
        return bool(self.groups) and all(g.apart for g in self.groups)

    @property
    def exceptions(self) -> tuple[GroupEffect, ...]:
        """Where it is another one."""
        return tuple(g for g in self.groups if g.apart)


@dataclass(frozen=True)
class FactorEffect:
    """Fields: `key`; `base`, the level the others are compared with; `levels`, the others that have pairs; `alone`,
    levels that never vary alone, so that nothing can be said of them."""

    key: str
    base: str
    levels: tuple[LevelEffect, ...]
    alone: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class _Question:
    """One level against the base. Fields: `pairs`, shape (p, 2): cells of the base and of the level."""

    key: str
    base: str
    level: str
    pairs: np.ndarray


def factor_effects(
    levels: Levels,
    cells: Cells,
    base: Mapping[str, str],
    band: float,
    sizes: np.ndarray | None = None,
    qualities: np.ndarray | None = None,
    alpha: float = ALPHA,
) -> list[FactorEffect]:
    """Every factor that has more than one level. `base` names the levels that others are compared with; `sizes`,
    `qualities`, shape (n,), NaN unknown."""
    timed = [int(n) for n in np.flatnonzero(~np.isnan(cells.logs))]
    keys = [k for k in (levels[0] if len(levels) else ()) if len({levels[n][k] for n in timed}) > 1]
    asked = {key: _questions(key, levels, timed, base.get(key, "")) for key in keys}
    count = sum(len(questions) for questions, _alone, _base in asked.values())
    nothing = np.full(len(levels), np.nan)
    of = _Effects(levels=levels, cells=cells, keys=keys, band=band, alpha=alpha, count=count)
    return [
        FactorEffect(
            key,
            chosen,
            tuple(
                of.level(q, nothing if sizes is None else sizes, nothing if qualities is None else qualities)
                for q in questions
            ),
            alone,
        )
        for key, (questions, alone, chosen) in asked.items()
    ]


def _questions(
    key: str, levels: Levels, timed: Sequence[int], wanted: str
) -> tuple[list[_Question], tuple[str, ...], str]:
    """Each level with its pairs; levels without any; the base: the one that is wanted, if it has pairs."""
    there: dict[tuple[tuple[str, str], ...], dict[str, int]] = {}
    for n in timed:
        rest = tuple((k, v) for k, v in levels[n].items() if k != key)
        there.setdefault(rest, {})[levels[n][key]] = n
    names = list(dict.fromkeys(levels[n][key] for n in timed))

    def pairs(one: str, other: str) -> list[tuple[int, int]]:
        return [(at[one], at[other]) for at in there.values() if one in at and other in at]

    def reached(name: str) -> int:
        return sum(len(pairs(name, other)) for other in names if other != name)

    base = wanted if wanted in names and reached(wanted) else max(names, key=reached)
    found = {name: pairs(base, name) for name in names if name != base}
    made = [_Question(key, base, name, np.array(p)) for name, p in found.items() if p]
    return made, tuple(name for name, p in found.items() if not p), base


@dataclass(frozen=True, eq=False)
class _Effects:
    levels: Levels
    cells: Cells
    keys: list[str]
    band: float
    alpha: float
    count: int

    def level(self, q: _Question, sizes: np.ndarray, qualities: np.ndarray) -> LevelEffect:
        other, apart = self._not_everywhere(q)
        kept = np.array([self._at(q, n, other) not in apart for n in range(len(q.pairs))])
        kept |= not kept.any()
        ratio = self._ratio(q.pairs[kept], self.count)
        groups = self._groups(q, other, apart) if other else ()
        logs = np.log(sizes[q.pairs[:, 1]] / sizes[q.pairs[:, 0]])
        gained = qualities[q.pairs[:, 1]] - qualities[q.pairs[:, 0]]
        size = _span(logs, self.alpha)
        return LevelEffect(
            level=q.level,
            base=q.base,
            pairs=len(q.pairs),
            ratio=ratio,
            answer=answer(ratio, self.band),
            size=_exp(size) if size else None,
            quality=_span(gained, self.alpha),
            other=other,
            groups=groups,
        )

    def _ratio(self, pairs: np.ndarray, together: int) -> Ratio:
        value, error, freedom = self.cells.contrast(self._weights(pairs))
        half = float(student_quantile(freedom, 1 - self.alpha / (2 * max(together, 1)))) * error
        return Ratio(float(np.exp(value)), ratio_of(value - half), ratio_of(value + half), len(pairs))

    def _weights(self, pairs: np.ndarray) -> np.ndarray:
        weights = np.zeros(len(self.cells.logs))
        np.add.at(weights, pairs[:, 0], 1 / len(pairs))
        np.add.at(weights, pairs[:, 1], -1 / len(pairs))
        return weights

    def _at(self, q: _Question, pair: int, other: str) -> str:
        return self.levels[q.pairs[pair, 0]][other] if other else ""

    def _groups(self, q: _Question, other: str, apart: Sequence[str]) -> tuple[GroupEffect, ...]:
        at = np.array([self._at(q, n, other) for n in range(len(q.pairs))])
        names = list(dict.fromkeys(at))
        out = []
        for name in names:
            ratio = self._ratio(q.pairs[at == name], self.count * len(names))
            out.append(
                GroupEffect(name, ratio, answer(ratio, self.band), int((at == name).sum()), name in apart)
            )
        return tuple(out)

    def _not_everywhere(self, q: _Question) -> tuple[str, tuple[str, ...]]:
        """The other factor by whose levels the effect differs most surely, and at which of them it is another one
        than at the rest; ("", ()) where it is shown for none."""
        tried = [
            k for k in self.keys if k != q.key and len({self._at(q, n, k) for n in range(len(q.pairs))}) > 1
        ]
        questions = sum(len({self._at(q, n, k) for n in range(len(q.pairs))}) for k in tried)
        best: tuple[float, str, tuple[str, ...]] = (0.0, "", ())
        for key in tried:
            at = np.array([self._at(q, n, key) for n in range(len(q.pairs))])
            left, found, surest = list(dict.fromkeys(at)), list[str](), 0.0
            while len(left) > 1:
                name, sure = self._most_apart(q, at, left, questions * max(self.count, 1))
                if not name:
                    break
                left.remove(name)
                found.append(name)
                surest = max(surest, sure)
            # Where no more than half are alike there is no rule that the others would be exceptions to.
            if found and len(left) <= len(found):
                found = list(dict.fromkeys(at))
            if surest > best[0]:
                best = (surest, key, tuple(found))
        return best[1], best[2]

    def _most_apart(self, q: _Question, at: np.ndarray, left: list[str], together: int) -> tuple[str, float]:
        """The level whose pairs differ most surely from those at the other levels that are left, and how many times
        its bound that is; "" for none."""
        best, sure = "", 1.0
        for name in left:
            here = q.pairs[at == name]
            rest = q.pairs[np.isin(at, [n for n in left if n != name])]
            value, error, freedom = self.cells.contrast(self._weights(here) - self._weights(rest))
            bound = float(student_quantile(freedom, 1 - self.alpha / (2 * together))) * error
            # A difference within the band is none that anybody would act on.
            bound = max(bound, float(np.log1p(self.band)))
            if abs(value) / bound > sure:
                best, sure = name, abs(value) / bound
        return best, sure


def _span(values: np.ndarray, alpha: float) -> EffectSpan | None:
    known = values[np.isfinite(values)]
    if not len(known):
        return None
    mean, low, high = float(known.mean()), None, None
    if len(known) >= FEWEST_FOR_SPAN:
        half = (
            float(student_quantile(len(known) - 1, 1 - alpha / 2))
            * float(known.std(ddof=1))
            / len(known) ** 0.5
        )
        low, high = mean - half, mean + half
    return EffectSpan(mean, low, high, float(known.min()), float(known.max()))


def _exp(s: EffectSpan) -> EffectSpan:
    low, high = (None if v is None else ratio_of(v) for v in (s.low, s.high))
    return EffectSpan(float(np.exp(s.mean)), low, high, float(np.exp(s.least)), float(np.exp(s.most)))
