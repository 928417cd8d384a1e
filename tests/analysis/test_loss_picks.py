"""Which frames are measured for every kind of loss, and what is said of the others."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import interpolate

from ovrik.analysis.signals.loss_picks import EVERY, between, picks

WHATEVER = st.lists(st.floats(0, 100), min_size=3, max_size=80)


@given(WHATEVER)
def test_none_is_further_from_a_measured_one_than_is_stated(vmaf: list[float]) -> None:
    found = picks(len(vmaf), np.array(vmaf))
    assert found[0]
    assert found[-1]
    assert np.diff(np.flatnonzero(found)).max() <= EVERY


def test_frames_of_coded_types_differ_by_themselves() -> None:
    """Up and down by three points from frame to frame is how this output is; a dip of ten is something."""
    vmaf = 90 + 1.5 * (-1.0) ** np.arange(61)
    assert picks(61, vmaf).sum() <= 61 // EVERY + 2
    vmaf[28:30] -= 10
    assert picks(61, vmaf)[28:30].all()


@pytest.mark.parametrize("vmaf", [None, np.full(40, np.nan), np.array([80.0])])
def test_without_scores_every_twelfth_and_the_last(vmaf: np.ndarray | None) -> None:
    found = picks(40, vmaf)
    assert found[::EVERY].all()
    assert found[39]


@given(st.lists(st.one_of(st.none(), st.floats(0, 50)), min_size=1, max_size=60), st.randoms())
def test_what_is_between_exceeds_no_neighbour(values: list[float | None], chance: object) -> None:
    given_ = np.array([np.nan if v is None else v for v in values])
    cuts = np.array([chance.random() < 0.1 for _ in values])  # type: ignore[attr-defined]
    known = np.isfinite(given_)
    found = between(given_, cuts)
    np.testing.assert_array_equal(found[known], given_[known])
    if known.any():
        assert np.isfinite(found).all()
        assert found.max() <= given_[known].max()
        assert found.min() >= given_[known].min()


def test_it_lies_on_the_line_within_a_shot_and_not_across_a_cut() -> None:
    values = np.full(13, np.nan)
    values[[0, 6, 12]] = 1.0, 4.0, 10.0
    plain = between(values, np.zeros(13, bool))
    np.testing.assert_allclose(plain, interpolate.interp1d([0, 6, 12], [1.0, 4.0, 10.0])(np.arange(13)))
    cut = np.zeros(13, bool)
    cut[8] = True
    assert between(values, cut)[7] == 4.0
    assert between(values, cut)[8:].tolist() == [10.0] * 5


@given(st.integers(0, 59), st.floats(3, 40))
def test_a_single_frame_that_is_bad_is_looked_at(place: int, worse: float) -> None:
    vmaf = np.full(60, 92.0)
    vmaf[place] -= worse
    assert picks(60, vmaf)[place]
