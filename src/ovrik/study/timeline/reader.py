"""A timeline file becomes a programme: cuts, gaps, dissolves, overlays and sound, to the frame."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import FITS, GAP, INSIDE, Overlay, Programme, working_format
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.programme.treatment_kinds import KINDS
from ovrik.study.timeline.cut import Cut, Item, at_own_speed, linked_sound, start_within
from ovrik.study.timeline.file import open_timeline
from ovrik.study.timeline.media_finder import Clips, MediaFinder, exact_rate, path_of_url
from ovrik.study.timeline.speed import Speed, is_remap, remap_speed, sequence_size, switched_off, warp_speed

OWN = "ovrik"
"""Key of the metadata in which a programme's own settings travel in an .otio file."""
DEEPEST = 40


@dataclass(frozen=True)
class TimelineRead:
    """What was read. Fields: `programme`, None while media are missing; `missing`, names of media that
    were not found; `left_out`, what is not carried, in words."""

    programme: Programme | None
    missing: tuple[str, ...]
    left_out: tuple[str, ...]


SENSELESS = (ArithmeticError, ValueError, TypeError, LookupError, AttributeError)
"""What values of the wrong kind end in, deep in a timeline: a rate of 0, a length that is a text."""


def read_with(
    clips: Clips, path: Path, folders: Sequence[Path] = (), rate: Fraction | None = None
) -> TimelineRead:
    """Read an .otio, .edl or xmeml file; `clips` opens the clips that it names. They are looked for where the file
    says, then by name in `folders` and beside the file. `rate` in frames per second is only needed for an .edl,
    which does not state it; without one the first clip's is taken. Raises OvrikError when it can't be read."""
    finder = MediaFinder(path.parent, clips, folders)
    timeline, left_out_before = open_timeline(path, finder, rate)
    reader = _Reader(timeline, finder, left_out=left_out_before)
    try:
        reader.read()
        left_out = tuple(dict.fromkeys([*reader.left_out, *_stand_ins(finder)]))
        if reader.missing:
            return TimelineRead(None, tuple(dict.fromkeys(reader.missing)), left_out)
        return TimelineRead(reader.programme(timeline.name or path.stem, left_out), (), left_out)
    except SENSELESS as exc:
        raise OvrikError(f"{path} can't be read: it makes no sense ({exc})", "Export it again") from exc


def _stand_ins(finder: MediaFinder) -> list[str]:
    """Clips that are another file than the timeline names, in words."""
    out = []
    for name, path in finder.stand_ins.items():
        clip = finder.footage(path)
        out.append(
            f"the file {name}, which is not there: {path.name} stands in for it, {clip.shown_width}×"
            f"{clip.shown_height}, {clip.frames} frames at {float(clip.rate):g} fps; see that it is the same clip "
            "and no proxy"
        )
    return out


LONGER = 2
"""Frames by which the length of a clip may be another than a timeline says, which rounds it to frames of its own."""


def _as_long(clip: Footage, media: Any) -> bool:
    """Whether a clip is as long as the one that a timeline names, as far as that says how long it is. Of its size a
    timeline knows nothing."""
    known = media.available_range if media is not None else None
    if known is None or known.duration.value <= 0:
        return True
    return abs(_seconds(known.duration) - clip.frames / clip.rate) <= LONGER / clip.rate


@dataclass
class _Reader:
    timeline: Any
    finder: MediaFinder
    missing: list[str] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    cut: Cut = field(default_factory=Cut)
    video: list[list[Item]] = field(default_factory=list)
    audio: list[list[Item]] = field(default_factory=list)

    def read(self) -> None:
        """Go through all tracks."""
        for number, track in enumerate(self.timeline.tracks, 1):
            if switched_off(track):
                self.left_out.append(f"track “{track.name or number}”, which is switched off")
                continue
            self._list_effects(track, f"track “{track.name or number}”")
            items = list(self._track(track, 0))
            (self.audio if track.kind == "Audio" else self.video).append(items)
            if len(track.markers):
                self.left_out.append(f"{len(track.markers)} markers")
        self._list_effects(self.timeline.tracks, "the whole timeline")
        if len(self.timeline.tracks.markers):
            self.left_out.append(f"{len(self.timeline.tracks.markers)} markers")

    def _list_effects(self, thing: Any, name: str) -> None:
        for effect in thing.effects:
            self.left_out.append(f"the effect “{_named(effect)}” on {name}")

    def _track(self, track: Any, depth: int) -> Iterator[Item]:
        import opentimelineio as otio

        if depth > DEEPEST:
            raise OvrikError(f"The timeline is nested more than {DEEPEST} deep", "Flatten it first")
        at, into, sound = Fraction(0), (Fraction(0), Fraction(0)), track.kind == "Audio"
        for child in track:
            if isinstance(child, otio.schema.Transition):
                into = self._transition(child, sound)
                continue
            length = _seconds(child.trimmed_range().duration)
            if length <= 0:
                self.left_out.append(f"“{child.name}”, which has no length")
                continue
            for item in self._items(child, length, sound, depth):
                yield replace(item, at=at + item.at, into=into if not item.at else (Fraction(0), Fraction(0)))
            at, into = at + length, (Fraction(0), Fraction(0))

    def _transition(self, found: Any, sound: bool) -> tuple[Fraction, Fraction]:
        if sound:
            self.left_out.append("cross-fades of audio: they become cuts")
        elif found.transition_type != "SMPTE_Dissolve":
            self.left_out.append(f"the transition “{found.name or found.transition_type}”: it is a cut")
        else:
            return _seconds(found.in_offset), _seconds(found.out_offset)
        return Fraction(0), Fraction(0)

    def _items(self, child: Any, length: Fraction, sound: bool, depth: int) -> Iterator[Item]:
        import opentimelineio as otio

        if len(child.markers):
            self.left_out.append(f"{len(child.markers)} markers on “{child.name}”")
        if isinstance(child, otio.schema.Gap) or switched_off(child):
            if not isinstance(child, otio.schema.Gap):
                self.left_out.append(f"“{child.name}”, which is switched off: it is black")
            else:
                self._list_effects(child, "a gap")
            yield Item(Fraction(0), length)
        elif isinstance(child, otio.schema.Clip):
            yield self._clip(child, length, sound)
        else:
            yield from self._nested(child, length, sound, depth)

    def _nested(self, child: Any, length: Fraction, sound: bool, depth: int) -> Iterator[Item]:
        """What is inside a nested timeline, cut to the segment of it that is used."""
        import opentimelineio as otio

        track = child
        if isinstance(child, otio.schema.Stack):
            kind = "Audio" if sound else "Video"
            inner = [t for t in child if getattr(t, "kind", kind) == kind]
            if len(inner) > 1:
                self.left_out.append(f"{len(inner) - 1} upper tracks inside “{child.name}”")
            if not inner:
                yield Item(Fraction(0), length)
                return
            track = inner[0]
        self._list_effects(child, f"“{child.name}”")
        if track is not child:
            self._list_effects(track, f"a track inside “{child.name}”")
        skip = _seconds(child.trimmed_range().start_time)
        inside = (
            self._items(track, length, sound, depth + 1)
            if isinstance(track, otio.schema.Clip)
            else self._track(track, depth + 1)
        )
        done = Fraction(0)
        for item in inside:
            begin, end = max(item.at, skip), min(item.at + item.length, skip + length)
            if begin < end:
                yield replace(item, at=begin - skip, length=end - begin, start=start_within(item, begin, end))
                done = end - skip
        if done < length:
            yield Item(done, length - done)

    def _clip(self, child: Any, length: Fraction, sound: bool) -> Item:
        import opentimelineio as otio

        media = child.media_reference
        if isinstance(media, otio.schema.GeneratorReference | otio.schema.ImageSequenceReference):
            kind = (
                "generated picture" if isinstance(media, otio.schema.GeneratorReference) else "image sequence"
            )
            self.left_out.append(f"the {kind} “{child.name}”: it is black")
            return Item(Fraction(0), length)
        address = _coming_clip(child) or getattr(media, "target_url", "") or ""
        names = [n for n in (child.name, media.name if media else "", _reel(child)) if n]
        found = self.finder.find(address, names)
        if found is None:
            self.missing.append(address or child.name or "a clip without a name")
            return Item(Fraction(0), length)
        clip = self.finder.footage(found)
        if self.finder.stands_in(found) and not _as_long(clip, media):
            self.missing.append(f"{address or child.name} ({found.name} has its name, but not its length)")
            return Item(Fraction(0), length)
        start = _seconds(child.trimmed_range().start_time) - self._media_start(media, clip, child)
        if sound:
            self._list_effects(child, f"the audio of “{child.name}”")
            return Item(Fraction(0), length, clip, start, child.name)
        treatments, speed = self._effects(child, start * clip.rate)
        start = start if speed.start is None else speed.start / clip.rate
        return Item(
            at=Fraction(0),
            length=length,
            clip=clip,
            start=start,
            name=child.name,
            treatments=treatments,
            still=not speed.factor,
            reverse=speed.reverse,
        )

    def _media_start(self, media: Any, clip: Footage, child: Any) -> Fraction:
        """Time that the clip's first frame has in the timeline's counting."""
        import opentimelineio as otio

        begin = _seconds(child.trimmed_range().start_time)
        code = self.finder.clips.timecode(Path(clip.path))
        try:
            first = _seconds(otio.opentime.from_timecode(code, float(clip.rate))) if code else None
        except ValueError:
            first = None
        range_ = media.available_range if media is not None else None
        counted = _seconds(range_.start_time) if range_ is not None else begin
        # What is counted from the file's own time code lies between its first and its last frame.
        if first is not None and first <= counted and begin <= first + Fraction(clip.duration_s):
            return first
        return _seconds(range_.start_time) if range_ is not None else Fraction(0)

    def _effects(self, child: Any, at: Fraction) -> tuple[tuple[Treatment, ...], Speed]:
        """Treatments, and the speed that the clip is played at; `at` is its in point in frames."""
        import opentimelineio as otio

        made: list[Treatment] = []
        speed = Speed()
        for effect in child.effects:
            own = effect.metadata.get(OWN)
            if own:
                made.append(self._own(own))
                if isinstance(effect, otio.schema.LinearTimeWarp):
                    speed = replace(speed, reverse=effect.time_scalar < 0)
            elif isinstance(effect, otio.schema.LinearTimeWarp):
                speed = warp_speed(effect.time_scalar)
            elif is_remap(effect):
                speed = remap_speed(effect, at)
            else:
                self.left_out.append(f"the effect “{_named(effect)}” on “{child.name}”")
        if speed.left_out:
            self.left_out.append(f"{speed.left_out} of “{child.name}”: it runs at its own speed")
            return tuple(made), Speed()
        if speed.factor not in (0, 1):
            made.insert(
                0, treatment("retime", {"speed": float(100 * speed.factor), "method": "nearest frame"})
            )
        return tuple(made), speed

    def _own(self, said: Any) -> Treatment:
        """A treatment that travelled in the metadata; its files are taken from the timeline's folder."""
        kind, values = str(said["kind"]), {str(k): v for k, v in dict(said["values"]).items()}
        for p in KINDS[kind].parameters if kind in KINDS else ():
            if p.is_file and values.get(p.name):
                values[p.name] = str(path_of_url(str(values[p.name]), self.finder.beside))
        return treatment(kind, values)

    # From seconds to frames

    def programme(self, name: str, left_out: tuple[str, ...]) -> Programme:
        """The programme, once all media are found."""
        first = next((i.clip for track in self.video for i in track if i.clip), None)
        if first is None:
            raise OvrikError(
                "The timeline holds no video that can be exported", "Choose one with clips on a video track"
            )
        own, notes = self.timeline.metadata.get(OWN, {}), list(left_out)
        rate = Fraction(str(own["rate"])) if own else self._rate(first)
        shots = self.cut.shots(self.video[0], rate, notes)
        overlays = tuple(
            Overlay(at, shot)
            for track in self.video[1:]
            for at, shot in self.cut.placed(track, rate, notes, upper=True)
            if shot.clip != GAP
        )
        sound = tuple(t for t in (self.cut.pieces(track) for track in self.audio) if t)
        if not self.audio:
            sound = linked_sound(shots, self.cut.clips, rate)
            if sound:
                notes.append("no audio track: the shots' own audio is used")
            silent = sum(
                s.clip != GAP and bool(self.cut.clips[s.clip].sounds) and not at_own_speed(s) for s in shots
            )
            if silent:
                notes.append(f"the audio of {silent} retimed shot{'s' * (silent > 1)}")
        over = tuple(self._own(t) for t in own.get("treatments", ()))
        made = Programme(
            name=name,
            clips=tuple(self.cut.clips),
            width=first.shown_width,
            height=first.shown_height,
            rate=rate,
            pixel_format=str(own.get("pixel_format") or working_format(first)),
            shots=shots,
            overlays=overlays,
            sound=sound,
            treatments=over,
            left_out=tuple(dict.fromkeys(notes)),
            sample_aspect=first.shown_aspect,
        )
        return self._framed(made, own)

    def _framed(self, made: Programme, own: Any) -> Programme:
        """In the frame that Ovrik wrote down, or in the sequence's own; else it stays that of the first clip."""
        if own:
            return replace(
                made,
                width=int(own["width"]),
                height=int(own["height"]),
                sample_aspect=Fraction(str(own.get("sample_aspect", 1))),
                fit=str(own["fit"]) if own.get("fit") in FITS else INSIDE,
            )
        said = sequence_size(self.timeline)
        if said is None:
            return made
        try:
            return made.sized(*said)
        except OvrikError as exc:
            words = f"the sequence's own size: {exc.problem}; it has its first clip's, {made.width} × {made.height}"
            return replace(made, left_out=(*made.left_out, words))

    def _rate(self, first: Footage) -> Fraction:
        begin = self.timeline.global_start_time
        return exact_rate(begin.rate) if begin is not None and begin.rate > 1 else first.rate


def _named(effect: Any) -> str:
    kind = type(effect).__name__
    plain = "without a name" if kind == "Effect" else kind
    return str(effect.name or effect.effect_name or plain)


def _seconds(time: Any) -> Fraction:
    return Fraction(time.value).limit_denominator(1_000_000) / exact_rate(time.rate)


def _reel(child: Any) -> str:
    return str(child.metadata.get("cmx_3600", {}).get("reel", ""))


def _coming_clip(child: Any) -> str:
    """The file of the clip that a dissolve in an .edl leads to; its event names the clip before as well."""
    comments = child.metadata.get("cmx_3600", {}).get("comments", ())
    return next(
        (str(c).removeprefix("TO CLIP:").strip() for c in comments if str(c).startswith("TO CLIP:")), ""
    )
