"""The edit being exported: shots in order, with treatments and sound."""

import hashlib
import json
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from itertools import accumulate
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import ColourTags, Footage, Sound
from ovrik.study.programme.treatment import Treatment

GAP = -1
INSIDE, FILL, AS_IT_IS = FITS = ("inside", "fill", "as is")
"""How a clip of another shape comes into the frame: all of it, with bars; all of the frame, cut at its edges; or at
its own size, in the middle."""
LEAST_SIDE, MOST_SIDE = 16, 16384


@dataclass(frozen=True)
class Shot:
    """One segment of a clip, or of black.

    Fields: `clip`, its index in the programme's clips, or `GAP`; `start`, the first frame taken, in
    the clip's own frames; `frames`, how long it stands, in the programme's frames, dissolves at
    both ends included; `dissolve`, the frames at its head during which it comes up over the shot
    before; `treatments` in the order in which they are applied; `name` from the timeline, or ""; `still`, whether its
    one frame stands throughout; `reverse`, whether it is played backwards: then `start` is the earliest frame it
    shows.
    """

    clip: int
    start: int
    frames: int
    dissolve: int = 0
    treatments: tuple[Treatment, ...] = ()
    name: str = ""
    still: bool = False
    reverse: bool = False

    @property
    def speed(self) -> Fraction:
        """Speed of the last retime, 1 when there is none."""
        found = [t["speed"] for t in self.treatments if t.kind == "retime"]
        return Fraction(found[-1]).limit_denominator(1000) / 100 if found else Fraction(1)


@dataclass(frozen=True)
class Overlay:
    """A shot laid over the first track. Fields: `at`, the programme's picture it begins with; `shot`."""

    at: int
    shot: Shot


@dataclass(frozen=True)
class SoundPiece:
    """A segment of a clip's sound. Fields: `clip`, index; `start`, `length` within the clip and `at`
    in the programme, all in seconds, exact."""

    clip: int
    start: Fraction
    length: Fraction
    at: Fraction


@dataclass(frozen=True)
class Programme:
    """An edit.

    Fields: `name`; `clips`, the footage it draws on; `width`, `height` in pixels, `rate` in frames per
    second and `pixel_format` in which it is put together; `shots` of the first track in order, end to
    end; `overlays`; `sound`, tracks of pieces, each in order and without overlap; `treatments` over the
    whole; `left_out`, what the timeline holds that is not carried, in words; `sample_aspect`, the shape of a
    pixel, 1 when square; `fit`, how clips of another shape come into the frame, one of `FITS`.
    """

    name: str
    clips: tuple[Footage, ...]
    width: int
    height: int
    rate: Fraction
    pixel_format: str
    shots: tuple[Shot, ...]
    overlays: tuple[Overlay, ...] = ()
    sound: tuple[tuple[SoundPiece, ...], ...] = ()
    treatments: tuple[Treatment, ...] = ()
    left_out: tuple[str, ...] = ()
    sample_aspect: Fraction = Fraction(1)
    fit: str = INSIDE

    @cached_property
    def starts(self) -> tuple[int, ...]:
        """The programme's picture with which each shot begins, its dissolve included."""
        steps = accumulate(
            (
                s.frames - following
                for s, following in zip(self.shots, [s.dissolve for s in self.shots[1:]] + [0], strict=True)
            ),
            initial=0,
        )
        return tuple(steps)[:-1]

    @cached_property
    def frames(self) -> int:
        """Length in frames."""
        return sum(s.frames for s in self.shots) - sum(s.dissolve for s in self.shots[1:])

    @property
    def duration_s(self) -> float:
        """Length in seconds."""
        return float(self.frames / self.rate)

    def time_of(self, frame: int) -> float:
        """Time in seconds of a picture, from the first one."""
        return float(frame / self.rate)

    @cached_property
    def plain(self) -> bool:
        """Whether it is one untreated clip from its first frame to its last, as it is."""
        return (
            len(self.clips) == 1
            and not self.treatments
            and not self.overlays
            and self.shots == (Shot(0, 0, self.clips[0].frames, name=self.shots[0].name),)
            and (self.width, self.height) == (self.clips[0].shown_width, self.clips[0].shown_height)
            and self.rate == self.clips[0].rate
        )

    @property
    def colour(self) -> ColourTags:
        """Colour tags of the picture as it is delivered: those that all its clips share, else none."""
        found = {c.delivered_colour for c in self.clips}
        return found.pop() if len(found) == 1 else ColourTags()

    @property
    def sounds(self) -> tuple[Sound, ...]:
        """The sound it is delivered with: one stream, or none."""
        if not self.sound:
            return ()
        first = next((self.clips[p.clip] for track in self.sound for p in track), None)
        return first.sounds[:1] if first else ()

    @cached_property
    def checksum(self) -> str:
        """Names what is seen and heard: of a plain programme, its clip's own checksum."""
        if self.plain:
            return self.clips[0].checksum
        said = {k: v for k, v in self.to_json().items() if k not in ("name", "left_out")}
        for shot in (*said["shots"], *(o["shot"] for o in said["overlays"])):
            shot.pop("name")
        # A file is known by what is in it, wherever it lies.
        return hashlib.sha256(json.dumps(_without_paths(said), sort_keys=True).encode()).hexdigest()

    @property
    def every_treatment(self) -> tuple[Treatment, ...]:
        """All treatments, of shots first, each once."""
        found = [t for s in (*self.shots, *(o.shot for o in self.overlays)) for t in s.treatments]
        return tuple(dict.fromkeys([*found, *self.treatments]))

    def shot_at(self, frame: int) -> int:
        """Index of the shot that stands at a picture; of two that dissolve, the one coming up."""
        return max(0, bisect_right(self.starts, frame) - 1)

    def source_of(self, frame: int) -> tuple[int, int]:
        """Clip index and the clip's picture that stands at a picture, before treatments."""
        at = self.shot_at(frame)
        shot = self.shots[at]
        if shot.clip == GAP:
            return GAP, 0
        clip = self.clips[shot.clip]
        place = frame - self.starts[at]
        taken = shot.start + int((shot.frames - 1 - place if shot.reverse else place) * self.pace(shot))
        return shot.clip, min(taken, clip.frames - 1)

    def pace(self, shot: Shot) -> Fraction:
        """Frames of the clip for each frame of the programme."""
        if shot.still:
            return Fraction(0)
        return shot.speed * self.clips[shot.clip].rate / self.rate if shot.clip != GAP else Fraction(1)

    def sized(self, width: int, height: int, fit: str = "") -> "Programme":
        """The same edit in a frame of another size, its pixels square. Raises OvrikError for a size that no frame can
        have."""
        if any(side % 2 or not LEAST_SIDE <= side <= MOST_SIDE for side in (width, height)):
            raise OvrikError(
                f"{width}×{height} is no size for a frame",
                f"Give even sides of {LEAST_SIDE} to {MOST_SIDE} pixels",
            )
        same = (width, height) == (self.width, self.height)
        aspect = self.sample_aspect if same else Fraction(1)
        return replace(self, width=width, height=height, sample_aspect=aspect, fit=fit or self.fit)

    def with_shot(self, index: int, shot: Shot) -> "Programme":
        """The same programme with another shot in one place."""
        return replace(self, shots=(*self.shots[:index], shot, *self.shots[index + 1 :]))

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON; clips are named by their checksums."""
        return {
            "name": self.name,
            "clips": [c.checksum for c in self.clips],
            "width": self.width,
            "height": self.height,
            "rate": f"{self.rate.numerator}/{self.rate.denominator}",
            "pixel_format": self.pixel_format,
            "shots": [_shot_json(s) for s in self.shots],
            "overlays": [{"at": o.at, "shot": _shot_json(o.shot)} for o in self.overlays],
            "sound": [
                [[p.clip, str(p.start), str(p.length), str(p.at)] for p in track] for track in self.sound
            ],
            "treatments": [t.to_json() for t in self.treatments],
            "left_out": list(self.left_out),
            # Written only where it is not square, so that what was known by its checksum stays known.
            **({} if self.sample_aspect == 1 else {"sample_aspect": str(self.sample_aspect)}),
            **({} if self.fit == INSIDE else {"fit": self.fit}),
        }

    @classmethod
    def from_json(cls, data: dict[str, Any], clips: Sequence[Footage]) -> "Programme":
        """The inverse of `to_json`; `clips` are the footage it names, in its order."""
        sound = tuple(
            tuple(SoundPiece(c, Fraction(s), Fraction(n), Fraction(a)) for c, s, n, a in track)
            for track in data["sound"]
        )
        if data.get("fit", INSIDE) not in FITS:
            raise ValueError(f"a fit is one of {', '.join(FITS)}")
        return cls(
            data["name"],
            tuple(clips),
            data["width"],
            data["height"],
            Fraction(data["rate"]),
            data["pixel_format"],
            tuple(_shot(s) for s in data["shots"]),
            tuple(Overlay(o["at"], _shot(o["shot"])) for o in data["overlays"]),
            sound,
            tuple(Treatment.from_json(t) for t in data["treatments"]),
            tuple(data["left_out"]),
            Fraction(data.get("sample_aspect", 1)),
            data.get("fit", INSIDE),
        )


DEPTHS = {8: "", 9: "10le", 10: "10le", 12: "12le", 14: "16le", 16: "16le"}
SAMPLINGS = {"4:2:0": "420", "4:2:2": "422", "4:4:4": "444", "RGB": "444"}


def working_format(clip: Footage) -> str:
    """The planar Y'CbCr format nearest to a clip's own: its sampling and its depth."""
    return f"yuv{SAMPLINGS.get(clip.chroma, '420')}p{DEPTHS.get(clip.bit_depth, '16le')}"


def of_clip(clip: Footage) -> Programme:
    """One clip, whole, as it is."""
    return of_clips(clip.path.rsplit("/", 1)[-1], (clip,))


def of_clips(name: str, clips: Sequence[Footage]) -> Programme:
    """Clips in order, each whole; size, rate and pixel format are those of the first."""
    first = clips[0]
    shots, sound, at = [], [], Fraction(0)
    for number, clip in enumerate(clips):
        frames = clip.frames if clip.rate == first.rate else int(clip.frames / clip.rate * first.rate)
        shots.append(Shot(number, 0, frames, name=clip.path.rsplit("/", 1)[-1]))
        length = frames / first.rate
        if clip.sounds:
            sound.append(SoundPiece(number, Fraction(0), length, at))
        at += length
    return Programme(
        name=name,
        clips=tuple(clips),
        width=first.shown_width,
        height=first.shown_height,
        rate=first.rate,
        pixel_format=working_format(first),
        shots=tuple(shots),
        sound=(tuple(sound),) if sound else (),
        sample_aspect=first.shown_aspect,
    )


def _shot_json(s: Shot) -> dict[str, Any]:
    return {
        "clip": s.clip,
        "start": s.start,
        "frames": s.frames,
        "dissolve": s.dissolve,
        "treatments": [t.to_json() for t in s.treatments],
        "name": s.name,
        **({"still": True} if s.still else {}),
        **({"reverse": True} if s.reverse else {}),
    }


def _shot(data: dict[str, Any]) -> Shot:
    made = tuple(Treatment.from_json(t) for t in data["treatments"])
    return Shot(
        clip=data["clip"],
        start=data["start"],
        frames=data["frames"],
        dissolve=data["dissolve"],
        treatments=made,
        name=data["name"],
        still=data.get("still", False),
        reverse=data.get("reverse", False),
    )


def _without_paths(said: Any) -> Any:
    """The same values, with each file's name replaced by its checksum."""
    if isinstance(said, list):
        return [_without_paths(v) for v in said]
    if not isinstance(said, dict):
        return said
    sums = said.get("checksums")
    if isinstance(sums, dict) and "values" in said:
        return {"kind": said["kind"], "values": {**said["values"], **sums}}
    return {k: _without_paths(v) for k, v in said.items()}
