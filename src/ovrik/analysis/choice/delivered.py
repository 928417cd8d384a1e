"""Times until a file has been sent: what the export takes, and then the upload."""

from dataclasses import replace

import numpy as np

from ovrik.analysis.times.joint import Joint


def upload_s(size_bytes: float, line_mbit_s: float) -> float:
    """Seconds that so many bytes take on a line of so many megabits (10^6 bits) a second."""
    return 8e-6 * size_bytes / line_mbit_s


def with_upload(found: Joint, seconds: np.ndarray) -> Joint:
    """The same times with `seconds`, shape (k,), added to each; NaN where the size is not known leaves no time.

    ln(T + u) has the error of ln T times T / (T + u), to first order (the delta method): u is known exactly, as the
    bytes are. The noise of a run shrinks by the same factor."""
    took = np.exp(found.logs)
    total = took + seconds
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(np.isfinite(total), took / total, 0.0)
        logs = np.log(total)
    noise = replace(found.noise, variances=found.noise.variances * share**2)
    return replace(
        found,
        logs=logs,
        cover=found.cover * share[:, None] * share[None, :],
        noise=noise,
        seen=found.seen & np.isfinite(total)[:, None],
        read=found.read * share,
        parts=found.parts * share**2,
    )
