"""Where in a frame a kind of loss lies, as a strength from 0 to 1 over its blocks."""

import av
import numpy as np

from ovrik.analysis.signals.levels import KR_KB
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS, LOSS_TABLE
from ovrik.analysis.signals.losses import Ground, Planes, losses
from ovrik.quality.scores.planes import Taken, planes_of

FULL_RANGE = 2
BT2020, BT601 = (9, 10), (5, 6)
"""Numbers of ITU-T H.273."""
EVERY = "every kind"

LossPair = tuple[av.VideoFrame, av.VideoFrame]
"""A frame of the reference, and the output's beside it."""


def strength_of(pair: LossPair, before: LossPair | None, kind: str) -> np.ndarray:
    """The map of one kind of loss, shape (rows, columns), 1 where it is strong; of all kinds together for a key that
    is none of theirs. `before` are the frames before them, which flicker needs."""
    earlier = None
    if before is not None and kind == "loss_flicker":
        earlier = losses(_ground(before[0]), _planes(before[1], before[0])).drift
    maps = losses(_ground(pair[0]), _planes(pair[1], pair[0]), earlier).maps
    if kind in LOSS_TABLE:
        return np.clip(maps[kind] / LOSS_TABLE[kind].strong, 0, 1)
    return np.asarray(sum(np.clip(maps[k.key] / k.strong, 0, 1) for k in LOSS_KINDS))


def _full(frame: av.VideoFrame) -> bool:
    return int(frame.color_range) == FULL_RANGE or frame.format.name.startswith("yuvj")


def _ground(frame: av.VideoFrame) -> Ground:
    matrix = (
        "bt2020nc" if frame.colorspace in BT2020 else "smpte170m" if frame.colorspace in BT601 else "bt709"
    )
    return Ground(planes_of(frame, Taken(full_range=_full(frame))), KR_KB[matrix])


def _planes(frame: av.VideoFrame, like: av.VideoFrame) -> Planes:
    return planes_of(frame, Taken((like.width, like.height), _full(frame)))
