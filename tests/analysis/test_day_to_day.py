"""Sittings against one another, in simulated histories."""

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.times.day_to_day import STATED, Held, Repeats, Shift, change, shift_of

CONTENDERS, ROUNDS, SPREAD = 6, 5, 0.015


def held(logs: np.ndarray) -> Held:
    return Held(float(logs.mean()), float(logs.var(ddof=1) / len(logs)), len(logs) - 1, 0.0, len(logs))


def history(rng: np.random.Generator, sittings: int, shift: float, step: float = 0.0) -> list[list[Held]]:
    """Sittings of contenders; all of a sitting lies off by one shift, and `step` is what the last build brought."""
    out = []
    for n in range(sittings):
        day = rng.normal(0, shift)
        gain = step if n == sittings - 1 else 0.0
        out.append([held(1 + c / 3 + day - gain + rng.normal(0, SPREAD, ROUNDS)) for c in range(CONTENDERS)])
    return out


def repeats(found: list[list[Held]]) -> Repeats:
    return Repeats(
        np.array([[s[c].log for s in found] for c in range(CONTENDERS)]),
        np.array([[s[c].variance for s in found] for c in range(CONTENDERS)]),
    )


def answers(found: list[list[Held]], shift: Shift) -> list[str]:
    return [change(a, b, shift, CONTENDERS, 0.02).answer for a, b in zip(found[-2], found[-1], strict=True)]


@pytest.mark.parametrize("sittings", [2, 3, 8])
def test_nothing_changed_is_called_the_same(sittings: int) -> None:
    """All contenders of a history together, with shifts of 3 % that are the stated ones, or taken from the
    repeats."""
    rng = np.random.default_rng(7)
    right = total = 0
    for _history in range(400):
        found = history(rng, sittings, 0.03)
        shift = shift_of([repeats(found[:-1])]) if sittings > 2 else STATED
        total += 1
        right += set(answers(found, shift)) == {"tie"}
    assert right / total >= 0.95


def test_a_quiet_machine_shows_what_a_restless_one_hides() -> None:
    rng = np.random.default_rng(3)
    found = history(rng, 9, 0.004, step=0.12)
    quiet = shift_of([repeats(found[:-1])])
    assert quiet.spread < 0.02
    assert set(answers(found, quiet)) == {"faster"}
    assert "faster" not in answers(found, Shift(0.05))


def test_shift_is_the_variance_between_sittings_less_that_of_runs() -> None:
    rng = np.random.default_rng(5)
    spreads = [shift_of([repeats(history(rng, 40, 0.05))]).spread for _n in range(20)]
    assert np.mean(spreads) == pytest.approx(0.05, rel=0.08)
    one = repeats(history(rng, 4, 0.05))
    by_hand = np.mean(one.logs.var(axis=1, ddof=1) - one.variances.mean(axis=1))
    weighed = (3 * 0.03**2 + 3 * by_hand) / 6
    assert shift_of([one]).spread == pytest.approx(weighed**0.5)
    assert shift_of([one]).freedom == 3


def test_the_interval_is_that_of_welch_when_days_do_nothing() -> None:
    rng = np.random.default_rng(11)
    a, b = rng.normal(1.1, 0.02, 6), rng.normal(1.0, 0.05, 4)
    found = change(held(a), held(b), Shift(0.0), 1, 0.02)
    wanted = stats.ttest_ind(a, b, equal_var=False).confidence_interval(0.95)
    assert np.log([found.ratio.low, found.ratio.high]) == pytest.approx([wanted.low, wanted.high], abs=1e-9)
    assert found.ratio.value == pytest.approx(np.exp(a.mean() - b.mean()))


def test_what_days_can_do_is_what_they_do() -> None:
    """Two sittings with exact times lie within the reach in 95 of 100 cases, no more."""
    rng = np.random.default_rng(2)
    exact = [Held(x, 1e-12, 50, 0.0, 50) for x in rng.normal(0, 0.03, 4000)]
    pairs = zip(exact[::2], exact[1::2], strict=True)
    same = [change(a, b, STATED, 1, 0.02).answer == "tie" for a, b in pairs]
    assert np.mean(same) == pytest.approx(0.95, abs=0.012)


def test_days_widen_the_interval_once_however_many_contenders() -> None:
    exact = Held(1.0, 1e-12, 50, 0.0, 50)
    for among in (1, 200):
        found = change(exact, Held(0.95, 1e-12, 50, 0.0, 50), Shift(0.03), among, 0.02)
        assert np.log(found.ratio.high) - 0.05 == pytest.approx(1.959964 * 2**0.5 * 0.03, abs=1e-4)
        assert found.answer == "tie"


def test_too_few_runs_are_no_answer() -> None:
    vague = Held(1.0, 0.05**2, 2, 0.0, 2)
    assert change(vague, vague, STATED, 1, 0.02).answer == "unsure"
    read = Held(1.0, 1e-9, 20, 0.2, 3)
    assert change(read, read, STATED, 1, 0.02).answer == "unsure"
