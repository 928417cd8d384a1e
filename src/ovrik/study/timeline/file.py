"""Opening timeline files of the kinds that are understood, with plain words for those that are not."""

import re
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from ovrik.errors import OvrikError
from ovrik.study.files.text_file import TIMELINE_BYTES, read_text
from ovrik.study.timeline.edl import read_edl
from ovrik.study.timeline.media_finder import MediaFinder

ADAPTERS = {".otio": "otio_json", ".edl": "cmx_3600", ".xml": "fcp_xml"}
DEEPEST_JSON = 600
OPENING, CLOSING = list(b"[{"), list(b"]}")


def open_timeline(path: Path, finder: MediaFinder, rate: Fraction | None) -> tuple[Any, list[str]]:
    """The timeline in a file, and what of it is left out already, in words. Raises OvrikError saying what is wrong
    with it and what to do."""
    import opentimelineio as otio

    adapter = ADAPTERS.get(path.suffix.lower())
    if adapter is None:
        raise OvrikError(
            f"{path} is no timeline that can be read", "Export it as .otio, CMX 3600 .edl or xmeml .xml"
        )
    text = _text(path)
    _check(path, adapter, text)
    try:
        if adapter == "cmx_3600":
            found, left_out = read_edl(text, finder, rate)
        else:
            found, left_out = otio.adapters.read_from_string(text, adapter), []
    except OvrikError as exc:
        raise type(exc)(f"{path} can't be read. {exc.problem}", exc.remedy) from None
    except Exception as exc:  # the adapters raise what they like
        raise OvrikError(
            f"{path} can't be read: {_first_line(exc)}", "Export it again from where it was made"
        ) from exc
    timeline = _first_timeline(found)
    if timeline is None:
        raise OvrikError(f"{path} holds no timeline", "Export the timeline itself")
    return timeline, left_out


def _text(path: Path) -> str:
    return read_text(path, TIMELINE_BYTES, "a timeline")


def _check(path: Path, adapter: str, text: str) -> None:
    if adapter == "fcp_xml" and not re.search(r"<xmeml[\s>]", text[:4000]):
        raise OvrikError(f"{path} is XML, but its root element is not xmeml", "Export it as xmeml or .otio")
    if adapter == "otio_json":
        deepest = nesting(text)
        if deepest > DEEPEST_JSON:
            raise OvrikError(f"{path} is nested {deepest} deep", "Flatten the timeline first")


def nesting(text: str) -> int:
    """How deep brackets stand in one another in JSON text, those within strings aside."""
    marks = np.frombuffer(re.sub(r'"(?:[^"\\]|\\.)*"', "", text).encode(), np.uint8)
    steps = np.isin(marks, OPENING).astype(np.int8) - np.isin(marks, CLOSING)
    return int(np.cumsum(steps, dtype=np.int64).max(initial=0))


def _first_line(exc: Exception) -> str:
    return (str(exc).strip().splitlines() or [type(exc).__name__])[0][:200]


def _first_timeline(found: Any) -> Any:
    import opentimelineio as otio

    if isinstance(found, otio.schema.Timeline):
        return found
    if isinstance(found, otio.schema.SerializableCollection):
        return next((t for t in map(_first_timeline, found) if t is not None), None)
    if isinstance(found, otio.schema.Stack | otio.schema.Track):
        made = otio.schema.Timeline(found.name)
        tracks = list(found) if isinstance(found, otio.schema.Stack) else [found]
        for track in tracks:
            made.tracks.append(track.deepcopy())
        return made
    return None
