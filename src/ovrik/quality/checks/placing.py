"""Whether an output's picture lies where it should within its frame."""

import numpy as np

from ovrik.analysis.signals.alignment import SAME, Aligned, aligned, inside, normal, paired
from ovrik.analysis.signals.geometry import Geometry, geometry, in_place_already
from ovrik.quality.checks.miniatures import SIZE

LOOKED_AT = 24
"""Pairs of frames that are laid over one another."""
LEAST_PX, LEAST, LEAST_SCALE = 1.2, 0.06, 0.008
"""A picture is moved by at least so many of its pixels and of those compared, or scaled by such a share."""
EXPLAINS, BETTER = 0.4, 0.5
"""Being moved has to leave no more than the first share of what the two have apart, and no more than the second of
what a shift in time leaves."""
CERTAIN = 4.0
"""And to be so many times its standard error."""
MIRRORED, UPSIDE_DOWN, TURNED = (
    "its picture is mirrored",
    "its picture is upside down",
    "its picture is turned by 180°",
)
Edges = tuple[float, float, float, float]


def placed(
    ours: np.ndarray, theirs: np.ndarray, found: Aligned, edges: tuple[Edges, Edges], wide: int, wanted: int
) -> Geometry | str | None:
    """Where a picture lies that is not in its place, or how it is turned, in a clause; None where it is in its place
    or that can't be told. `found` is how frames lie beside one another; `wide`, `wanted`, both widths in pixels."""
    if not found.same:
        return _turned(*_pairs(ours, theirs, 0, edges))
    if found.lag and _lies(*_pairs(ours, theirs, found.lag, edges), wide, wanted) is None:
        return None  # the shift in time explains it
    lies = _lies(*_pairs(ours, theirs, 0, edges), wide, wanted)
    better = lies is not None and 1 - lies.after <= BETTER * (1 - found.likeness)
    return lies if better or not found.lag else None


def _pairs(
    ours: np.ndarray, theirs: np.ndarray, lag: int, edges: tuple[Edges, Edges]
) -> tuple[np.ndarray, np.ndarray]:
    """Some of the frames that lie beside one another, without bars."""
    first, count = paired(len(ours), len(theirs), lag)
    places = np.arange(first, first + count)[:: max(1, count // LOOKED_AT)]
    return inside(ours[places + lag], edges[0], SIZE), inside(theirs[places], edges[1], SIZE)


def _lies(a: np.ndarray, b: np.ndarray, wide: int, wanted: int) -> Geometry | None:
    """Where the one lies in the other, None where it is in its place or that can't be told."""
    # Miniatures are of samples: those of two sizes lie up to a pixel apart.
    sampled = 0.0 if wide == wanted else SIZE[0] / min(wide, wanted)
    if not len(a) or in_place_already(a, b, max(LEAST_PX * SIZE[0] / wide, LEAST) + sampled, LEAST_SCALE):
        return None
    lies = geometry(a, b)
    if lies is None or lies.explains > EXPLAINS:
        return None
    least = max(LEAST_PX * SIZE[0] / wide, LEAST, CERTAIN * lies.doubt) + sampled
    moved = max(abs(lies.across), abs(lies.down)) >= least
    return lies if moved or max(abs(lies.wide), abs(lies.high)) >= LEAST_SCALE else None


def _turned(a: np.ndarray, b: np.ndarray) -> str | None:
    for words, other in ((MIRRORED, b[:, :, ::-1]), (UPSIDE_DOWN, b[:, ::-1]), (TURNED, b[:, ::-1, ::-1])):
        if aligned(normal(a), normal(other), len(a)).likeness >= SAME:
            return words
    return None


def moved_words(lies: Geometry, wide: int, high: int) -> str:
    """Where the picture lies instead, in a clause, in pixels of the output."""
    out = []
    across, down = lies.across * wide / SIZE[0], lies.down * high / SIZE[1]
    if max(abs(lies.wide), abs(lies.high)) >= LEAST_SCALE:
        scale = (lies.wide + lies.high) / 2
        out.append(f"{100 * abs(scale):.1f} % {'larger' if scale > 0 else 'smaller'} than it should be")
    ways = [f"{abs(v):.1f} pixels to the {('right', 'left')[v < 0]}" for v in [across] if abs(v) >= LEAST_PX]
    ways += [f"{abs(v):.1f} pixels {('down', 'up')[v < 0]}" for v in [down] if abs(v) >= LEAST_PX]
    out += [f"moved {' and '.join(ways)}"] if ways else []
    return f"its picture is {', and '.join(out)}"
