"""Capitals made of strokes, as a graver would cut them, and their distance fields."""

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

StrokePoint = tuple[float, float]
Stroke = Sequence[StrokePoint]


def _arc(cx: float, cy: float, rx: float, ry: float, start: float, end: float) -> list[StrokePoint]:
    """Points on an ellipse, angles in degrees clockwise from the right, y growing downwards."""
    steps = max(4, int(abs(end - start) / 12))
    angles = [math.radians(start + (end - start) * i / steps) for i in range(steps + 1)]
    return [(cx + rx * math.cos(a), cy + ry * math.sin(a)) for a in angles]


GLYPHS: dict[str, tuple[float, list[Stroke]]] = {
    " ": (0.45, []),
    ".": (0.3, [[(0.13, 0.5), (0.17, 0.5)]]),
    "A": (0.8, [[(0, 1), (0.4, 0), (0.8, 1)], [(0.15, 0.63), (0.65, 0.63)]]),
    "B": (
        0.58,
        [
            [(0, 0), (0, 1)],
            [(0, 0), (0.3, 0), *_arc(0.3, 0.235, 0.22, 0.235, -90, 90), (0, 0.47)],
            [(0.3, 0.47), *_arc(0.3, 0.735, 0.28, 0.265, -90, 90), (0, 1)],
        ],
    ),
    "C": (0.78, [_arc(0.46, 0.5, 0.46, 0.5, -48, -312)]),
    "D": (0.74, [[(0, 0), (0, 1)], [(0, 0), (0.26, 0), *_arc(0.26, 0.5, 0.48, 0.5, -90, 90), (0, 1)]]),
    "E": (0.52, [[(0.52, 0), (0, 0), (0, 1), (0.52, 1)], [(0, 0.48), (0.42, 0.48)]]),
    "F": (0.5, [[(0.5, 0), (0, 0), (0, 1)], [(0, 0.48), (0.4, 0.48)]]),
    "G": (0.82, [_arc(0.46, 0.5, 0.46, 0.5, -48, -360 + 25), [(0.84, 0.98), (0.84, 0.58), (0.56, 0.58)]]),
    "H": (0.7, [[(0, 0), (0, 1)], [(0.7, 0), (0.7, 1)], [(0, 0.48), (0.7, 0.48)]]),
    "I": (0.08, [[(0.04, 0), (0.04, 1)]]),
    "L": (0.5, [[(0, 0), (0, 1), (0.5, 1)]]),
    "M": (0.9, [[(0, 1), (0.1, 0), (0.45, 0.85), (0.8, 0), (0.9, 1)]]),
    "N": (0.74, [[(0, 1), (0, 0), (0.74, 1), (0.74, 0)]]),
    "O": (0.94, [_arc(0.47, 0.5, 0.47, 0.5, 0, 360)]),
    "R": (
        0.62,
        [
            [(0, 1), (0, 0), (0.3, 0), *_arc(0.3, 0.25, 0.26, 0.25, -90, 90), (0, 0.5)],
            [(0.26, 0.5), (0.62, 1)],
        ],
    ),
    "S": (0.56, [[*_arc(0.29, 0.255, 0.245, 0.255, -35, -270), *_arc(0.27, 0.755, 0.27, 0.245, -90, 145)]]),
    "T": (0.66, [[(0, 0), (0.66, 0)], [(0.33, 0), (0.33, 1)]]),
    "U": (0.68, [[(0, 0), (0, 0.66), *_arc(0.34, 0.66, 0.34, 0.34, 180, 0), (0.68, 0)]]),
    "V": (0.76, [[(0, 0), (0.38, 1), (0.76, 0)]]),
    "Y": (0.72, [[(0, 0), (0.36, 0.5), (0.72, 0)], [(0.36, 0.5), (0.36, 1)]]),
}
"""Width and strokes of each capital, in units of its height."""

GAP = 0.2


def line_width(text: str, height: float, gap: float = GAP) -> float:
    """Width of a line of text in pixels."""
    return height * sum(GLYPHS[c][0] + gap for c in text) - height * gap


def distance_field(
    shape: tuple[int, int], text: str, left: float, top: float, height: float, reach: float, gap: float = GAP
) -> np.ndarray:
    """Distance in pixels to the nearest stroke of a line of text, cut off at `reach`.

    Gives shape (rows, columns), float32.
    """
    field = np.full(shape, reach, np.float32)
    for character in text:
        width, strokes = GLYPHS[character]
        for stroke in strokes:
            points = [(left + x * height, top + y * height) for x, y in stroke]
            for a, b in pairwise(points):
                _draw(field, a, b, reach)
        left += (width + gap) * height
    return field


def _draw(field: np.ndarray, a: StrokePoint, b: StrokePoint, reach: float) -> None:
    rows, columns = field.shape
    x0, x1 = int(min(a[0], b[0]) - reach), int(max(a[0], b[0]) + reach) + 2
    y0, y1 = int(min(a[1], b[1]) - reach), int(max(a[1], b[1]) + reach) + 2
    x0, x1, y0, y1 = max(x0, 0), min(x1, columns), max(y0, 0), min(y1, rows)
    if x0 >= x1 or y0 >= y1:
        return
    y, x = np.mgrid[y0:y1, x0:x1].astype(np.float32)
    dx, dy = b[0] - a[0], b[1] - a[1]
    length = dx * dx + dy * dy or 1.0
    along = np.clip(((x - a[0]) * dx + (y - a[1]) * dy) / length, 0, 1)
    distance = np.hypot(x - a[0] - along * dx, y - a[1] - along * dy)
    part = field[y0:y1, x0:x1]
    np.minimum(part, distance, out=part)
