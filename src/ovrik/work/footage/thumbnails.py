"""Thumbnails of a study's programme, kept in the study a batch at a time."""

from collections.abc import Callable
from pathlib import Path

from ovrik.errors import Ask, OvrikError
from ovrik.quality.viewing.thumbnails import strip, strip_frames
from ovrik.store.study import Study
from ovrik.study.programme.programme import GAP, Programme

ALONG, MOST = 48, 800
BATCH = 24


def thumbnail_frames(programme: Programme) -> list[int]:
    """Frames of the programme worth a thumbnail: evenly along it, and the middle of every shot."""
    middles = [
        start + shot.frames // 2 for start, shot in zip(programme.starts, programme.shots, strict=True)
    ]
    return sorted({*strip_frames(programme.frames, ALONG), *middles[:MOST]})


def make_thumbnails(
    study: Study, should_stop: Ask = lambda: False, on_batch: Callable[[], None] = lambda: None
) -> int:
    """Make what is missing, clip by clip; gives how many were made. A clip that is gone is passed over."""
    programme, known = study.programme(), study.thumbnails()
    wanted: dict[int, set[int]] = {}
    for frame in thumbnail_frames(programme):
        clip, number = programme.source_of(frame)
        if clip != GAP and (programme.clips[clip].checksum, number) not in known:
            wanted.setdefault(clip, set()).add(number)
    count = 0
    for clip, numbers in wanted.items():
        ordered = sorted(numbers)
        for at in range(0, len(ordered), BATCH):
            if should_stop():
                return count
            try:
                made = strip(
                    Path(programme.clips[clip].path), ordered[at : at + BATCH], should_stop=should_stop
                )
            except OvrikError:
                break
            study.keep_thumbnails(programme.clips[clip], made)
            count += len(made)
            on_batch()
    return count
