"""A programme is written as a timeline file that other software can open."""

import os
import re
from fractions import Fraction
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.files.whole_file import write_asked
from ovrik.study.programme.programme import GAP, Programme, Shot, SoundPiece
from ovrik.study.programme.treatment import Treatment
from ovrik.study.timeline.reader import OWN


def write_timeline(programme: Programme, path: Path) -> tuple[str, ...]:
    """Write .otio, with treatments in its metadata, or .edl, which holds cuts, dissolves and constant speeds of the
    first track only; gives what the file can't hold, in words. Raises OvrikError when it can't be written."""
    import opentimelineio as otio

    adapter = {".otio": "otio_json", ".edl": "cmx_3600"}.get(path.suffix.lower())
    if adapter is None:
        raise OvrikError(
            f"{path} names no kind of timeline that can be written", "End its name in .otio or .edl"
        )
    made, lost = timeline_of(programme, path.parent), tuple[str, ...]()
    if adapter == "cmx_3600":
        lost = _lost_in_edl(programme)
        for track in list(made.tracks)[1:]:
            made.tracks.remove(track)
        _for_edl(made)
    try:
        text = otio.adapters.write_to_string(made, adapter)
    except Exception as exc:  # the adapters raise what they like
        raise OvrikError(
            f"{path.name} can't hold this programme ({str(exc)[:160]})", "Write it as .otio"
        ) from exc
    write_asked(path, text)
    return lost


REEL = 8
"""Characters of a reel's name that an event has room for; spaces would part it into two fields."""


def _for_edl(made: Any) -> None:
    """What an event can't hold is taken away; reels get names that fit, one for each clip file."""
    import opentimelineio as otio

    reels: dict[str, str] = {}
    for clip in made.find_clips():
        clip.effects[:] = [e for e in clip.effects if isinstance(e, otio.schema.TimeEffect)]
        address = clip.media_reference.target_url
        if address not in reels:
            plain = re.sub(r"[^A-Za-z0-9]+", "_", Path(address).stem)[:REEL] or "reel"
            taken, number = set(reels.values()), 1
            while plain in taken:
                number += 1
                plain = f"{plain[: REEL - len(str(number))]}{number}"
            reels[address] = plain
        clip.metadata["cmx_3600"] = {"reel": reels[address]}


def _lost_in_edl(p: Programme) -> tuple[str, ...]:
    """What of a programme no .edl can hold."""
    treated = [t for s in p.shots for t in s.treatments if t.kind != "retime"]
    methods = {t["method"] for s in p.shots for t in s.treatments if t.kind == "retime"} - {"nearest frame"}
    counted = (
        (len(p.overlays), "overlay", ""),
        (len(p.sound), "audio track", ""),
        (len(treated), "treatment", " of shots"),
        (len(p.treatments), "treatment", " over the whole"),
    )
    lost = [f"{n} {what}{'s' * (n > 1)}{where}" for n, what, where in counted if n]
    lost += [f"how speeds are done: {', '.join(sorted(map(str, methods)))}"] if methods else []
    other = {c.path for c in p.clips if c.rate != p.rate}
    lost += [f"exact in points of {len(other)} clip{'s' * (len(other) > 1)} at another rate"] if other else []
    return (*lost, f"the size {p.width} × {p.height} and the rate {float(p.rate):g} fps")


def timeline_of(programme: Programme, folder: Path) -> Any:
    """The programme as a timeline; clips within `folder` are named relative to it."""
    import opentimelineio as otio

    time = otio.opentime.RationalTime
    made = otio.schema.Timeline(programme.name, global_start_time=time(0, float(programme.rate)))
    made.metadata[OWN] = {
        "width": programme.width,
        "height": programme.height,
        "pixel_format": programme.pixel_format,
        "rate": f"{programme.rate.numerator}/{programme.rate.denominator}",
        "sample_aspect": str(programme.sample_aspect),
        "fit": programme.fit,
        "treatments": [_told(t, folder) for t in programme.treatments],
    }
    first = otio.schema.Track("V1", kind="Video")
    made.tracks.append(first)
    for n, shot in enumerate(programme.shots):
        following = programme.shots[n + 1].dissolve if n + 1 < len(programme.shots) else 0
        # A timeline cuts in the middle of a dissolve and says how far it reaches to both sides.
        head = shot.dissolve // 2
        tail = following - following // 2
        if shot.dissolve:
            reach = (time(head, float(programme.rate)), time(shot.dissolve - head, float(programme.rate)))
            first.append(otio.schema.Transition("dissolve", "SMPTE_Dissolve", *reach))
        first.append(_item(programme, shot, head, tail, folder))
    for over in programme.overlays:
        track = otio.schema.Track(f"V{len(made.tracks) + 1}", kind="Video")
        if over.at:
            track.append(otio.schema.Gap(duration=time(over.at, float(programme.rate))))
        track.append(_item(programme, over.shot, 0, 0, folder))
        made.tracks.append(track)
    for number, pieces in enumerate(programme.sound, 1):
        made.tracks.append(_sound(programme, pieces, number, folder))
    return made


def _item(programme: Programme, shot: Shot, head: int, tail: int, folder: Path) -> Any:
    """A shot between the cuts, without what it overlaps with its neighbours."""
    import opentimelineio as otio

    time, rate = otio.opentime.RationalTime, programme.rate
    length = time(shot.frames - head - tail, float(rate))
    if shot.clip == GAP:
        return otio.schema.Gap(duration=length)
    clip = programme.clips[shot.clip]
    start = shot.start + round(head * programme.pace(shot))
    span = otio.opentime.TimeRange(time(start, float(clip.rate)), length)
    made = otio.schema.Clip(shot.name or Path(clip.path).name, _media(programme, shot.clip, folder), span)
    if shot.still:
        made.effects.append(otio.schema.FreezeFrame())
    elif shot.reverse and not any(t.kind == "retime" for t in shot.treatments):
        made.effects.append(otio.schema.LinearTimeWarp(time_scalar=-1.0))
    for t in shot.treatments:
        made.effects.append(_effect(t, shot.reverse, folder))
    return made


def _effect(t: Treatment, reverse: bool, folder: Path) -> Any:
    """A treatment as an effect; a retime as the linear time warp that other software reads."""
    import opentimelineio as otio

    if t.kind == "retime":
        scalar = t["speed"] / 100 * (-1 if reverse else 1)
        effect = otio.schema.LinearTimeWarp(t.facts.title, time_scalar=scalar)
    else:
        effect = otio.schema.Effect(t.facts.title, f"{OWN}.{t.kind}")
    effect.metadata[OWN] = _told(t, folder)
    return effect


def _told(t: Treatment, folder: Path) -> dict[str, Any]:
    """A treatment in a timeline's metadata; files within `folder` are named relative to it."""
    values = dict(t.values)
    for p in t.facts.parameters:
        if p.is_file and values[p.name] and folder in Path(str(values[p.name])).parents:
            values[p.name] = os.path.relpath(str(values[p.name]), folder)
    return {"kind": t.kind, "values": values}


def _media(programme: Programme, clip: int, folder: Path) -> Any:
    import opentimelineio as otio

    found, time = programme.clips[clip], otio.opentime.RationalTime
    path = Path(found.path)
    address = os.path.relpath(path, folder) if folder in path.parents else str(path)
    span = otio.opentime.TimeRange(time(0, float(found.rate)), time(found.frames, float(found.rate)))
    made = otio.schema.ExternalReference(address, span)
    made.name = path.name
    return made


def _sound(programme: Programme, pieces: tuple[SoundPiece, ...], number: int, folder: Path) -> Any:
    import opentimelineio as otio

    track = otio.schema.Track(f"A{number}", kind="Audio")
    at = Fraction(0)
    for piece in pieces:
        if piece.at > at:
            track.append(otio.schema.Gap(duration=_time(piece.at - at)))
        span = otio.opentime.TimeRange(_time(piece.start), _time(piece.length))
        name = Path(programme.clips[piece.clip].path).name
        track.append(otio.schema.Clip(name, _media(programme, piece.clip, folder), span))
        at = piece.at + piece.length
    return track


SOUND_RATE = 48_000


def _time(seconds: Fraction) -> Any:
    import opentimelineio as otio

    return otio.opentime.RationalTime(float(seconds * SOUND_RATE), SOUND_RATE)
