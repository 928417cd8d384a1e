"""The whole cost: what comes first, shared over the exports that a film gets, plus the export, plus the upload."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ovrik.analysis.times.joint import Joint
from ovrik.analysis.times.noise import lent_to

READ_S = 0.5
"""How far a time that somebody entered may be off, seconds."""


@dataclass(frozen=True)
class Step:
    """Something that is made before an export can run, once for a film. Fields: `seconds`, its usual time; `variance`
    of the logarithm of that; `freedoms`, degrees of freedom of it."""

    seconds: float
    variance: float
    freedoms: float


def step_of(seconds: Sequence[float], found: Joint) -> Step:
    """From the times of having made it, on the machine on which a line-up's times were `found`: its spread is
    moderated by theirs, and it is made again as alike as runs are. Raises ValueError on times that are not
    positive."""
    if not seconds or min(seconds) <= 0:
        raise ValueError("times must be positive")
    logs = np.log(seconds)
    count = len(logs)
    variance, freedoms = lent_to(found.noise, float(((logs - logs.mean()) ** 2).sum()), count - 1.0)
    wide = found.alike.widening(count)
    return Step(float(np.exp(logs.mean())), variance * wide / count, freedoms)


def entered(seconds: float, found: Joint) -> Step:
    """A time that somebody entered: it was taken once, by hand."""
    variance, freedoms = lent_to(found.noise, 0.0, 0.0)
    return Step(seconds, variance + (READ_S / np.sqrt(3) / seconds) ** 2, freedoms)


def whole_costs(
    found: Joint, sent: np.ndarray, steps: Sequence[tuple[Step, Sequence[int]]], exports: float = 1.0
) -> Joint:
    """The same times with what belongs to them: `sent`, seconds of the upload, shape (k,), NaN where the size is not
    known, which leaves no time; `steps` that come first, each with the rows that need it, shared over so many
    `exports` of a film.

    ln(T + Σ uᵢ/n + s) has, to first order (the delta method), the error of ln T times T over the sum, and those of
    ln uᵢ times (uᵢ/n) over the sum; a step that two contenders share moves both alike. Their degrees of freedom are
    put together after Satterthwaite (Biometrics Bulletin 2, 1946). The noise of a run shrinks by the first factor;
    the bytes of an upload are known exactly."""
    took = np.exp(found.logs)
    parts = np.zeros((len(steps), len(took)))
    for n, (step, rows) in enumerate(steps):
        parts[n, list(rows)] = step.seconds / exports
    total = took + parts.sum(axis=0) + sent
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(np.isfinite(total), took / total, 0.0)
        shares = np.where(np.isfinite(total), parts / total, 0.0)
        logs = np.log(total)
    variances = np.array([step.variance for step, _rows in steps])[:, None] if steps else np.zeros((0, 1))
    own, added = found.parts * share**2, variances * shares**2
    return replace(
        found,
        logs=logs,
        cover=found.cover * share[:, None] * share[None, :] + shares.T @ (variances * shares),
        noise=replace(
            found.noise,
            variances=found.noise.variances * share**2,
            freedoms=_together(own, found.noise.freedoms, added, [step.freedoms for step, _rows in steps]),
        ),
        seen=found.seen & np.isfinite(total)[:, None],
        read=found.read * share,
        parts=own + added.sum(axis=0),
    )


def _together(
    own: np.ndarray, freedoms: np.ndarray, added: np.ndarray, theirs: Sequence[float]
) -> np.ndarray:
    """Degrees of freedom of sums of variances, shape (k,)."""
    if not len(added):
        return freedoms
    below = own**2 / freedoms + (added**2 / np.asarray(theirs)[:, None]).sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        out = (own + added.sum(axis=0)) ** 2 / below
    return np.where(added.any(axis=0) & np.isfinite(out), out, freedoms)
