"""What was read of an output while it was checked."""

from dataclasses import dataclass


@dataclass(frozen=True)
class OutputFacts:
    """Fields: `codec`, `profile`, `pixel_format` as they call themselves; `frames`; `width`, `height` in pixels;
    `rate`, frames per second; `duration_s`; `audio`, codecs of its tracks; `lag`, its frame k + lag shows
    frame k of the reference; `likeness` to it, 0 to 1, None where they were not laid beside one another;
    `every`, every how many frames one was scored, 1 for all; `checks`, the edition of the checks that were
    made; `losses_measurable`, False where its samples are not the reference's, so that kinds of loss can't be
    told apart; `treated_by`, the identity of the build by whose own treated frames it was judged, "" where that was
    the reference."""

    codec: str = ""
    profile: str = ""
    frames: int = 0
    width: int = 0
    height: int = 0
    pixel_format: str = ""
    rate: float = 0.0
    duration_s: float = 0.0
    audio: tuple[str, ...] = ()
    lag: int = 0
    likeness: float | None = None
    every: int = 1
    checks: int = 0
    losses_measurable: bool = True
    treated_by: str = ""
