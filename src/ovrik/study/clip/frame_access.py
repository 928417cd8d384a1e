"""How the right frames of a clip are come by: what its container lets one trust. Data and arithmetic, no commands."""

from dataclasses import dataclass
from fractions import Fraction

from ovrik.study.clip.footage import Footage

SEEK, EARLY, COUNT = "seek", "early", "count"
"""By its index, straight to the frame; from well before, by time stamps; from the beginning, by counting."""

BY_CONTAINER = {"mov": SEEK, "matroska": SEEK, "nut": SEEK, "mxf": SEEK, "mpegts": EARLY, "flv": EARLY}
"""By libav's first name of a container; what is not listed is counted."""

UNTIMED = (
    "avi",
    "h264",
    "hevc",
    "obu",
    "m4v",
    "mpegvideo",
    "vc1",
    "cavsvideo",
    "dnxhd",
    "rawvideo",
    "yuv4mpegpipe",
)
"""Containers without presentation times of their own: frames follow one another at the stated rate."""

LEAST_EARLY_S = Fraction(2)
"""Beyond one and a half times the longest way between key frames."""


def method_of(clip: Footage) -> str:
    """Which of the three ways a clip needs."""
    return BY_CONTAINER.get(clip.container.split(",")[0], COUNT)


@dataclass(frozen=True)
class Reading:
    """How `frames` frames from `first` on are read.

    Fields: `first`, `frames` on the clip's even grid; `seek_s`, seconds from the container's start at which reading
    begins, None for the beginning; `skip` frames of the grid that come before `first` and are thrown away after
    counting, or, with `by_time`, `skip_s` seconds of them by their stamps; `span_s`, how much is read at most, None
    for all that is asked for.
    """

    first: int
    frames: int
    seek_s: Fraction | None
    skip: int = 0
    skip_s: Fraction = Fraction(0)
    by_time: bool = False
    span_s: Fraction | None = None

    @property
    def direct(self) -> bool:
        """Whether reading begins with the frame that is wanted, so that sound can come from the same place."""
        return not (self.skip or self.by_time)


def lead_frames(clip: Footage) -> Fraction:
    """Seconds from the container's start to the clip's first frame, to the microsecond."""
    return max(Fraction(round((clip.start_s - clip.container_start_s) * 1_000_000), 1_000_000), Fraction(0))


def access_slack(clip: Footage) -> Fraction:
    """How far before a frame's place on the grid one may look for it: past its jitter, short of the frame before."""
    jitter = Fraction(round(clip.jitter_s * 1_000_000) + 500, 1_000_000)
    return min(jitter, 1 / clip.rate / 2)


def reading_of(clip: Footage, first: int, frames: int) -> Reading:
    """The reading of a part of a clip."""
    lead, slack, at = lead_frames(clip), access_slack(clip), first / clip.rate
    method = method_of(clip)
    if not clip.constant_rate:
        return _of_uneven(clip, first, frames, method)
    if method == COUNT or clip.untimed:
        return Reading(first, frames, None, skip=first)
    span = (frames + 2) / clip.rate + slack
    if method == SEEK:
        begin = lead + at - slack
        return (
            Reading(first, frames, begin, span_s=span)
            if begin > 0 and (first or lead)
            else (Reading(first, frames, None, span_s=span))
        )
    early = Fraction(clip.longest_gop_s).limit_denominator(1000) * 3 / 2 + LEAST_EARLY_S
    if at <= early:
        return Reading(first, frames, None, skip=first)
    # What is thrown away is chosen by time: how many frames there are depends on where the seek lands.
    return Reading(first, frames, lead + at - early, skip_s=early - slack, by_time=True, span_s=early + span)


def _of_uneven(clip: Footage, first: int, frames: int, method: str) -> Reading:
    """Of a variable rate: begun so early that the frame which stands at `first` is read as well."""
    back = int(clip.longest_s * float(clip.rate)) + 3
    if method == EARLY:
        back += int((clip.longest_gop_s * 1.5 + 2) * float(clip.rate))
    begin = first - back
    if method == COUNT or clip.untimed or begin <= 0:
        return Reading(first, frames, lead_frames(clip) or None, skip=first)
    return Reading(first, frames, lead_frames(clip) + begin / clip.rate, skip=back)
