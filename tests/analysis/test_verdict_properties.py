"""What holds of every verdict, whatever the numbers: tried on line-ups made up by Hypothesis."""

import itertools

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ovrik.analysis.acceptance import Measured, judge, misses, standings
from ovrik.analysis.best import pair
from ovrik.analysis.changes import Candidate, fastest, limit_changes
from ovrik.analysis.delivered import with_upload
from ovrik.analysis.joint import Joint, Times, joint
from ovrik.analysis.noise import Prior
from ovrik.analysis.ratio import Ratio, answer
from ovrik.analysis.verdict import Entrant, Verdict, decide
from ovrik.study.limit_kinds import LIMIT_KINDS
from ovrik.study.limits import Limits, limits

One = tuple[str, list[float], float, float, bool]
"""Label, times, VMAF, MB a minute, whether it conforms."""

seconds = st.floats(0.5, 60.0, allow_nan=False).map(lambda v: round(v, 2))


@st.composite
def line_ups(draw: st.DrawFn, least: int = 1) -> list[One]:
    count, rounds = draw(st.integers(least, 7)), draw(st.integers(1, 4))
    return [
        (
            f"c{n}",
            draw(st.lists(seconds, min_size=rounds, max_size=rounds)),
            draw(st.sampled_from([80.0, 90.0, 92.5, 93.0, 95.0, 99.0])),
            draw(st.sampled_from([5.0, 20.0, 59.9, 60.0, 80.0])),
            draw(st.sampled_from([True, True, True, False])),
        )
        for n in range(count)
    ]


asked = st.builds(
    lambda vmaf, size: limits(vmaf_mean=vmaf, megabytes_per_minute=size),
    st.sampled_from([None, 85.0, 92.5, 93.0, 97.0]),
    st.sampled_from([None, 10.0, 60.0, 70.0]),
)


def measured(one: One) -> Measured:
    return Measured({"vmaf_mean": one[2], "megabytes_per_minute": one[3]})


def said(ones: list[One], bound: Limits, looks: int = 0) -> tuple[Verdict, Joint]:
    found = joint([Times(tuple(range(1, len(o[1]) + 1)), tuple(o[1])) for o in ones], Prior(0.03, 3.0))
    entrants = []
    for row, one in enumerate(ones):
        reasons = (*(() if one[4] else ("its audio is missing",)), *misses(bound, measured(one)))
        missed = tuple(s for s in standings(bound, measured(one)) if s.missed)
        usual = float(np.exp(found.logs[row]))
        entrants.append(
            Entrant(
                one[0],
                row,
                usual,
                reasons,
                not judge(bound, measured(one)).wanting,
                missed,
                int(one[3] * 1e5),
            )
        )
    return decide(entrants, found, 0.02, looks), found


def usual(ones: list[One], found: Joint, label: str) -> float:
    return float(np.exp(found.logs[[o[0] for o in ones].index(label)]))


@settings(max_examples=150, deadline=None)
@given(line_ups(), asked)
def test_what_is_dominated_never_wins(ones: list[One], bound: Limits) -> None:
    """Whoever is slower, softer and larger than another acceptable one is not the choice."""
    verdict, found = said(ones, bound)
    if not verdict.labels:
        return
    chosen = next(o for o in ones if o[0] == verdict.labels[0])
    assert chosen[4]
    assert not misses(bound, measured(chosen))
    for other in ones:
        if other[4] and not misses(bound, measured(other)):
            assert usual(ones, found, other[0]) >= usual(ones, found, chosen[0]) * (1 - 1e-8)


@settings(max_examples=150, deadline=None)
@given(line_ups(), asked, st.sampled_from(["vmaf_mean", "megabytes_per_minute"]), st.floats(0.0, 30.0))
def test_loosening_a_limit_never_makes_it_slower(ones: list[One], bound: Limits, key: str, by: float) -> None:
    limit = bound.get(key)
    if limit is None:
        return
    kind = LIMIT_KINDS[key]
    looser = bound.having(key, max(kind.least, limit - by) if kind.floor else limit + by)
    before, found = said(ones, bound)
    after, _found = said(ones, looser)
    if before.labels:
        assert after.labels
        assert usual(ones, found, after.labels[0]) <= usual(ones, found, before.labels[0]) * (1 + 1e-8)


@settings(max_examples=100, deadline=None)
@given(line_ups(), asked, st.randoms())
def test_no_answer_depends_on_the_order_of_the_line_up(
    ones: list[One], bound: Limits, chance: object
) -> None:
    other = list(ones)
    chance.shuffle(other)  # type: ignore[attr-defined]
    here, there = said(ones, bound)[0], said(other, bound)[0]
    assert here.labels[:1] == there.labels[:1]
    assert (here.kind, here.decided, here.lead) == (there.kind, there.decided, there.lead)
    assert here.faster == there.faster or [f.label for f in here.faster] == [f.label for f in there.faster]
    assert {a: s for a, s, _g in here.standing} == {a: s for a, s, _g in there.standing}
    assert (here.nearest and here.nearest.label) == (there.nearest and there.nearest.label)


@settings(max_examples=100, deadline=None)
@given(line_ups(least=2), st.floats(0.0, 0.2))
def test_ties_are_symmetric(ones: list[One], band: float) -> None:
    _verdict, found = said(ones, limits())
    turned = {"faster": "slower", "slower": "faster", "tie": "tie", "unsure": "unsure"}
    for a, b in itertools.combinations(range(len(ones)), 2):
        one, other = (answer(pair(found, x, y, 3, 0), band) for x, y in ((a, b), (b, a)))
        assert other == turned[one]


def test_a_tie_is_one_from_both_sides_at_its_very_edge() -> None:
    """0.9801 lies within 2 % of 1, but 1 / 0.9801 does not: no tie either way."""
    assert answer(Ratio(0.99, 0.9801, 1.0, 5), 0.02) == answer(Ratio(1 / 0.99, 1.0, 1 / 0.9801, 5), 0.02)


@settings(max_examples=60, deadline=None)
@given(line_ups(), st.lists(st.floats(0.0, 50.0), min_size=7, max_size=7))
def test_what_is_added_to_all_times_only_narrows_what_they_say(ones: list[One], added: list[float]) -> None:
    _verdict, found = said(ones, limits())
    longer = with_upload(found, np.array(added[: len(ones)]))
    np.testing.assert_allclose(np.exp(longer.logs), np.exp(found.logs) + added[: len(ones)])
    assert np.all(np.diag(longer.cover) <= np.diag(found.cover) * (1 + 1e-9))


candidates = st.lists(
    st.builds(
        lambda n, t, q, s, out: Candidate(
            f"c{n}", round(t, 2), {"vmaf_mean": round(q, 2), "megabytes_per_minute": round(s, 1)}, out
        ),
        st.integers(0, 10**6),
        st.floats(1, 50),
        st.floats(60, 100),
        st.floats(1, 90),
        st.sampled_from([False, False, False, True]),
    ),
    min_size=1,
    max_size=8,
    unique_by=lambda c: c.label,
)


@settings(max_examples=200, deadline=None)
@given(candidates, st.floats(60, 99), st.floats(2, 90))
def test_a_change_that_is_named_is_one_and_the_first(
    found: list[Candidate], vmaf: float, size: float
) -> None:
    """At the place that is named the choice is the one that is named; halfway there it is still the present one."""
    bound = {"vmaf_mean": round(vmaf, 1), "megabytes_per_minute": round(size, 1)}
    now = fastest(found, bound)
    changes = limit_changes(found, bound)
    if now is None:
        assert changes == []
        return
    for change in changes:
        key, tick = change.kind.key, 10.0**-change.kind.digits
        there = fastest(found, {**bound, key: change.to})
        assert (there.label if there else "") == change.choice
        assert change.choice != now.label
        back = change.to - tick if (change.to > bound[key]) else change.to + tick
        if abs(change.to - bound[key]) > 1.5 * tick:
            before = fastest(found, {**bound, key: round(back, change.kind.digits)})
            assert before is not None
            assert before.label == now.label
