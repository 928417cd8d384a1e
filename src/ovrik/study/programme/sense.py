"""Whether what says it is a programme can be one: a file from elsewhere may hold anything."""

from fractions import Fraction

from ovrik.study.programme.programme import Programme, Shot

LARGEST, LONGEST, FASTEST = 1 << 16, 1 << 40, 1000
"""Pixels a side, frames, and frames a second."""


def senseless(p: Programme) -> str:
    """What of it can't be, in a clause; "" where all can."""
    for name, whole in (("width", p.width), ("height", p.height)):
        if not _number(whole, 1, LARGEST):
            return f"its {name} is {whole!r}"
    if not 0 < p.rate <= FASTEST or p.sample_aspect <= 0:
        return f"its rate is {p.rate}, its pixels' shape {p.sample_aspect}"
    if not isinstance(p.name, str) or not isinstance(p.pixel_format, str) or not p.shots:
        return "it has no name, no pixel format or no shots"
    for shot in (*p.shots, *(o.shot for o in p.overlays)):
        if wrong := _shot(shot, len(p.clips)):
            return wrong
    if any(not _number(o.at, 0, LONGEST) for o in p.overlays):
        return "an overlay lies nowhere"
    if any(before.frames < after.dissolve for before, after in zip(p.shots, p.shots[1:], strict=False)):
        return "a shot dissolves over more frames than the one before it has"
    for piece in (piece for track in p.sound for piece in track):
        if not _number(piece.clip, 0, len(p.clips) - 1) or min(piece.start, piece.length, piece.at) < 0:
            return "a piece of its sound is of no clip, or lies nowhere"
    return ""


def _shot(shot: Shot, clips: int) -> str:
    if not _number(shot.clip, 0, clips - 1):
        return f"a shot is of clip {shot.clip!r}, of {clips}"
    if not (_number(shot.start, 0, LONGEST) and _number(shot.frames, 1, LONGEST)):
        return f"a shot begins at frame {shot.start!r} and has {shot.frames!r}"
    if not _number(shot.dissolve, 0, shot.frames):
        return f"a shot of {shot.frames} frames dissolves over {shot.dissolve!r}"
    return "" if isinstance(shot.name, str) else "a shot has no name"


def _number(value: object, low: int, high: int) -> bool:
    """Whether it is a whole number within these."""
    return isinstance(value, int | Fraction) and not isinstance(value, bool) and low <= value <= high
