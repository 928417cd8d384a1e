"""Studies side by side, in words and as a chart."""

from html import escape

from ovrik.report.forms.svg import SvgScale, with_style
from ovrik.report.words.numbers import NONE, ratio_words
from ovrik.report.words.phrases import table
from ovrik.report.words.sittings import SAID
from ovrik.work.answers.beside import Beside, BesideRow
from ovrik.work.evidence.summary import Summary

ROW_PX, LABEL_PX, WIDE = 20, 300, 860


def beside_text(b: Beside) -> str:
    """What makes them incomparable first, then speeds relative to each one's own baseline, and times."""
    lines = [f"NOT COMPARABLE in absolute time: {words}." for words in b.unlike]
    lines += [f"Differs: {words}." for words in b.apart]
    heads = ["contender"]
    for side in b.sides:
        heads += [f"{side.name}: s", "against its baseline"]
    rows = []
    for row in b.rows:
        cells = [row.label]
        for c in row.cells:
            cells += [_time(c), ratio_words(c.ratio) if c and c.ratio else NONE]
        rows.append(cells)
    lines += ["", *table([tuple(heads), *map(tuple, rows)]), ""]
    lines += [words for row in b.rows for words in beside_changes(row, b)]
    return "\n".join(lines)


def _time(s: Summary | None) -> str:
    if s is None or s.usual_s is None:
        return NONE
    spread = f" ±{100 * s.spread.share:.1f} %" if s.spread else ""
    return f"{s.usual_s:.2f}{spread}"


def beside_changes(row: BesideRow, b: Beside) -> list[str]:
    """Each study's time against the first one that has the contender, in words."""
    first = next((n for n, c in enumerate(row.cells) if c and c.counted), 0)
    return [
        f"{row.label}: {b.sides[n].name} {ratio_words(c.ratio)} as fast as {b.sides[first].name}: {SAID[c.answer]}"
        for n, c in enumerate(row.changes)
        if c
    ]


def beside_svg(b: Beside) -> str:
    """Every study's times as rows of one chart, with the interval of each by itself."""
    rows = [
        (f"{row.label}, {side.name}", c)
        for row in b.rows
        for side, c in zip(b.sides, row.cells, strict=True)
        if c and c.usual_s is not None
    ]
    if not rows:
        return ""
    ends = [v for _name, c in rows for v in _ends(c)]
    high = ROW_PX * len(rows) + 46
    log = max(ends) > 10 * min(ends)
    x = SvgScale(min(ends) / 1.1 if log else 0.0, max(ends) * 1.08, LABEL_PX, WIDE - 14, log)
    said = f"Usual times of {len(b.rows)} contenders in {len(b.sides)} studies"
    out = [f'<svg viewBox="0 0 {WIDE} {high}" role="img" aria-label="{said}">']
    for v in x.ticks():
        at = x.at(v)
        out.append(f'<line class="grid" x1="{at:.1f}" x2="{at:.1f}" y1="4" y2="{high - 40}"/>')
        out.append(f'<text x="{at:.1f}" y="{high - 26}" text-anchor="middle">{v:g}</text>')
    out.append(f'<text x="{(LABEL_PX + WIDE) / 2}" y="{high - 8}" text-anchor="middle">usual time, s</text>')
    for n, (name, c) in enumerate(rows):
        y = 4 + ROW_PX * (n + 0.5)
        low, top = _ends(c)
        short = name if len(name) < 52 else f"{name[:50]}…"
        out.append(f'<text x="{LABEL_PX - 8}" y="{y + 4:.1f}" text-anchor="end">{escape(short)}</text>')
        out.append(
            f'<line class="span" x1="{x.at(low):.1f}" x2="{x.at(top):.1f}" y1="{y:.1f}" y2="{y:.1f}" '
            f'stroke-width="3"><title>{escape(name)}: {c.usual_s:.3f} s, {low:.3f} to {top:.3f} s</title></line>'
        )
        kind = "ok" if c.acceptable else "no"
        out.append(f'<circle class="{kind}" cx="{x.at(c.usual_s or low):.1f}" cy="{y:.1f}" r="4"/>')
    return with_style("".join(out) + "</svg>")


def _ends(s: Summary) -> tuple[float, float]:
    usual = s.usual_s or 1.0
    return (s.spread.low, s.spread.high) if s.spread else (usual, usual)
