"""What of a programme an excerpt needs, exact to the frame."""

from dataclasses import dataclass, replace
from fractions import Fraction

from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import GAP, Programme, Shot, SoundPiece

LONGEST_LEAD = 64


@dataclass(frozen=True)
class Piece:
    """A shot, or a part of one. Fields: `shot`, with start and frames cut to size; `phase`, the part
    of a source frame (0 up to, not including, 1) by which it begins after `shot.start`; `at`, its
    place in the segment, in frames."""

    shot: Shot
    phase: Fraction
    at: int


@dataclass(frozen=True)
class ExcerptPieces:
    """Fields: `base` and `overlays`, pieces in order; `lead`, frames to be thrown away at the head;
    `frames` after the lead; `sound`, tracks with times counted from the excerpt's first frame."""

    base: tuple[Piece, ...]
    overlays: tuple[Piece, ...]
    lead: int
    frames: int
    sound: tuple[tuple[SoundPiece, ...], ...]


def pieces_of(programme: Programme, excerpt: Excerpt) -> ExcerptPieces:
    """The pieces that an excerpt is made of.

    It may begin a few frames early (`lead`): at the start of a dissolve that the excerpt cuts into,
    or where a clip of another rate has a frame at exactly that time.
    """
    first, end = _widened(programme, excerpt)
    base: list[Piece] = []
    for start, shot in zip(programme.starts, programme.shots, strict=True):
        if start < end and start + shot.frames > first:
            piece = _cut(programme, shot, start, first, end)
            # What comes up before the segment is there already.
            base.append(piece if base else replace(piece, shot=replace(piece.shot, dissolve=0)))
    overlays = [
        _cut(programme, o.shot, o.at, first, end)
        for o in programme.overlays
        if o.at < end and o.at + o.shot.frames > first
    ]
    return ExcerptPieces(
        tuple(base), tuple(overlays), excerpt.start_frame - first, excerpt.frames, _sound(programme, excerpt)
    )


def _widened(programme: Programme, excerpt: Excerpt) -> tuple[int, int]:
    first, end = excerpt.start_frame, excerpt.end_frame
    for start, shot in zip(programme.starts, programme.shots, strict=True):
        if start < first < start + shot.dissolve:
            first = start
        if start < end < start + shot.dissolve:
            end = start + shot.dissolve
    back = 0
    while back < min(LONGEST_LEAD, first) and not _whole_pictures(programme, first - back):
        back += 1
    return (first - back if _whole_pictures(programme, first - back) else first), end


def _whole_pictures(programme: Programme, frame: int) -> bool:
    """Whether every shot that stands here begins with a whole picture of its clip."""
    standing = [
        (start, s)
        for start, s in zip(programme.starts, programme.shots, strict=True)
        if start < frame < start + s.frames
    ]
    return all(((frame - start) * programme.pace(s)).denominator == 1 for start, s in standing)


def _cut(programme: Programme, shot: Shot, start: int, first: int, end: int) -> Piece:
    skip = max(first - start, 0)
    frames = min(start + shot.frames, end) - max(start, first)
    if shot.clip == GAP or not (skip or (shot.reverse and frames < shot.frames)):
        return Piece(replace(shot, frames=frames), Fraction(0), max(start - first, 0))
    # Played backwards, what is skipped at the head is the end of the clip.
    taken = (shot.frames - skip - frames if shot.reverse else skip) * programme.pace(shot)
    cut = replace(shot, start=shot.start + int(taken), frames=frames)
    return Piece(cut, taken - int(taken), max(start - first, 0))


def _sound(programme: Programme, excerpt: Excerpt) -> tuple[tuple[SoundPiece, ...], ...]:
    first, end = excerpt.start_frame / programme.rate, excerpt.end_frame / programme.rate
    tracks = []
    for track in programme.sound:
        kept = []
        for p in track:
            begin, stop = max(p.at, first), min(p.at + p.length, end)
            if begin < stop:
                kept.append(SoundPiece(p.clip, p.start + begin - p.at, stop - begin, begin - first))
        tracks.append(tuple(kept))
    return tuple(t for t in tracks if t)
