"""The frames that say most, and where in them."""

import numpy as np
import pytest

from ovrik.analysis.signals.telling import APART, LOWEST, differing, moments, region

FRAMES = 100


def scores(**more: np.ndarray) -> dict[str, np.ndarray]:
    return {"vmaf": np.full(FRAMES, 96.0), **more}


def test_the_worst_frame_is_always_there_and_faults_are_named() -> None:
    found = scores()
    found["vmaf"][30] = 95.5
    assert [(m.frame, m.kind) for m in moments(found, 25)] == [(30, LOWEST)]
    found["vmaf"][70:73] = [80, 60, 82]
    found["loss_banding"] = np.zeros(FRAMES)
    found["loss_banding"][12] = 1.0
    found["loss_ringing"] = np.full(FRAMES, 0.1)  # under what is worth a look
    made = moments(found, 25)
    assert [(m.frame, m.kind) for m in made] == [(12, "loss_banding"), (71, LOWEST)]
    assert made[1].value == 60


def test_no_two_of_a_kind_are_neighbours_and_there_are_few() -> None:
    draw = np.random.default_rng(1)
    kinds = ("loss_detail", "loss_grain", "loss_blocking", "loss_banding", "loss_ringing", "loss_colour")
    found = scores(vmaf=draw.uniform(40, 80, FRAMES), **{k: draw.uniform(30, 90, FRAMES) for k in kinds})
    made = moments(found, 25)
    assert len(made) <= 7
    low = [m.frame for m in made if m.kind == LOWEST]
    assert int(found["vmaf"].argmin()) in low
    assert all(abs(a - b) >= 12 for a in low for b in low if a != b)


def test_frames_that_were_not_scored_are_none() -> None:
    found = scores(vmaf=np.full(FRAMES, np.nan))
    found["vmaf"][::8] = 90
    found["vmaf"][40] = 70
    assert 40 in [m.frame for m in moments(found, 25)]
    assert moments({"vmaf": np.full(9, np.nan)}, 25) == []
    assert moments({}, 25) == []


def test_where_two_differ_most() -> None:
    one, other = np.full(FRAMES, 90.0), np.full(FRAMES, 90.0)
    one[20], other[60], one[61] = 75, 80, 89.5
    found = differing(one, other, 25)
    assert [(m.frame, m.kind, m.value) for m in found] == [(20, APART, -15), (60, APART, 10)]
    assert differing(one, one, 25) == []


@pytest.mark.parametrize(("row", "column"), [(0, 0), (3, 5), (12, 20), (22, 39)])
def test_a_region_holds_what_stands_out(row: int, column: int) -> None:
    strength = np.zeros((23, 40))
    strength[row, column] = 1
    left, top, wide, high = region(strength)
    assert top <= (row + 0.5) / 23 <= top + high
    assert left <= (column + 0.5) / 40 <= left + wide
    assert left >= 0
    assert left + wide <= 1.0001
    assert top + high <= 1.0001
    assert wide < 0.3


def test_nothing_that_stands_out_is_the_whole() -> None:
    assert region(np.zeros((20, 20))) == (0, 0, 1, 1)
    assert region(np.ones((2, 3))) == (0, 0, 1, 1)


def test_of_a_small_map_one_block_is_a_region() -> None:
    strength = np.zeros((5, 5))
    strength[2, 3] = 1.0
    assert region(strength) == pytest.approx((0.6, 0.4, 0.2, 0.2))


@pytest.mark.parametrize(("rate", "both"), [(1, True), (2, True), (4, False), (25, False)])
def test_two_low_frames_are_half_a_second_apart_or_more(rate: float, both: bool) -> None:
    found = scores()
    found["vmaf"][50:52] = [60, 62]
    assert ([m.frame for m in moments(found, rate)] == [50, 51]) == both
