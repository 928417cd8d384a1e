"""The search for the setting that just meets a floor, on curves that are known."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ovrik.analysis.scores.search import MOST_ENCODES, Aim, SearchScale, next_step

CRF, FINE, UP = SearchScale(0, 63, 1), SearchScale(0, 51, 0.1), SearchScale(1, 100, 1, best_low=False)


def searched(quality, scale: SearchScale, aim: Aim, first: float, known: dict[float, float] | None = None):  # type: ignore[no-untyped-def]
    points = dict(known or {})
    for _try in range(20):
        step = next_step(points, scale, aim, first)
        if step.setting is None:
            return points, step
        assert step.setting not in points, "nothing is tried twice"
        assert scale.low <= step.setting <= scale.high
        points[step.setting] = quality(step.setting)
    raise AssertionError("it never ends")


def vmaf(crf: float, knee: float = 30.0, width: float = 9.0) -> float:
    return 100 / (1 + math.exp((crf - knee - 18) / width))


@pytest.mark.parametrize("floor", [80.0, 88.0, 93.0, 96.0])
@pytest.mark.parametrize("knee", [18.0, 26.0, 34.0])
def test_it_finds_the_last_setting_that_meets_the_floor(floor: float, knee: float) -> None:
    points, step = searched(lambda s: vmaf(s, knee), FINE, Aim(floor, 0.5, 100.0), 23)
    assert len(points) <= 10
    assert step.found is not None
    assert points[step.found] >= floor > vmaf(round(step.found + 0.1, 1), knee)


@given(
    st.floats(70, 97), st.floats(10, 40), st.floats(4, 14), st.floats(1, 50), st.sampled_from([0.1, 0.5, 1.0])
)
@settings(max_examples=300, deadline=None)
def test_what_is_found_meets_the_floor_and_the_next_setting_does_not(
    floor: float, knee: float, width: float, first: float, step: float
) -> None:
    """Or the encodes have run out, with the bracket never lost."""
    scale, aim = SearchScale(0, 51, step), Aim(floor, 0.5, 100.0)
    quality = lambda s: vmaf(s, knee, width)  # noqa: E731
    points, last = searched(quality, scale, aim, scale.setting(scale.on_grid(first)))
    assert len(points) <= MOST_ENCODES
    if last.found is None:
        assert all(q < floor for q in points.values())
        assert quality(0) < floor or len(points) == MOST_ENCODES
        return
    assert points[last.found] >= floor
    assert all(q < floor for s, q in points.items() if s > last.found)
    edge = last.found + step > 51 or quality(last.found + step) < floor
    assert edge or len(points) == MOST_ENCODES


@pytest.mark.parametrize(("wobble", "least"), [(0.02, 0.99), (0.1, 0.95), (0.2, 0.9)])
def test_where_quality_wobbles_from_step_to_step_it_is_still_the_last(wobble: float, least: float) -> None:
    """As trying every setting there is would have it."""
    random, right = np.random.default_rng(), list[bool]()
    grid = [round(n / 10, 1) for n in range(511)]
    for _try in range(300):
        floor, knee, width = random.uniform(75, 96), random.uniform(18, 40), random.uniform(4, 14)
        curve = {s: vmaf(s, knee, width) + random.normal(0, wobble) for s in grid}
        last = max((s for s in grid if curve[s] >= floor), default=None)
        first = round(float(random.uniform(15, 35)), 1)
        points, step = searched(curve.__getitem__, FINE, Aim(float(floor), 0.5, 100.0), first)
        assert len(points) <= MOST_ENCODES
        right.append(step.found == last)
    assert np.mean(right) >= least


def test_a_setting_beyond_the_first_that_fails_is_tried_where_a_wobble_could_lift_it() -> None:
    points = {30.0: 93.4, 30.1: 93.1, 30.2: 92.98, 29.8: 93.5, 29.5: 93.8, 30.4: 92.8}
    assert next_step(points, FINE, Aim(93.0, 0.5, 100.0), 30).setting == pytest.approx(30.3)
    done = next_step({**points, 30.3: 92.9}, FINE, Aim(93.0, 0.5, 100.0), 30)
    assert (done.setting, done.found) == (None, 30.1)


def test_a_scale_on_which_more_is_better() -> None:
    points, step = searched(lambda s: 60 + 0.4 * s, UP, Aim(83.0, 0.5, 100.0), 50)
    assert step.found == 58
    assert len(points) <= MOST_ENCODES


def test_known_points_cost_nothing() -> None:
    known = {float(c): vmaf(c) for c in (20, 23, 26, 29, 32)}
    points, step = searched(vmaf, FINE, Aim(93.0, 0.5, 100.0), 23, known)
    assert len(points) - len(known) <= 4
    assert step.found is not None
    assert points[step.found] >= 93 > vmaf(round(step.found + 0.1, 1))


def test_the_ends_are_said() -> None:
    points, step = searched(lambda s: 50.0 - s, CRF, Aim(93.0, 0.5, 100.0), 30)
    assert step.found is None
    assert step.why in ("even the best setting is below the floor", f"{MOST_ENCODES} encodes were made")
    points, step = searched(lambda s: 99.0 - 0.01 * s, CRF, Aim(50.0, 0.5, 100.0), 30)
    assert step.found is not None
    assert points[step.found] >= 50


def test_a_decibel_scale_has_no_top() -> None:
    points, step = searched(lambda s: 55 - 0.55 * s, FINE, Aim(40.0, 0.5), 23)
    assert len(points) <= 8
    assert step.found == 27.2


def test_noise_in_the_curve_does_not_lose_the_bracket() -> None:
    random = np.random.default_rng(2)
    for _curve in range(50):
        wobble = {round(s, 1): float(random.normal(0, 0.2)) for s in np.arange(0, 51.05, 0.1)}
        points, step = searched(lambda s, w=wobble: vmaf(s) + w[round(s, 1)], FINE, Aim(92.0, 0.5, 100.0), 30)  # type: ignore[misc]
        assert step.found is not None
        assert points[step.found] >= 92
        assert len(points) <= MOST_ENCODES


@given(st.lists(st.sampled_from((80.0, 90.0, 92.5, 95.0)), min_size=2, max_size=5), st.integers(0, 40))
def test_settings_that_look_alike_end_no_search(seen: list[float], first: int) -> None:
    """An encoder may give the same quality at several settings: what comes next is another one, on the scale."""
    known = {float(first + 4 * n): quality for n, quality in enumerate(sorted(seen, reverse=True))}
    step = next_step(known, CRF, Aim(93.0, 0.5, 100.0), 30)
    if step.setting is not None:
        assert step.setting not in known
        assert CRF.low <= step.setting <= CRF.high


@pytest.mark.parametrize(
    ("quality", "begins", "then"),
    [
        (93.6, 30, 31),  # a little above what is near enough: one step of the setting
        (92.8, 30, 29),  # just below
        (94.0, 30, 32),  # two widths above: two steps
        (98.0, 30, 36),  # far above: six at the most
        (70.0, 30, 24),
    ],
)
def test_the_second_encode_is_as_far_off_as_the_first_missed(
    quality: float, begins: float, then: float
) -> None:
    step = next_step({begins: quality}, CRF, Aim(93.0, 0.5, 100.0), begins)
    assert step.setting == then


def test_near_its_top_quality_is_straightened() -> None:
    """What is lost doubles with every six steps of a setting: a line, or nearly one."""
    aim = Aim(93.0, 0.5, 100.0)
    steps = -np.diff([aim.straight(100 - lost) for lost in (1, 2, 4, 8, 16, 32)])
    assert steps.max() / steps.min() < 1.5
    assert Aim(40.0, 0.5).straight(38.0) == 38.0, "decibels have no top"
    assert math.isfinite(aim.straight(101.0))


@pytest.mark.parametrize(
    ("points", "found", "why"),
    [
        ({30: 93.6, 31: 92.0}, 30, "the settings after it fall below the floor"),
        ({40: 97.0, 63: 95.0}, 63, "even the last setting meets the floor"),
        ({0: 91.0, 20: 80.0}, None, "even the best setting is below the floor"),
    ],
)
def test_why_it_is_over(points: dict[float, float], found: float | None, why: str) -> None:
    step = next_step(points, CRF, Aim(93.0, 0.5, 100.0), 23)
    assert (step.setting, step.found, step.why) == (None, found, why)


def test_when_the_encodes_have_run_out_it_says_so() -> None:
    points = {10: 99.0, 20: 98.5, 25: 98, 40: 70.0, 38: 72.0, 36: 75.0}
    step = next_step(points, CRF, Aim(93.0, 0.5, 100.0), 23, 6)
    assert (step.setting, step.found, step.why) == (None, 25, "6 encodes were made")
    points = {30.0: 93.4, 30.1: 93.1, 30.2: 92.98, 29.8: 93.5}
    step = next_step(points, FINE, Aim(93.0, 0.5, 100.0), 23, 4)
    assert (step.setting, step.found) == (None, 30.1)
    assert step.why == "the next setting falls below the floor, and 4 encodes were made"
