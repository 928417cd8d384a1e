"""A programme is written as a timeline file that other software can open."""

import os
from fractions import Fraction
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.programme import GAP, Programme, Shot, SoundPiece
from ovrik.study.timeline import OWN
from ovrik.study.treatment import Treatment


def write_timeline(programme: Programme, path: Path) -> None:
    """Write .otio, with treatments in its metadata, or .edl, which holds cuts and dissolves of the first
    track only. Raises OvrikError when it can't be written."""
    import opentimelineio as otio

    adapter = {".otio": "otio_json", ".edl": "cmx_3600"}.get(path.suffix.lower())
    if adapter is None:
        raise OvrikError(
            f"{path} names no kind of timeline that can be written", "End its name in .otio or .edl"
        )
    made = timeline_of(programme, path.parent)
    if adapter == "cmx_3600":
        for track in list(made.tracks)[1:]:
            made.tracks.remove(track)
    try:
        text = otio.adapters.write_to_string(made, adapter)
    except Exception as exc:  # the adapters raise what they like
        raise OvrikError(
            f"{path.name} can't hold this programme ({str(exc)[:160]})", "Write it as .otio"
        ) from exc
    partial = path.with_name(f".{path.name}.{os.getpid()}")
    try:
        partial.write_text(text, encoding="utf-8")
        partial.replace(path)
    except OSError as exc:
        raise OvrikError(
            f"{path} can't be written ({exc.strerror})", "Check the folder and free space"
        ) from None


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
    elif shot.reverse:
        made.effects.append(otio.schema.LinearTimeWarp(time_scalar=-1.0))
    for t in shot.treatments:
        effect = otio.schema.Effect(t.facts.title, f"{OWN}.{t.kind}")
        effect.metadata[OWN] = _told(t, folder)
        made.effects.append(effect)
    return made


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
