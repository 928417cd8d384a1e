"""Opening timeline files of the kinds that are understood, with plain words for those that are not."""

import re
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from ovrik.errors import OvrikError
from ovrik.study.media import MediaFinder
from ovrik.study.text_file import TIMELINE_BYTES, read_text

ADAPTERS = {".otio": "otio_json", ".edl": "cmx_3600", ".xml": "fcp_xml"}
DEEPEST_JSON = 600
OPENING, CLOSING = list(b"[{"), list(b"]}")
EDL_RATES = (Fraction(25), Fraction(24), Fraction(30), Fraction(50), Fraction(60))
FROM_CLIP = re.compile(r"^\*\s*(?:FROM|TO) CLIP NAME:\s*(.+?)\s*$", re.MULTILINE)
DROP = re.compile(r"\d\d:\d\d:\d\d;\d\d|^FCM: *DROP FRAME", re.MULTILINE)


def open_timeline(path: Path, finder: MediaFinder, rate: Fraction | None) -> Any:
    """The timeline in a file. Raises OvrikError saying what is wrong with it and what to do."""
    import opentimelineio as otio

    adapter = ADAPTERS.get(path.suffix.lower())
    if adapter is None:
        raise OvrikError(
            f"{path} is no timeline that can be read", "Export it as .otio, CMX 3600 .edl or xmeml .xml"
        )
    text = _text(path)
    _check(path, adapter, text)
    try:
        edl = adapter == "cmx_3600"
        found = _edl(text, finder, rate) if edl else otio.adapters.read_from_string(text, adapter)
    except OvrikError:
        raise
    except Exception as exc:  # the adapters raise what they like
        raise OvrikError(
            f"{path} can't be read: {_first_line(exc)}", "Export it again from where it was made"
        ) from exc
    timeline = _first_timeline(found)
    if timeline is None:
        raise OvrikError(f"{path} holds no timeline", "Export the timeline itself")
    return timeline


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


def _edl(text: str, finder: MediaFinder, rate: Fraction | None) -> Any:
    """An .edl does not state its rate: the one given, else its first clip's, else one that fits."""
    import opentimelineio as otio

    rates = [rate] if rate else [*_rates_in(text, finder), *EDL_RATES]
    problem: Exception | None = None
    for candidate in rates:
        try:
            made = otio.adapters.read_from_string(text, "cmx_3600", rate=float(candidate))
        except Exception as exc:  # a frame number above the rate is one way to be wrong
            problem = problem or exc
            continue
        if made.global_start_time is None:
            made.global_start_time = otio.opentime.RationalTime(0, float(candidate))
        return made
    assert problem is not None
    raise problem


def _rates_in(text: str, finder: MediaFinder) -> list[Fraction]:
    for name in FROM_CLIP.findall(text):
        found = finder.find("", [name])
        if found is not None:
            return [finder.footage(found).rate]
    return [Fraction(30000, 1001)] if DROP.search(text) else []


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
