"""Do two sequences of small pictures show the same, and with which frames beside which?"""

from dataclasses import dataclass

import numpy as np

from ovrik.analysis.signals.correlated import correlated

SAME = 0.75
"""Mean correlation from which two sequences show the same thing, whatever was done to its levels."""
GAIN = 3e-4
"""By so much a shift must raise the mean correlation, in nine frames of ten that tell, to be taken for real."""
TELLING, SHARE, FEWEST = 1e-5, 0.9, 6
MOST_OF_IT = 0.6
"""And by so much of what it would bring if coding had changed nothing: coarse coding lets a frame keep some of the
one before it, and so look a little late."""
PAYS, LEAST = 0.5, 0.001
"""A shift has to leave no more than such a share of what frames in their places have apart, and be so much better."""
PIECE = 64
LEAST_SPREAD = 2.0
"""Standard deviation in 8-bit levels under which a picture is flat and says nothing."""


@dataclass(frozen=True)
class Aligned:
    """How one sequence lies beside another.

    Fields: `lag`: its frame k + lag shows frame k of the other, so that above 0 it begins earlier; `likeness`, the
    mean correlation there, −1 to 1, NaN where every picture is flat; `certain`, whether any other lag would be seen;
    `coarsely`, whether they are the same as far as coarse coding lets one see.
    """

    lag: int
    likeness: float
    certain: bool
    coarsely: bool = False

    @property
    def same(self) -> bool:
        """Whether both show the same thing."""
        return self.coarsely or bool(self.likeness >= SAME)


def normal(pictures: np.ndarray) -> np.ndarray:
    """Pictures of shape (frames, height, width) as rows of mean 0 and length 1; flat ones as zeros."""
    rows = pictures.reshape(len(pictures), -1).astype(np.float32)
    rows = rows - rows.mean(axis=1, keepdims=True)
    lengths = np.linalg.norm(rows, axis=1)
    flat = lengths < LEAST_SPREAD * np.sqrt(rows.shape[1])
    return np.where(flat[:, None], 0, rows / np.where(flat, 1, lengths)[:, None]).astype(np.float32)


def at_lag(ours: np.ndarray, theirs: np.ndarray, lag: int) -> np.ndarray:
    """Correlation of each pair of frames that lie beside one another at a lag, shape (pairs,); NaN where one of them
    is flat. Both as `normal` gives them."""
    first, count = paired(len(ours), len(theirs), lag)
    a, b = ours[first + lag : first + lag + count], theirs[first : first + count]
    found = (a * b).sum(axis=1)
    return np.where(a.any(axis=1) & b.any(axis=1), found, np.nan)


def paired(ours: int, theirs: int, lag: int) -> tuple[int, int]:
    """First frame of the other sequence that has a partner at a lag, and how many have."""
    first = max(0, -lag)
    return first, max(0, min(theirs - first, ours - lag - first))


def aligned(ours: np.ndarray, theirs: np.ndarray, least: int = 1, expected: int | None = 0) -> Aligned:
    """The lag at which two sequences are most alike, over all that leave `least` pairs.

    Where the expected lag can't be told from the best one, it stands. With None for it, nothing is expected.
    Pearson's correlation of each pair of pictures, averaged; all lags at once by the convolution theorem.
    """
    means = _means(ours, theirs, least)
    if not means:
        return Aligned(expected or 0, float("nan"), False)
    best = max(means, key=means.__getitem__)
    if expected is not None and expected in means and best != expected:
        pays = means[best] - means[expected] > LEAST and 1 - means[best] <= PAYS * (1 - means[expected])
        best = best if pays and _tells(ours, theirs, best, expected) else expected
    near = [d for d in (best - 1, best + 1) if d in means]
    certain = all(_tells(ours, theirs, best, d) for d in near)
    return Aligned(best, means[best], certain)


COARSE = 6
"""Side of the squares whose means are all that the coarsest coding keeps, pixels of small pictures."""
OWN_DETAIL, CLOSE, BLOCKY = 0.5, 0.8, 1.0
"""Of the reference's detail: a picture that has so much of its own, which the reference has not, is another one;
where the large areas are so alike, twice as much: the coarsest coding draws blocks of its own."""
NOTHING = 12.0
"""Root mean square of what pictures have apart, in 8-bit levels, under which nothing shows that they are not the
same: fog and night have no more contrast."""


def same_coarsely(ours: np.ndarray, theirs: np.ndarray) -> bool:
    """Whether pictures, shape (frames, height, width), show the same as far as coarse coding left something to see:
    their large areas are alike, and there is little detail in the one that the other has not."""
    apart = np.sqrt(((ours - theirs) ** 2).mean(axis=(1, 2)))
    if np.median(apart) < NOTHING:
        return True
    a, b = _areas(ours), _areas(theirs)
    p, q = (x - x.mean(axis=(1, 2), keepdims=True) for x in (a, b))
    lengths = float(np.sqrt((p**2).sum() * (q**2).sum()))
    like = float((p * q).sum()) / lengths if lengths else 0.0
    if like < SAME:
        return False
    fine, theirs_fine = (
        _cropped(x) - np.kron(y, np.ones((1, COARSE, COARSE))) for x, y in ((ours, a), (theirs, b))
    )
    power = max(float((theirs_fine**2).sum()), 1e-9)
    share = np.clip((fine * theirs_fine).sum() / power, 0, 1)
    own = float(((fine - share * theirs_fine) ** 2).sum())
    return own <= (BLOCKY if like >= CLOSE else OWN_DETAIL) * power


def _cropped(pictures: np.ndarray) -> np.ndarray:
    _n, rows, columns = pictures.shape
    return pictures[:, : rows // COARSE * COARSE, : columns // COARSE * COARSE].astype(np.float32)


def _areas(pictures: np.ndarray) -> np.ndarray:
    whole = _cropped(pictures)
    n, rows, columns = whole.shape
    return np.asarray(whole.reshape(n, rows // COARSE, COARSE, columns // COARSE, COARSE).mean(axis=(2, 4)))


def _means(ours: np.ndarray, theirs: np.ndarray, least: int) -> dict[int, float]:
    """Mean correlation by lag."""
    n, m = len(ours), len(theirs)
    if not n or not m:
        return {}
    # Over all pixels at once; in pieces, since each piece's spectrum is held.
    sums = np.zeros(n + m - 1)
    for place in range(0, ours.shape[1], PIECE):
        sums += correlated(ours[:, place : place + PIECE], theirs[:, place : place + PIECE])
    there, other = (x.any(axis=1).astype(float)[:, None] for x in (ours, theirs))
    pairs = correlated(there, other)
    return {
        d: float(sums[k] / pairs[k])
        for k, d in enumerate(range(1 - m, n))
        if paired(n, m, d)[1] >= least and round(pairs[k]) >= least
    }


def _tells(ours: np.ndarray, theirs: np.ndarray, lag: int, other: int) -> bool:
    """Whether one lag is clearly better than another, frame by frame."""
    (one_first, one_count), (first, count) = (paired(len(ours), len(theirs), d) for d in (lag, other))
    begin, end = max(one_first, first), min(one_first + one_count, first + count)
    if end <= begin:
        return True
    mine = at_lag(ours, theirs, lag)[begin - one_first : end - one_first]
    gain = mine - at_lag(ours, theirs, other)[begin - first : end - first]
    gain = gain[np.isfinite(gain)]
    apart = 1 - at_lag(theirs, theirs, other - lag)
    apart = apart[np.isfinite(apart)]
    if len(apart) and len(gain) and gain.mean() < MOST_OF_IT * apart.mean():
        return False
    telling = gain[np.abs(gain) > TELLING]
    few = min(FEWEST, len(gain))
    return bool(len(telling) >= max(few, 1) and gain.mean() > GAIN and (telling > 0).mean() >= SHARE)


DARK = 24
"""8-bit level up to which the edge of a picture is a bar: black at 16 and what coding makes of it."""


def margins(rows: np.ndarray, columns: np.ndarray) -> tuple[float, float, float, float]:
    """What is black at top, bottom, left and right, as shares of height and width, from the brightest that each row
    and column ever was; nothing where all of it is black."""
    out = []
    for peaks in (rows, columns):
        lit = np.flatnonzero(peaks > DARK)
        out += [lit[0] / len(peaks), (len(peaks) - 1 - lit[-1]) / len(peaks)] if len(lit) else [0.0, 0.0]
    return float(out[0]), float(out[1]), float(out[2]), float(out[3])


def inside(
    pictures: np.ndarray, edges: tuple[float, float, float, float], size: tuple[int, int]
) -> np.ndarray:
    """The part of pictures, shape (frames, height, width), within margins (top, bottom, left, right), as pictures of
    `size` (width, height): means over each pixel's area."""
    _n, height, width = pictures.shape
    top, bottom, left, right = edges
    rows = _weights(height, top * height, (1 - bottom) * height, size[1])
    columns = _weights(width, left * width, (1 - right) * width, size[0])
    return np.asarray(rows @ pictures.astype(np.float32) @ columns.T)


def _weights(length: int, begin: float, end: float, count: int) -> np.ndarray:
    """Shape (count, length): how much of each sample lies in each of `count` equal parts from `begin` to `end`."""
    edges = np.linspace(begin, end, count + 1)
    at = np.arange(length)
    share = np.minimum(edges[1:, None], at + 1) - np.maximum(edges[:-1, None], at)
    share = np.clip(share, 0, None)
    return np.asarray(share / share.sum(axis=1, keepdims=True), np.float32)
