"""A CMX 3600 .edl: at its rate, with every track at its place, and a word for what can't be carried."""

import re
from fractions import Fraction
from typing import Any

from ovrik.errors import OvrikError
from ovrik.study.timeline.media_finder import MediaFinder

EDL_RATES = (Fraction(25), Fraction(24), Fraction(30), Fraction(50), Fraction(60))
DROP_RATES = (Fraction(30000, 1001), Fraction(60000, 1001))
FROM_CLIP = re.compile(r"^\*\s*(?:FROM|TO) CLIP NAME:\s*(.+?)\s*$", re.MULTILINE)
DROP = re.compile(r"\d\d:\d\d:\d\d;\d\d|^FCM: *DROP FRAME", re.MULTILINE)
KEYED = re.compile(r"^(\d+) +\S+ +\S+ +K\b", re.MULTILINE)
MOTION = re.compile(r"^M2\b", re.MULTILINE)


class RateNeeded(OvrikError):  # noqa: N818 - a question, rather than a fault
    """Only a person knows the rate: one of `DROP_RATES`."""


def read_edl(text: str, finder: MediaFinder, rate: Fraction | None) -> tuple[Any, list[str]]:
    """The timeline of an .edl, and what of it is not carried, in words. It does not state its rate: that is the one
    given, else its first clip's, else one that fits. Raises OvrikError where only a person knows the rate."""
    import opentimelineio as otio

    problem: Exception | None = None
    for candidate in [rate] if rate else _rates(text, finder):
        try:
            made = otio.adapters.read_from_string(text, "cmx_3600", rate=float(candidate))
        except Exception as exc:  # a frame number above the rate is one way to be wrong
            problem = problem or exc
            continue
        if made.global_start_time is None:
            made.global_start_time = otio.opentime.RationalTime(0, float(candidate))
        _put_in_place(made)
        return made, _left_out(text, made)
    assert problem is not None
    raise problem


def _rates(text: str, finder: MediaFinder) -> list[Fraction]:
    found = _clips_rate(text, finder)
    if DROP.search(text):
        if found not in DROP_RATES:
            raise RateNeeded(
                "It counts in drop-frame time code, and its clips do not say at which rate",
                f"Give its rate: {' or '.join(map(str, DROP_RATES))}",
            )
        return [found]
    return [*([found] if found else []), *EDL_RATES]


def _clips_rate(text: str, finder: MediaFinder) -> Fraction | None:
    for name in FROM_CLIP.findall(text):
        found = finder.find("", [name])
        if found is not None:
            return finder.footage(found).rate
    return None


def _put_in_place(made: Any) -> None:
    """Every track begins where its first event is recorded: it gets a gap up to there."""
    import opentimelineio as otio

    begins = {id(t): -t.source_range.start_time for t in made.tracks if t.source_range is not None}
    first = min(begins.values(), default=None)
    for track in made.tracks:
        ahead = begins[id(track)] - first if id(track) in begins else None
        track.source_range = None
        if ahead is not None and ahead.value > 0:
            track.insert(0, otio.schema.Gap(duration=ahead))


def _left_out(text: str, made: Any) -> list[str]:
    import opentimelineio as otio

    said = [f"the key of event {number}: its clip covers the whole frame" for number in KEYED.findall(text)]
    clips = made.find_clips()
    kept = len({str(c.metadata) + str(c.source_range) for c in clips if _warped(c, otio)})
    lost = len(MOTION.findall(text)) - kept
    if lost > 0:
        said.append(f"{lost} speed change{'s' * (lost > 1)}: source and record are equally long there")
    return said


def _warped(clip: Any, otio: Any) -> bool:
    return any(isinstance(e, otio.schema.LinearTimeWarp) for e in clip.effects)
