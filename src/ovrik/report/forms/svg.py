"""Charts of a report as inline SVG, with alternative text; no script, no font of their own."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

WIDE, HIGH, LEFT, BOTTOM, TOP, RIGHT = 760, 380, 58, 42, 14, 16
LEAST_GAP_PX = 13.0


@dataclass(frozen=True)
class SvgMark:
    """One contender in the picture of the trade-off. Fields: `label`; `x`, `y` in the axes' units; `low`, `high` of
    x; `filled`, whether it is acceptable; `named`, whether its label is written; `strong`, whether it is the
    choice."""

    label: str
    x: float
    y: float
    low: float
    high: float
    filled: bool
    named: bool
    strong: bool


@dataclass(frozen=True)
class SvgScale:
    """From values to pixels. Fields: `low`, `high` in values; `begin`, `end` in pixels; `log`, whether it is
    logarithmic."""

    low: float
    high: float
    begin: float
    end: float
    log: bool = False

    def at(self, value: float) -> float:
        """The pixel of a value."""
        low, high, v = (math.log10(x) if self.log else x for x in (self.low, self.high, value))
        return self.begin + (v - low) / (high - low) * (self.end - self.begin)

    def ticks(self) -> list[float]:
        """About six round values."""
        if self.log:
            decades = range(math.floor(math.log10(self.low)), math.ceil(math.log10(self.high)) + 1)
            return [m * 10.0**d for d in decades for m in (1, 2, 5) if self.low <= m * 10.0**d <= self.high]
        rough = (self.high - self.low) / 6
        step = min(
            (m * 10.0 ** math.floor(math.log10(rough)) for m in (1, 2, 5, 10)), key=lambda s: abs(s - rough)
        )
        first = math.ceil(self.low / step)
        return [n * step for n in range(first, math.floor(self.high / step) + 1)]


def _reach(values: Sequence[float], log: bool) -> tuple[float, float]:
    low, high = min(values), max(values)
    if log:
        return low / 1.15, high * 1.25
    span = max(high - low, 0.04 * abs(high), 1e-6)
    return low - 0.08 * span, high + 0.14 * span


def trade_off_svg(
    marks: Sequence[SvgMark],
    edge: Sequence[int],
    across: str,
    up: str,
    log: bool,
    lines: Sequence[tuple[str, float, str]],
) -> str:
    """The picture of the trade-off; `lines` are limits: axis ("x" or "y"), value, and words."""
    if not marks:
        return ""
    near = [v for axis, v, _w in lines if axis == "y"]
    ys = [m.y for m in marks]
    y = SvgScale(
        *_reach([*ys, *(v for v in near if abs(v - min(ys)) < 2 * (max(ys) - min(ys) + 1))], False),
        HIGH - BOTTOM,
        TOP,
    )
    x = SvgScale(
        *_reach([v for m in marks for v in (m.low, m.high, m.x) if v > 0], log), LEFT, WIDE - RIGHT, log
    )
    best = next((m for m in marks if m.strong), None)
    said = f"{up} over {across} of {len(marks)} contenders" + (
        f"; the choice is {best.label}" if best else ""
    )
    out = [f'<svg viewBox="0 0 {WIDE} {HIGH}" role="img" aria-label="{escape(said, True)}">']
    out += _frame(x, y, across, up)
    for axis, value, words in lines:
        if axis == "y" and y.low <= value <= y.high:
            at = y.at(value)
            out.append(f'<line class="limit" x1="{LEFT}" x2="{WIDE - RIGHT}" y1="{at:.1f}" y2="{at:.1f}"/>')
            place = f'x="{WIDE - RIGHT - 4}" y="{at - 4:.1f}" text-anchor="end"'
            out.append(f'<text class="limit" {place}>{escape(words)}</text>')
        if axis == "x" and x.low <= value <= x.high:
            at = x.at(value)
            out.append(f'<line class="limit" x1="{at:.1f}" x2="{at:.1f}" y1="{TOP}" y2="{HIGH - BOTTOM}"/>')
            out.append(f'<text class="limit" x="{at + 4:.1f}" y="{TOP + 12}">{escape(words)}</text>')
    joined = " ".join(f"{x.at(marks[n].x):.1f},{y.at(marks[n].y):.1f}" for n in edge)
    out.append(f'<polyline class="edge" points="{joined}"/>')
    for m in marks:
        cx, cy = x.at(m.x), y.at(m.y)
        if m.high > m.low > 0:
            out.append(
                f'<line class="span" x1="{x.at(m.low):.1f}" x2="{x.at(m.high):.1f}" y1="{cy:.1f}" y2="{cy:.1f}"/>'
            )
        kind = "choice" if m.strong else "ok" if m.filled else "no"
        title = f"<title>{escape(m.label)}</title>"
        radius = 7 if m.strong else 5
        out.append(f'<circle class="{kind}" cx="{cx:.1f}" cy="{cy:.1f}" r="{radius}">{title}</circle>')
    out += _names(marks, x, y)
    return "".join(out) + "</svg>"


def _frame(x: SvgScale, y: SvgScale, across: str, up: str) -> list[str]:
    out = []
    for v in x.ticks():
        at = x.at(v)
        out.append(f'<line class="grid" x1="{at:.1f}" x2="{at:.1f}" y1="{TOP}" y2="{HIGH - BOTTOM}"/>')
        out.append(f'<text x="{at:.1f}" y="{HIGH - BOTTOM + 15}" text-anchor="middle">{v:g}</text>')
    for v in y.ticks():
        at = y.at(v)
        out.append(f'<line class="grid" x1="{LEFT}" x2="{WIDE - RIGHT}" y1="{at:.1f}" y2="{at:.1f}"/>')
        out.append(f'<text x="{LEFT - 6}" y="{at + 4:.1f}" text-anchor="end">{v:g}</text>')
    out.append(
        f'<text x="{(LEFT + WIDE - RIGHT) / 2}" y="{HIGH - 6}" text-anchor="middle">{escape(across)}</text>'
    )
    middle = (TOP + HIGH - BOTTOM) / 2
    out.append(
        f'<text transform="translate(13 {middle}) rotate(-90)" text-anchor="middle">{escape(up)}</text>'
    )
    return out


def _names(marks: Sequence[SvgMark], x: SvgScale, y: SvgScale) -> list[str]:
    """Labels beside their marks, each lower by as much as it would lie over one above it; what finds no room gives
    way."""
    taken: list[tuple[float, float, float]] = []
    out = []
    for m in sorted((m for m in marks if m.named), key=lambda m: (not m.strong, y.at(m.y))):
        cx, cy, wide = x.at(m.x), y.at(m.y) - 6, 6.4 * len(m.label)
        left = cx + 8 + wide > WIDE - RIGHT
        begin = cx - 8 - wide if left else cx + 8
        if any(abs(cy - ty) < LEAST_GAP_PX and begin < te and tb < begin + wide for tb, te, ty in taken):
            continue
        taken.append((begin, begin + wide, cy))
        anchor = ' text-anchor="end"' if left else ""
        at = cx - 8 if left else cx + 8
        bold = ' class="strong"' if m.strong else ""
        out.append(f'<text{bold} x="{at:.1f}" y="{cy:.1f}"{anchor}>{escape(m.label)}</text>')
    return out


STYLE = """text { font-size: 11px; fill: #17231d; font-family: "Hanken Grotesk"; } .strong { font-weight: 700; }
.grid { stroke: #d3c9b6; stroke-width: 0.7; } .span { stroke: #56635b; } .edge { fill: none; stroke: #1d6f61;
stroke-width: 1.5; } line.limit { stroke: #9f3a1c; stroke-dasharray: 6 4; } text.limit { fill: #9f3a1c; } .choice {
fill: #1d6f61; stroke: #17231d; stroke-width: 2; } .ok { fill: #1d6f61; } .no { fill: #fbf8f1; stroke: #9f3a1c;
stroke-width: 1.6; }"""
"""For a chart that stands alone: on a page the page's own style dresses it."""


def with_style(svg: str) -> str:
    """A chart as a file of its own."""
    head, between, rest = svg.partition(">")
    name = head.replace("<svg ", '<svg xmlns="http://www.w3.org/2000/svg" ', 1)
    return f"{name}{between}<style>{STYLE}</style>{rest}"


def interval_svg(value: float, low: float | None, high: float | None, reach: float) -> str:
    """A ratio with its interval on a logarithmic scale from 1 / reach to reach: for a cell of a table."""
    wide, high_px = 120, 16
    scale = SvgScale(1 / reach, reach, 3, wide - 3, True)

    def at(v: float) -> float:
        return scale.at(min(max(v, 1 / reach), reach))

    bar = ""
    if low is not None and high is not None:
        bar = f'<line class="span" x1="{at(low):.1f}" x2="{at(high):.1f}" y1="8" y2="8" stroke-width="3"/>'
    said = f"×{value:.2f}" + (f", {low:.2f} to {high:.2f}" if low is not None and high is not None else "")
    return (
        f'<svg viewBox="0 0 {wide} {high_px}" width="{wide}" height="{high_px}" role="img" aria-label="{said}">'
        f'<line class="grid" x1="{at(1):.1f}" x2="{at(1):.1f}" y1="0" y2="{high_px}"/>{bar}'
        f'<line class="tick" x1="{at(value):.1f}" x2="{at(value):.1f}" y1="2" y2="14"/></svg>'
    )
