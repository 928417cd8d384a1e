"""Functions of the distributions that intervals rest on, from SciPy.

`scipy.special` takes a third of a second to load, its compiled functions a tenth of that: the rest wraps them for
other array packages. Each start of Ovrik waits for it, so they are loaded alone where this SciPy allows that.
"""

import sys
from collections.abc import Callable
from importlib import import_module
from types import ModuleType
from typing import Any

import numpy as np
import scipy

NAME = "scipy.special"


def _compiled() -> Any:
    """SciPy's compiled functions alone; all of the package where they are arranged otherwise."""
    if NAME not in sys.modules:
        alone = ModuleType(NAME)
        alone.__path__ = [f"{scipy.__path__[0]}/special"]
        sys.modules[NAME] = alone
        try:
            found = import_module(f"{NAME}._ufuncs")
            if all(hasattr(found, name) for name in WANTED):
                return found
        except ImportError:
            pass
        finally:
            del sys.modules[NAME]  # whoever asks for the package gets the whole of it
    return import_module(NAME)


WANTED = ("stdtrit", "gammaincinv", "ndtr", "psi", "bdtrc", "betaincinv")
_found = _compiled()
student_quantile = _found.stdtrit
"""Of Student's t: of degrees of freedom and the share below it."""
gamma_quantile = _found.gammaincinv
"""Of the gamma distribution of scale 1: of its shape and the share below it."""
normal_share = _found.ndtr
"""Share of the standard normal distribution below a value."""
digamma = _found.psi
binomial_above = _found.bdtrc
"""Chance of more than k of n: of k, n and the chance of each."""
beta_quantile = _found.betaincinv
"""Of the beta distribution: of both its parameters and the share below it."""


FAR = 12
"""From here on the series have fifteen digits."""


def trigamma(x: np.ndarray | float) -> np.ndarray:
    """Derivative of the digamma function at x > 0, shape as x: M. Abramowitz and I. Stegun, Handbook of Mathematical
    Functions, 6.4.6 and 6.4.12."""
    return _from_afar(x, lambda y: y**-2, (1, 1 / 2, 1 / 6, 0, -1 / 30, 0, 1 / 42, 0, -1 / 30, 0, 5 / 66), 1)


def tetragamma(x: np.ndarray | float) -> np.ndarray:
    """Derivative of the trigamma function at x > 0, shape as x: the same, 6.4.6 and 6.4.13."""
    return _from_afar(x, lambda y: -2 * y**-3, (-1, -1, -1 / 2, 0, 1 / 6, 0, -1 / 6, 0, 3 / 10, 0, -5 / 6), 2)


def _from_afar(
    x: np.ndarray | float, step: Callable[[Any], Any], series: tuple[float, ...], power: int
) -> np.ndarray:
    """A function that falls by `step` from x to x + 1, and far out is a series in 1/x that begins with a `power`."""
    if isinstance(x, float):
        return np.asarray(_one_from_afar(x, step, series, power))
    at = np.array(x, float)
    out = np.zeros_like(at)
    for _more in range(FAR):
        near = at < FAR
        out = out + np.where(near, step(at), 0.0)
        at = at + near
    return np.asarray(out + np.polynomial.polynomial.polyval(1 / at, series) * at**-power)


def _one_from_afar(x: float, step: Callable[[Any], Any], series: tuple[float, ...], power: int) -> float:
    """The same of a single number, at a tenth of the price: it is asked for at every step of an inverse."""
    out, x = 0.0, float(x)
    while x < FAR:
        out += step(x)
        x += 1
    far = 0.0
    for factor in reversed(series):
        far = far / x + factor
    return out + far * x**-power
