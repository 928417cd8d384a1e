"""The segment of the programme that is timed, exact to the frame."""

import hashlib
from dataclasses import dataclass

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import Programme

SHORTEST_FRAMES = 2


@dataclass(frozen=True)
class Excerpt:
    """Fields: `start_frame`, index of the first frame from 0; `frames`, how many."""

    start_frame: int
    frames: int

    @property
    def end_frame(self) -> int:
        """Index of the first frame after the excerpt."""
        return self.start_frame + self.frames

    @property
    def slug(self) -> str:
        """Its place in a file name: first frame and length."""
        return f"{self.start_frame}+{self.frames}"


def whole(programme: Programme | Footage) -> Excerpt:
    """All of a programme."""
    return Excerpt(0, programme.frames)


def from_seconds(programme: Programme | Footage, start: float, duration: float | None) -> Excerpt:
    """The excerpt nearest to times in seconds; `duration` None runs to the end.

    Raises OvrikError when it does not lie inside the programme.
    """
    first = round(start * programme.rate)
    count = programme.frames - first if duration is None else round(duration * programme.rate)
    return excerpt_checked(programme, Excerpt(first, count))


def excerpt_checked(programme: Programme | Footage, excerpt: Excerpt) -> Excerpt:
    """The same excerpt, if it lies inside the programme; else OvrikError."""
    if excerpt.start_frame < 0:
        raise OvrikError("The excerpt starts before the programme", "Start at 0 s or later")
    if excerpt.start_frame >= programme.frames:
        raise OvrikError(
            f"The excerpt starts at {programme.time_of(excerpt.start_frame):.3f} s, but the programme "
            f"ends at {programme.duration_s:.3f} s",
            "Choose an earlier start",
        )
    if programme.frames < SHORTEST_FRAMES:
        raise OvrikError("There is only one frame: nothing to time", "Choose a longer clip")
    if excerpt.frames < SHORTEST_FRAMES:
        raise OvrikError("The excerpt is shorter than two frames", "Make it longer")
    if excerpt.end_frame > programme.frames:
        raise OvrikError(
            f"The excerpt ends at {programme.time_of(excerpt.end_frame):.3f} s, past the end of the "
            f"programme at {programme.duration_s:.3f} s",
            "Shorten it or start it earlier",
        )
    return excerpt


@dataclass(frozen=True)
class NamedExcerpt:
    """One of several excerpts of a study. Fields: `id`, the study file's number; `name`; `excerpt`."""

    id: int
    name: str
    excerpt: Excerpt


def place_in_name(programme: Programme, excerpt: Excerpt) -> str:
    """What is exported, in a file name: no output of one programme takes the place of another's."""
    # Checksums of large files begin alike: they say how they were made.
    mark = hashlib.sha256(programme.checksum.encode()).hexdigest()[:6]
    return f"{mark}-{excerpt.slug}"
