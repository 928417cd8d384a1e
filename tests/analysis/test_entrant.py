"""Who comes first."""

from dataclasses import replace

import pytest

from ovrik.analysis.choice.entrant import Entrant, Measured, Wanting, first_of, judge, near
from ovrik.study.facts.reason import Against
from ovrik.study.question.limits import limits


def entrant(contender_id: int, cost: float | None, size: int | None) -> Entrant:
    return Entrant(contender_id, row=contender_id, usual_s=cost, cost_s=cost, bytes=size)


@pytest.mark.parametrize(
    ("ones", "first"),
    [
        ([(1, 2.0, 10), (2, 1.99, 99)], 2),  # however small the gain
        ([(1, 2.0, 10), (2, 2.0 * (1 + 1e-14), 9)], 2),  # equal but for how they were added up
        ([(1, 2.0, None), (2, 2.0, 99)], 2),  # an unknown size last
        ([(2, 2.0, 9), (1, 2.0, 9)], 1),
        ([(1, None, 1), (2, 5.0, None)], 2),
    ],
)
def test_cost_then_size_then_who_was_there_first(
    ones: list[tuple[int, float | None, int | None]], first: int
) -> None:
    found = first_of(entrant(*one) for one in ones)
    assert found is not None
    assert found.contender_id == first


def test_of_none_there_is_none() -> None:
    assert first_of([entrant(1, None, 3)]) is None


def test_what_was_not_checked_is_not_acceptable() -> None:
    """Whatever is known of it, and though nothing else is asked for."""
    known = entrant(1, 2.0, 10)
    assert judge(known, limits()).acceptable
    unchecked = judge(replace(known, checked=False), limits())
    assert not unchecked.acceptable
    assert unchecked.wanting == (Wanting.CHECK,)
    assert not unchecked.reasons


@pytest.mark.parametrize(("value", "acceptable"), [(93.0, True), (92.9, False), (None, False)])
def test_what_is_not_known_is_not_within(value: float | None, acceptable: bool) -> None:
    measured = Measured({} if value is None else {"vmaf_mean": value})
    assert (
        judge(replace(entrant(1, 2.0, 10), measured=measured), limits(vmaf_mean=93)).acceptable is acceptable
    )


@pytest.mark.parametrize(
    ("asked", "held", "against", "wanting"),
    [
        (True, True, (), ()),
        (True, False, (Against.NOT_PLAYED,), ()),
        (True, None, (), (Wanting.PLAYBACK,)),
        (False, False, (), ()),
        (False, None, (), ()),
    ],
)
def test_what_is_asked_beside_numbers_is_held_missed_or_open(
    asked: bool, held: bool | None, against: tuple[Against, ...], wanting: tuple[str, ...]
) -> None:
    found = judge(replace(entrant(1, 2.0, 10), measured=Measured({}, plays=held)), limits(plays=asked))
    assert tuple(r.kind for r in found.reasons) == against
    assert found.wanting == wanting
    assert not found.movable


@pytest.mark.parametrize(
    ("key", "bound", "value", "close"),
    [
        ("vmaf_mean", 93.0, 93.4, True),  # half a step of 1
        ("vmaf_mean", 93.0, 92.4, False),
        ("megabytes_per_minute", 100.0, 98.5, True),  # 2 %
        ("megabytes_per_minute", 100.0, 97.5, False),
    ],
)
def test_near_is_half_a_step_of_quality_or_two_percent(
    key: str, bound: float, value: float, close: bool
) -> None:
    assert bool(near(limits(**{key: bound}), Measured({key: value}))) is close
