"""What holds of every verdict, whatever the numbers: tried on line-ups made up by Hypothesis."""

import itertools

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ovrik.analysis.choice.best import pair
from ovrik.analysis.choice.changes import chosen, limit_changes
from ovrik.analysis.choice.entrant import Entrant, Measured, judge
from ovrik.analysis.choice.verdict import Verdict, decide
from ovrik.analysis.choice.whole_cost import whole_costs
from ovrik.analysis.times.joint import Joint, Times, joint
from ovrik.analysis.times.noise import Prior
from ovrik.analysis.times.ratio import Ratio, answer
from ovrik.study.facts.reason import Against, Reason
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.study.question.limits import Limits, limits

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


def entrant(one: One, row: int, usual: float | None) -> Entrant:
    """Its id is its name's number, wherever it stands in the line-up."""
    return Entrant(
        contender_id=int(one[0][1:]),
        row=row,
        usual_s=usual,
        cost_s=usual,
        bytes=int(one[3] * 1e5),
        measured=Measured({"vmaf_mean": one[2], "megabytes_per_minute": one[3]}),
        faults=() if one[4] else (Reason(Against.CHECKS, "its audio is missing"),),
    )


def kept(one: One, bound: Limits) -> bool:
    return judge(entrant(one, 0, None), bound).acceptable


def said(ones: list[One], bound: Limits, looks: int = 0) -> tuple[Verdict, Joint]:
    found = joint([Times(tuple(range(1, len(o[1]) + 1)), tuple(o[1])) for o in ones], Prior(0.03, 3.0))
    entrants = [entrant(one, row, float(np.exp(found.logs[row]))) for row, one in enumerate(ones)]
    judged = {e.contender_id: judge(e, bound) for e in entrants}
    return decide(entrants, judged, found, 0.02, looks), found


def usual(ones: list[One], found: Joint, contender_id: int) -> float:
    return float(np.exp(found.logs[[o[0] for o in ones].index(f"c{contender_id}")]))


@settings(max_examples=150, deadline=None)
@given(line_ups(), asked)
def test_what_is_dominated_never_wins(ones: list[One], bound: Limits) -> None:
    """Whoever is slower, softer and larger than another acceptable one is not the choice."""
    verdict, found = said(ones, bound)
    if verdict.choice is None:
        return
    assert kept(next(o for o in ones if o[0] == f"c{verdict.choice}"), bound)
    for other in ones:
        if kept(other, bound):
            assert usual(ones, found, int(other[0][1:])) >= usual(ones, found, verdict.choice) * (1 - 1e-8)


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
    if before.choice is not None:
        assert after.choice is not None
        assert usual(ones, found, after.choice) <= usual(ones, found, before.choice) * (1 + 1e-8)


@settings(max_examples=100, deadline=None)
@given(line_ups(), asked, st.randoms())
def test_no_answer_depends_on_the_order_of_the_line_up(
    ones: list[One], bound: Limits, chance: object
) -> None:
    other = list(ones)
    chance.shuffle(other)  # type: ignore[attr-defined]
    here, there = said(ones, bound)[0], said(other, bound)[0]
    assert here.choice == there.choice
    assert (here.outcome, here.decided, here.nearest) == (there.outcome, there.decided, there.nearest)
    assert [f.contender_id for f in here.faster] == [f.contender_id for f in there.faster]
    assert {i: p.answer for i, p in here.places.items()} == {i: p.answer for i, p in there.places.items()}


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
    longer = whole_costs(found, np.array(added[: len(ones)]), ())
    np.testing.assert_allclose(np.exp(longer.logs), np.exp(found.logs) + added[: len(ones)])
    assert np.all(np.diag(longer.cover) <= np.diag(found.cover) * (1 + 1e-9))


candidates = st.lists(
    st.builds(
        lambda n, t, q, s, out: Entrant(
            contender_id=n,
            row=0,
            usual_s=round(t, 2),
            cost_s=round(t, 2),
            measured=Measured({"vmaf_mean": round(q, 2), "megabytes_per_minute": round(s, 1)}),
            faults=(Reason(Against.CHECKS, "wrong"),) if out else (),
        ),
        st.integers(1, 10**6),
        st.floats(1, 50),
        st.floats(60, 100),
        st.floats(1, 90),
        st.sampled_from([False, False, False, True]),
    ),
    min_size=1,
    max_size=8,
    unique_by=lambda e: e.contender_id,
)


def test_two_come_in_where_a_limit_is_rounded() -> None:
    """98.06 and 98.00 both pass at 98.0: the one that is chosen there is named."""
    found = [
        Entrant(n, 0, cost, cost, measured=Measured({"vmaf_mean": vmaf}))
        for n, cost, vmaf in ((2, 2.0, 99.0), (3, 1.0, 98.0), (4, 1.0, 98.06))
    ]
    [loosened] = [c for c in limit_changes(found, limits(vmaf_mean=99.0)) if not c.gone]
    assert (loosened.to, loosened.choice) == (98.0, 3)


@settings(max_examples=200, deadline=None)
@given(candidates, st.floats(60, 99), st.floats(2, 90))
def test_a_change_that_is_named_is_one_and_the_first(found: list[Entrant], vmaf: float, size: float) -> None:
    """At the place that is named the choice is the one that is named; halfway there it is still the present one."""
    bound = limits(vmaf_mean=round(vmaf, 1), megabytes_per_minute=round(size, 1))
    now = chosen(found, bound)
    changes = limit_changes(found, bound)
    if now is None:
        assert changes == []
        return
    for change in changes:
        key, tick = change.kind.key, 10.0**-change.kind.digits
        at = bound.get(key)
        assert at is not None
        there = chosen(found, bound.having(key, change.to))
        assert (there.contender_id if there else None) == change.choice
        assert change.choice != now.contender_id
        back = change.to - tick if change.to > at else change.to + tick
        if abs(change.to - at) > 1.5 * tick:
            before = chosen(found, bound.having(key, round(back, change.kind.digits)))
            assert before is not None
            assert before.contender_id == now.contender_id
