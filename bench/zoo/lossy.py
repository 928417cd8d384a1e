"""What kinds of loss say of good exports of everyday footage, and of frames that are damaged in one way each."""

import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import islice, pairwise
from pathlib import Path

import numpy as np
from scipy import ndimage

from bench.seed import drawn
from bench.zoo import scenes as s
from bench.zoo.footage import FOOTAGE, PAN, Kind, write
from bench.zoo.outputs import CODINGS, export
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS, LOSS_TABLE
from ovrik.analysis.signals.losses import Ground, Planes, losses
from ovrik.quality.decode.probe import probe
from ovrik.quality.scores.planes import Taken, planes_in

FRAMES = 10
EVERYDAY = (
    "slow pan",
    "pan",
    "hand-held",
    "grain 1",
    "grain 2",
    "grain 3",
    "grain on flat colours",
    "grain on a gradient",
    "grain in fog",
    "freeze frame",
    "fade from black",
    "dissolve",
    "talking head",
    "gradient",
    "moving gradient",
    "letterbox",
    "cuts",
    "fog",
    "night",
    "water",
    "cel animation",
    "title over a pan",
    "scrolling credits",
    "interlaced, as film",
    "12 bits, gradient",
    "10 bits 4:2:0",
    "8 bits 4:2:0",
)
GOOD = ("x264 12", "x264 12 10 bit", "x265 12", "ProRes hq", "DNxHR hqx", "FFV1")
"""Codings in which nobody sees a loss at 1:1."""

Damage = Callable[[list[Planes], "Kind", float], list[Planes]]


@dataclass(frozen=True)
class Measured:
    """Values of every kind of loss. Fields: `footage`; `export`, its name, or the damage with its strength, 1 to 4;
    `values`, by the kind's key, of each frame."""

    footage: str
    export: str
    values: dict[str, np.ndarray]


def good_ones(name: str) -> list[Measured]:
    """Good exports of one kind of footage."""
    kind = _kind(name)
    with tempfile.TemporaryDirectory(prefix="ovrik-zoo-") as place:
        folder = Path(place)
        source = write(kind, folder / "reference.mkv")
        clip, out = probe(source), []
        grounds = _grounds(source)
        for coding in (c for c in CODINGS if c.name in GOOD):
            path = export(coding, clip, folder)
            frames = planes_in(path, Taken((clip.width, clip.height), probe(path).full_range))
            out.append(Measured(name, coding.name, _values(grounds, frames)))
    return out


def _kind(name: str) -> Kind:
    return next(k for k in FOOTAGE if k.name == name)


def _grounds(path: Path) -> list[Ground]:
    frames = planes_in(path, Taken(full_range=probe(path).full_range))
    return [Ground(p) for p in islice(frames, FRAMES)]


def _values(grounds: list[Ground], frames: "Iterator[Planes] | list[Planes]") -> dict[str, np.ndarray]:
    found, drift = [], None
    for ground, planes in zip(grounds, frames, strict=False):
        made = losses(ground, planes, drift)
        found.append(made.values)
        drift = made.drift
    return {k.key: np.array([v[k.key] for v in found]) for k in LOSS_KINDS}


def _on_luma(change: Callable[[np.ndarray], np.ndarray]) -> Callable[[list[Planes]], list[Planes]]:
    return lambda frames: [
        replace(p, luma=np.clip(change(p.luma), 0, 255).astype(np.float32)) for p in frames
    ]


def _blurred(frames: list[Planes], _kind: Kind, sigma: float) -> list[Planes]:
    return _on_luma(lambda y: ndimage.gaussian_filter(y, sigma))(frames)


def _denoised(frames: list[Planes], kind: Kind, share: float) -> list[Planes]:
    """So much of the grain is gone; the scene under it is known."""
    with tempfile.TemporaryDirectory(prefix="ovrik-zoo-") as place:
        clean = list(planes_in(write(kind, Path(place) / "clean.mkv", CLEAN[kind.name])))
    return [
        replace(p, luma=(1 - share) * p.luma + np.float32(share) * c.luma)
        for p, c in zip(frames, clean, strict=False)
    ]


CLEAN: dict[str, s.Scene] = {
    "grain on flat colours": s.cel,
    "grain on a gradient": lambda k: s.gradient(k),
    "grain in fog": s.toned(PAN, 0.55, 0.6),
    "night": s.toned(PAN, 0.0, 0.15),
}


def _blocky(frames: list[Planes], _kind: Kind, levels: float) -> list[Planes]:
    high, wide = frames[0].luma.shape
    signs = drawn("blocks").choice([-1.0, 1.0], size=(-(-high // 8), -(-wide // 8)))
    grid = np.kron(signs, np.ones((8, 8)))[:high, :wide]
    return _on_luma(lambda y: y + levels * grid)(frames)


def _banded(frames: list[Planes], _kind: Kind, step: float) -> list[Planes]:
    return _on_luma(lambda y: np.rint(y / step) * step)(frames)


def _rippled(frames: list[Planes], _kind: Kind, levels: float) -> list[Planes]:
    def ripple(y: np.ndarray) -> np.ndarray:
        far = ndimage.distance_transform_edt(np.hypot(*np.gradient(y)) <= 15)
        return y + np.where((far > 1) & (far < 12), levels * np.cos(np.pi * far / 2) * np.exp(-far / 6), 0)

    return _on_luma(ripple)(frames)


def _off_colour(frames: list[Planes], _kind: Kind, levels: float) -> list[Planes]:
    return [replace(p, cb=p.cb + np.float32(levels), cr=p.cr - np.float32(0.6 * levels)) for p in frames]


def _flickering(frames: list[Planes], _kind: Kind, levels: float) -> list[Planes]:
    return [
        replace(p, luma=np.clip(p.luma + np.float32(levels * (n % 2)), 0, 255)) for n, p in enumerate(frames)
    ]


PICTURES = (
    "pan",
    "hand-held",
    "grain 2",
    "talking head",
    "cuts",
    "8 bits 4:2:0",
    "title over a pan",
    "letterbox",
)
SMOOTH = ("gradient", "moving gradient", "12 bits, gradient")
CALM = (
    *SMOOTH,
    "fog",
    "cel animation",
    "night",
    "grain on flat colours",
    "scrolling credits",
    "bright",
    "on twos",
    "held title over black",
    "title card, then a shot",
)
"""Where blocks show: busy pictures and strong grain hide them."""
HARD = (
    "cel animation",
    "scrolling credits",
    "on twos",
    "grain on flat colours",
    "held title over black",
    "title card, then a shot",
    "pillarbox",
)
"""Where there are hard edges and calm ground far from them: beside a pan that is edges all over, ripples can't be
told."""


@dataclass(frozen=True)
class Damaged:
    """One way to damage frames. Fields: `key` of the kind of loss that it is; `damage`; `strengths`, four, of which a
    practised eye sees the third; `footage` that has something to lose."""

    key: str
    damage: Damage
    strengths: tuple[float, float, float, float]
    footage: tuple[str, ...]


DAMAGES = (
    Damaged("loss_detail", _blurred, (0.5, 0.7, 0.9, 1.3), PICTURES),
    Damaged("loss_grain", _denoised, (0.25, 0.4, 0.6, 0.9), tuple(CLEAN)),
    Damaged("loss_blocking", _blocky, (0.5, 1.0, 2.0, 4.0), CALM),
    Damaged("loss_banding", _banded, (2.0, 3.0, 4.0, 6.0), SMOOTH),
    Damaged("loss_ringing", _rippled, (3.0, 5.0, 8.0, 14.0), HARD),
    Damaged("loss_colour", _off_colour, (1.0, 2.0, 4.0, 8.0), PICTURES),
    Damaged("loss_flicker", _flickering, (0.5, 1.0, 2.0, 4.0), PICTURES),
)


def damaged_ones(key: str) -> list[Measured]:
    """One kind of loss, in four strengths, on the footage that has it to lose."""
    [way] = [d for d in DAMAGES if d.key == key]
    out = []
    for name in way.footage:
        kind = _kind(name)
        with tempfile.TemporaryDirectory(prefix="ovrik-zoo-") as place:
            grounds = _grounds(write(kind, Path(place) / "reference.mkv"))
        frames = [g.planes for g in grounds]
        for n, strength in enumerate(way.strengths, 1):
            out.append(Measured(name, f"{key} {n}", _values(grounds, way.damage(frames, kind, strength))))
    return out


@dataclass(frozen=True)
class Answers:
    """What came of it, by the kind's key. Fields: `alarms`, the share of frames of good exports that are called worth
    a look; `high`, the value that one in a hundred of them exceeds; `found`, the share of damaged clips found at the
    third strength; `falling`, on how many clips a stronger damage reads as a weaker one; `others`, the strongest
    answer to another's third strength, as a share of what is worth a look."""

    alarms: dict[str, float]
    high: dict[str, float]
    found: dict[str, float]
    falling: dict[str, int]
    others: dict[str, tuple[float, str]]


def answers(good: list[Measured], damaged: list[Measured]) -> Answers:
    """Sum up."""
    alarms, high, found, falling, others = {}, {}, {}, {}, {}
    for kind in LOSS_KINDS:
        every = np.concatenate([m.values[kind.key] for m in good])
        alarms[kind.key] = float(np.mean(every >= kind.notable))
        high[kind.key] = float(np.quantile(every, 0.99))
        own = [m for m in damaged if m.export.startswith(kind.key)]
        third = [m for m in own if m.export.endswith(" 3")]
        found[kind.key] = float(np.mean([_typical(m, kind.key) >= kind.notable for m in third]))
        ladders = [[_typical(m, kind.key) for m in own if m.footage == f] for f in {m.footage for m in own}]
        falling[kind.key] = sum(any(b < a for a, b in pairwise(up)) for up in ladders)
        strange = [m for m in damaged if not m.export.startswith(kind.key) and m.export.endswith(" 3")]
        worst = max(strange, key=lambda m: _typical(m, kind.key))
        share = _typical(worst, kind.key) / kind.notable
        others[kind.key] = (share, f"{worst.export.split()[0]} of {worst.footage}")
    return Answers(alarms, high, found, falling, others)


def _typical(m: Measured, key: str) -> float:
    """Of its frames; the first has none before it to flicker against."""
    return float(np.median(m.values[key][1:]))


def table(found: Answers) -> str:
    """A row for each kind."""
    lines = ["kind                alarms  99 %   worth a look  found  falling  to others"]
    for key, kind in LOSS_TABLE.items():
        share, what = found.others[key]
        lines.append(
            f"{kind.title:18}  {100 * found.alarms[key]:5.1f} %  {found.high[key]:5.2f}  {kind.notable:8.2f}"
            f"  {100 * found.found[key]:9.0f} %  {found.falling[key]:5}  {share:6.2f} ({what})"
        )
    return "\n".join(lines)
