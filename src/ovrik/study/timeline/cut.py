"""Segments of a timeline, in seconds, become the shots and pieces of sound of a programme, in frames."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import GAP, Shot, SoundPiece
from ovrik.study.programme.treatment import Treatment

MOST_REVERSED_BYTES = 1 << 30


@dataclass
class Item:
    """A segment on a track. `at`, `length` in seconds; `clip` None for black; `start` in seconds of the
    clip; `into` is the dissolve that leads to it, as frames before and after the cut, in seconds; `still` and
    `reverse` as of a `Shot`."""

    at: Fraction
    length: Fraction
    clip: Footage | None = None
    start: Fraction = Fraction(0)
    name: str = ""
    treatments: tuple[Treatment, ...] = ()
    into: tuple[Fraction, Fraction] = (Fraction(0), Fraction(0))
    still: bool = False
    reverse: bool = False


def start_within(item: Item, begin: Fraction, end: Fraction) -> Fraction:
    """Where the clip begins, in its seconds, when only a part of the item is used."""
    if item.still:
        return item.start
    pace = next((Fraction(t["speed"]) / 100 for t in item.treatments if t.kind == "retime"), Fraction(1))
    cut_off = item.at + item.length - end if item.reverse else begin - item.at
    return item.start + cut_off * pace


@dataclass
class Cut:
    """Puts segments on whole frames. Fields: `clips` that are used, in the order in which they come."""

    clips: list[Footage] = field(default_factory=list)

    def index(self, clip: Footage | None) -> int:
        """The place of a clip among those that are used, `GAP` for none."""
        if clip is None:
            return GAP
        if clip not in self.clips:
            self.clips.append(clip)
        return self.clips.index(clip)

    def placed(
        self, items: list[Item], rate: Fraction, notes: list[str], upper: bool = False
    ) -> list[tuple[int, Shot]]:
        """Shots with the programme's picture that each begins with; places are rounded, so that lengths
        that are no whole frames do not add up to a drift."""
        out = []
        for item in items:
            if upper and any(item.into):
                notes.append(f"the dissolve to “{item.name or 'black'}” on an upper track: it is a cut")
            at, end = round(item.at * rate), round((item.at + item.length) * rate)
            if end <= at:
                notes.append(f"“{item.name}”, which is shorter than one frame")
                continue
            item = self._playable(item, notes)
            start = max(0, round(item.start * item.clip.rate)) if item.clip else 0
            shot = Shot(
                clip=self.index(item.clip),
                start=start,
                frames=end - at,
                dissolve=0,
                treatments=item.treatments,
                name=item.name,
                still=item.still,
                reverse=item.reverse,
            )
            if item.clip:
                shot = self._within(shot, item.clip, rate)
            out.append((at, shot))
        return out

    def _playable(self, item: Item, notes: list[str]) -> Item:
        """The same item; one too long to be held in memory is not played backwards."""
        if not (item.reverse and item.clip):
            return item
        deep = 2 if item.clip.bit_depth > 8 else 1
        held = float(item.length * item.clip.rate) * item.clip.width * item.clip.height * 3 * deep
        if held <= MOST_REVERSED_BYTES:
            return item
        notes.append(
            f"the reverse motion of “{item.name}”: {held / 1e9:.1f} GB of frames would be held in memory"
        )
        return replace(item, reverse=False)

    def _within(self, shot: Shot, clip: Footage, rate: Fraction) -> Shot:
        """The shot, if its clip is long enough; one that is not is reported and refused."""
        needed = int((shot.frames - 1) * (0 if shot.still else shot.speed) * clip.rate / rate) + 1
        if shot.start + needed > clip.frames:
            last = shot.start + needed - 1
            raise OvrikError(
                f"“{shot.name}” uses {clip.path} up to frame {last}, but the clip ends with "
                f"frame {clip.frames - 1}",
                "Check that it is the right clip, or link another one",
            )
        return shot

    def shots(self, items: list[Item], rate: Fraction, notes: list[str]) -> tuple[Shot, ...]:
        """The first track. At a dissolve both neighbours are longer by what they overlap."""
        placed = self.placed(items, rate, notes)
        leads = {round(i.at * rate): i.into for i in items if any(i.into)}
        shots = [shot for _at, shot in placed]
        for n, (at, _shot) in enumerate(placed):
            if at in leads and n:
                before, after = (round(part * rate) for part in leads[at])
                self._dissolve(shots, n, before, after, rate, notes)
        return tuple(shots)

    def _dissolve(
        self, shots: list[Shot], n: int, before: int, after: int, rate: Fraction, notes: list[str]
    ) -> None:
        """Make shot n come up over the one before, as far as the clips reach beyond the cut."""
        last, coming = shots[n - 1], shots[n]
        if last.reverse or coming.reverse:
            notes.append(f"the dissolve to “{coming.name}”: beside a reversed shot it is a cut")
            return
        head = self._pictures(coming, before, rate)
        room_before = before if coming.clip == GAP or coming.start >= head else 0
        tail = last.frames
        if last.still:
            tail = after
        elif last.clip != GAP:
            clip = self.clips[last.clip]
            pace = last.speed * clip.rate / rate
            tail = int((clip.frames - 1 - last.start) / pace) + 1 - last.frames
        room_after = min(after, max(tail, 0))
        if (room_before, room_after) != (before, after):
            notes.append(
                f"{before + after - room_before - room_after} frames of the dissolve to "
                f"“{coming.name}”: its clips are not long enough"
            )
        over = room_before + room_after
        if not over or over >= min(last.frames + room_after, coming.frames + room_before):
            return
        shots[n - 1] = replace(last, frames=last.frames + room_after)
        start = coming.start - (self._pictures(coming, room_before, rate) if coming.clip != GAP else 0)
        shots[n] = replace(coming, start=start, frames=coming.frames + room_before, dissolve=over)

    def _pictures(self, shot: Shot, frames: int, rate: Fraction) -> int:
        """Frames of the shot's clip that stand for so many of the programme."""
        return (
            0
            if shot.clip == GAP or shot.still
            else round(frames * shot.speed * self.clips[shot.clip].rate / rate)
        )

    def pieces(self, items: list[Item]) -> tuple[SoundPiece, ...]:
        """The sound of a track."""
        return tuple(
            SoundPiece(self.index(i.clip), max(i.start, Fraction(0)), i.length, i.at)
            for i in items
            if i.clip and i.clip.sounds
        )


def linked_sound(
    shots: Sequence[Shot], clips: Sequence[Footage], rate: Fraction
) -> tuple[tuple[SoundPiece, ...], ...]:
    """The shots' own sound, cut in the middle of dissolves; retimed shots are silent."""
    pieces, at = [], 0
    for n, shot in enumerate(shots):
        head = shot.dissolve - shot.dissolve // 2
        following = shots[n + 1].dissolve if n + 1 < len(shots) else 0
        begin, end = at + head, at + shot.frames - following // 2
        if shot.clip != GAP and clips[shot.clip].sounds and at_own_speed(shot) and end > begin:
            start = shot.start / clips[shot.clip].rate + head / rate
            pieces.append(SoundPiece(shot.clip, start, (end - begin) / rate, begin / rate))
        at += shot.frames - following
    return (tuple(pieces),) if pieces else ()


def at_own_speed(shot: Shot) -> bool:
    """Whether it runs forwards at its clip's own speed."""
    return shot.speed == 1 and not shot.still and not shot.reverse
