"""Size at equal quality, against the published package and against curves whose difference is known."""

import numpy as np
import pytest

from ovrik.analysis.scores.equal_quality import equal_quality

RATES, QUALITY = [1.0, 2.0, 4.0, 8.0], [80.0, 86.0, 91.0, 94.0]


def test_it_agrees_with_the_package() -> None:
    bjontegaard = pytest.importorskip("bjontegaard")
    draw = np.random.default_rng(4)
    for _ in range(20):
        one = np.sort(draw.uniform(1, 20, 5)), np.sort(draw.uniform(70, 95, 5))
        other = np.sort(draw.uniform(1, 20, 4)), np.sort(draw.uniform(72, 96, 4))
        found = equal_quality(*one, *other)
        wanted = bjontegaard.bd_rate(*one, *other, "pchip", require_matching_points=False, min_overlap=0)
        better = bjontegaard.bd_psnr(*one, *other, "pchip", require_matching_points=False, min_overlap=0)
        assert 100 * found.rate == pytest.approx(wanted, abs=0.05)
        assert found.quality == pytest.approx(better, abs=0.01)


@pytest.mark.parametrize("factor", [0.5, 0.8, 1.0, 1.3])
def test_a_curve_that_takes_so_much_of_the_other(factor: float) -> None:
    found = equal_quality(RATES, QUALITY, [factor * r for r in RATES], QUALITY)
    assert found.rate == pytest.approx(factor - 1)
    assert found.overlap == pytest.approx(1)


def test_a_curve_that_is_better_by_so_much() -> None:
    found = equal_quality(RATES, QUALITY, RATES, [q + 2 for q in QUALITY])
    assert found.quality == pytest.approx(2)
    assert found.rate < 0


@pytest.mark.parametrize(
    ("sizes", "qualities", "why"),
    [
        ([1, 2], [80, 90], "3 points"),
        ([1, 2, 4], [98, 98.5, 99], "in common"),
        ([1, 2, 3], [80, 79, 78], "3 points"),
    ],
)
def test_what_can_not_be_told(sizes: list[float], qualities: list[float], why: str) -> None:
    found = equal_quality(RATES, QUALITY, sizes, qualities)
    assert found.rate is None
    assert why in found.why


def test_the_example_of_the_method() -> None:
    found = equal_quality([1, 2, 4, 8], [70, 80, 90, 100], [0.5, 1, 2, 4], [70, 80, 90, 100])
    assert found.rate == pytest.approx(-0.5)
    assert found.quality == pytest.approx(10.0)
