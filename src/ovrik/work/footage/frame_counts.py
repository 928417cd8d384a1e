"""Frames of a study's clips, counted where only their containers' word is known."""

from collections.abc import Callable
from pathlib import Path

from ovrik.errors import Ask, OvrikError
from ovrik.quality.decode.probe import count_frames
from ovrik.store.study import Study
from ovrik.study.programme.programme import GAP, Programme


def uncounted(programme: Programme) -> list[str]:
    """Names of clips whose frames were not counted yet."""
    return [Path(c.path).name for c in programme.clips if not c.frames_counted]


def count_for(
    study: Study, on_share: Callable[[float], None] = lambda _s: None, should_stop: Ask = lambda: False
) -> list[str]:
    """Count the frames of the present programme's clips, and keep what was found; gives what was not as their
    containers said, in words. Raises OvrikError when a clip can't be read or a shot lies beyond its end, Stopped."""
    programme = study.programme()
    waiting = [c for c in programme.clips if not c.frames_counted]
    said = []
    for number, clip in enumerate(waiting):
        found = count_frames(clip, lambda s, n=number: on_share((n + s) / len(waiting)), should_stop)  # type: ignore[misc]
        if found.frames != clip.frames:
            said.append(f"{Path(clip.path).name} has {found.frames} frames, its container says {clip.frames}")
        study.recount(found)
    if waiting:
        _check(study.programme())
    return said


def _check(programme: Programme) -> None:
    for number, shot in enumerate(programme.shots, 1):
        if shot.clip == GAP or shot.reverse or shot.still:
            continue
        clip = programme.clips[shot.clip]
        if shot.start >= clip.frames:
            raise OvrikError(
                f"Shot {number} begins with frame {shot.start} of {Path(clip.path).name}, which ends with frame "
                f"{clip.frames - 1}",
                "Choose the timeline anew, or another clip",
            )
