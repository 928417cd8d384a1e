"""The stretch of the programme that is timed, exact to the frame."""

from dataclasses import dataclass

from ovrik.errors import OvrikError
from ovrik.study.footage import Footage

SHORTEST_FRAMES = 2


@dataclass(frozen=True)
class Excerpt:
    """Fields: `start_frame`, index of the first picture from 0; `frames`, how many."""

    start_frame: int
    frames: int

    @property
    def end_frame(self) -> int:
        """Index of the first picture after the excerpt."""
        return self.start_frame + self.frames


def whole(footage: Footage) -> Excerpt:
    """All of a clip."""
    return Excerpt(0, footage.frames)


def from_seconds(footage: Footage, start: float, duration: float | None) -> Excerpt:
    """The excerpt nearest to times in seconds; `duration` None runs to the end.

    Raises OvrikError when it does not lie inside the clip.
    """
    first = round(start * footage.rate)
    count = footage.frames - first if duration is None else round(duration * footage.rate)
    return checked(footage, Excerpt(first, count))


def checked(footage: Footage, excerpt: Excerpt) -> Excerpt:
    """The same excerpt, if it lies inside the clip; else OvrikError."""
    if excerpt.start_frame < 0:
        raise OvrikError("The excerpt starts before the footage", "Start at 0 s or later")
    if excerpt.start_frame >= footage.frames:
        raise OvrikError(
            f"The excerpt starts at {footage.time_of(excerpt.start_frame):.3f} s, but the footage "
            f"ends at {footage.duration_s:.3f} s",
            "Choose an earlier start",
        )
    if excerpt.frames < SHORTEST_FRAMES:
        raise OvrikError("The excerpt is shorter than two frames", "Make it longer")
    if excerpt.end_frame > footage.frames:
        raise OvrikError(
            f"The excerpt ends at {footage.time_of(excerpt.end_frame):.3f} s, past the end of the "
            f"footage at {footage.duration_s:.3f} s",
            "Shorten it or start it earlier",
        )
    return excerpt
