"""Constant speed changes as timelines write them: linear time warps, freeze frames, and xmeml's time remap."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

FCP = "fcp_xml"
SLOWEST, FASTEST = Fraction(1, 100), Fraction(20)
"""Speeds that are exported; others are left out, and said so."""


@dataclass(frozen=True)
class Speed:
    """Fields: `factor` of the clip's own speed, 0 for a freeze frame; `reverse`; `start`, the frame of the clip, in
    frames from its first, that is shown first where the effect itself says so, else None; `left_out`, what can't be
    exported of it, or ""."""

    factor: Fraction = Fraction(1)
    reverse: bool = False
    start: Fraction | None = None
    left_out: str = ""


def warp_speed(scalar: float) -> Speed:
    """A linear time warp by its scalar: negative plays backwards, 0 stands still."""
    factor = Fraction(scalar).limit_denominator(100_000)
    if factor and not SLOWEST <= abs(factor) <= FASTEST:
        return Speed(left_out=f"the speed {float(100 * factor):g} %")
    return Speed(abs(factor), factor < 0)


def is_remap(effect: Any) -> bool:
    """Whether an effect is xmeml's time remap."""
    said = effect.metadata.get(FCP, {})
    return str(said.get("effectid", "")).lower() == "timeremap"


def remap_speed(effect: Any, at: Fraction) -> Speed:
    """xmeml's time remap of a clip whose in point is `at`, in frames of the retimed clip.

    In points of retimed clips count frames as they are after the change; the effect's graph, where it has one, says
    which frame of the clip stands at which of these.
    """
    values = _parameters(effect.metadata[FCP])
    if str(values.get("variablespeed", "0")).strip() in ("1", "TRUE"):
        return Speed(left_out="the changing speed")
    if str(values.get("reverse", "FALSE")).strip().upper() == "TRUE":
        return Speed(left_out="the reverse motion")
    try:
        factor = Fraction(str(values.get("speed", 100)).strip()) / 100
    except (ValueError, ZeroDivisionError):
        return Speed(left_out="a speed that can't be read")
    if factor < 0:
        return Speed(left_out="the reverse motion")
    if factor and not SLOWEST <= factor <= FASTEST:
        return Speed(left_out=f"the speed {float(100 * factor):g} %")
    return Speed(factor, start=_on_the_graph(values.get("graphdict"), at) or at * factor)


def _parameters(said: Mapping[str, Any]) -> dict[str, Any]:
    listed = said.get("parameter", [])
    listed = listed if isinstance(listed, Sequence) and not isinstance(listed, str) else [listed]
    return {
        str(p.get("parameterid", "")): p if "keyframe" in p else p.get("value")
        for p in listed
        if hasattr(p, "get")
    }


def _on_the_graph(graph: Any, at: Fraction) -> Fraction | None:
    """The clip's frame at a frame of the retimed clip, between the graph's two outermost points."""
    if not hasattr(graph, "get"):
        return None
    points = []
    for key in graph.get("keyframe", []):
        try:
            points.append((Fraction(str(key["when"])), Fraction(str(key["value"]))))
        except (KeyError, TypeError, ValueError):
            return None
    points = sorted(set(points))
    if len(points) < 2 or points[0][0] == points[-1][0]:
        return None
    (x0, y0), (x1, y1) = points[0], points[-1]
    return y0 + (at - x0) * (y1 - y0) / (x1 - x0)


def switched_off(item: Any) -> bool:
    """Whether a clip or a track is disabled, in either of the two ways in which that is written."""
    said = item.metadata.get(FCP, {})
    return not getattr(item, "enabled", True) or str(said.get("enabled", "TRUE")).upper() == "FALSE"


def sequence_size(timeline: Any) -> tuple[int, int] | None:
    """Width and height that an xmeml sequence states for itself, in pixels, None where it states none."""
    for thing in (timeline, timeline.tracks):
        said: Any = thing.metadata.get(FCP, {})
        for name in ("media", "video", "format", "samplecharacteristics"):
            inner = said.get(name) if hasattr(said, "get") else None
            said = inner if inner is not None else said
        try:
            return int(said["width"]), int(said["height"])
        except (KeyError, TypeError, ValueError):
            continue
    return None
