"""Functions of distributions against SciPy's own, however they are loaded."""

import subprocess
import sys

import numpy as np
import pytest
import scipy.special
from hypothesis import given
from hypothesis import strategies as st

from ovrik.analysis import special

POSITIVE = st.floats(1e-3, 1e6)


@given(st.lists(POSITIVE, min_size=1, max_size=8))
def test_derivatives_of_digamma(x: list[float]) -> None:
    at = np.array(x)
    np.testing.assert_allclose(special.trigamma(at), scipy.special.polygamma(1, at), rtol=1e-12)
    np.testing.assert_allclose(special.tetragamma(at), scipy.special.polygamma(2, at), rtol=1e-11)
    assert special.trigamma(x[0]).shape == ()


@given(st.floats(0.3, 1e5), st.floats(0.001, 0.999))
def test_quantiles_turn_shares_back(freedom: float, share: float) -> None:
    assert scipy.special.stdtr(freedom, special.student_quantile(freedom, share)) == pytest.approx(
        share, rel=1e-7
    )
    assert scipy.special.gammainc(freedom, special.gamma_quantile(freedom, share)) == pytest.approx(
        share, rel=1e-7
    )
    assert special.normal_share(scipy.special.ndtri(share)) == pytest.approx(share)


def test_a_binomials_tail_and_a_betas_quantile() -> None:
    tail = sum(scipy.special.comb(9, k) for k in range(7, 10)) / 2**9
    assert special.binomial_above(6, 9, 0.5) == pytest.approx(tail)
    assert scipy.special.betainc(3, 4, special.beta_quantile(3, 4, 0.2)) == pytest.approx(0.2)
    assert special.digamma(1.0) == pytest.approx(-np.euler_gamma)


def test_the_whole_package_comes_later_or_where_it_is_arranged_otherwise() -> None:
    code = (
        "import sys; from ovrik.analysis import special; print('scipy.special' in sys.modules); "
        "special.WANTED += ('nothing',); print(special._compiled().__name__); "
        "import scipy.special; print(scipy.special.stdtrit(5, 0.975) == special.student_quantile(5, 0.975))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stdout.split() == ["False", "scipy.special", "True"], done.stderr
