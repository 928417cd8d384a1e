"""Bits of a second, against sums by hand."""

import numpy as np
import pytest

from ovrik.analysis.scores.bit_rate import around, busiest


@pytest.mark.parametrize(
    ("frames", "rate"), [(60, 25.0), (60, 24.0), (7, 25.0), (90, 29.97), (5, 0.4), (1, 25.0)]
)
def test_the_second_around_a_frame_and_the_busiest(frames: int, rate: float) -> None:
    bits = np.random.default_rng(frames).integers(1_000, 90_000, frames).astype(float)
    span = max(1, round(rate))
    for at, found in enumerate(around(bits, rate)):
        there = [k for k in range(at - span // 2, at - span // 2 + span) if 0 <= k < frames]
        assert found == pytest.approx(bits[there].sum() / (len(there) / rate))
    if frames <= span:
        assert busiest(bits, rate) == bits.sum()
    else:
        assert busiest(bits, rate) == max(bits[k : k + span].sum() for k in range(frames - span + 1))


def test_even_bits_have_one_rate_to_their_ends() -> None:
    assert around(np.full(50, 4000.0), 25.0) == pytest.approx(np.full(50, 100_000.0))
    assert len(around(np.zeros(0), 25.0)) == 0
