"""Exports of a clip: sound ones by every encoder down to its coarsest, and wrong ones, each in one way."""

import subprocess
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from bench.zoo import scenes as s
from bench.zoo.footage import Kind, write
from ovrik.export.command.export import Export, export_commands
from ovrik.machine.builds.build import find_build
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.recipe import Recipe, recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip

EIGHT, TEN = "yuv420p", "yuv420p10le"


@dataclass(frozen=True)
class Coding:
    """A sound export. Fields: `name`; `encoder`, `preset`, `quality`, `pixel_format`, as of a recipe, and `more` of
    it; `build`."""

    name: str
    encoder: str
    preset: str | None
    quality: float | None
    pixel_format: str
    more: dict[str, Any] = field(default_factory=dict)
    build: str = "bundled"

    def recipe(self) -> Recipe:
        """What the export is asked for."""
        return recipe(
            self.encoder, self.preset, self.quality, pixel_format=self.pixel_format, sound="none", **self.more
        )


CODINGS = (
    *(
        Coding(f"x264 {q:g}", "libx264", "ultrafast" if q > 40 else "veryfast", q, EIGHT)
        for q in (12, 24, 36, 51)
    ),
    *(Coding(f"x264 {q:g} 10 bit", "libx264", "veryfast", q, TEN) for q in (12, 40)),
    *(Coding(f"x265 {q:g}", "libx265", "ultrafast", q, EIGHT) for q in (12, 26, 38, 51)),
    *(Coding(f"x265 {q:g} 10 bit", "libx265", "ultrafast", q, TEN) for q in (26, 51)),
    *(Coding(f"SVT-AV1 {q:g}", "libsvtav1", "12", q, TEN) for q in (20, 40, 63)),
    *(Coding(f"ProRes {p}", "prores_ks", p, None, "yuv422p10le") for p in ("proxy", "standard", "hq")),
    Coding("DNxHR hqx", "dnxhd", "dnxhr_hqx", None, "yuv422p10le"),
    Coding("DNxHR lb", "dnxhd", "dnxhr_lb", None, "yuv422p"),
    Coding("FFV1", "ffv1", None, None, "yuv422p10le"),
    Coding("x264 24, smaller", "libx264", "veryfast", 24, EIGHT, {"width": 128, "height": 72}),
    Coding("x264 36 by 5.1", "libx264", "veryfast", 36, EIGHT, build="system"),
)


def export(coding: Coding, clip: Footage, folder: Path) -> Path:
    """Made by Ovrik's own command. Raises RuntimeError."""
    build, made = find_build(coding.build), coding.recipe()
    path = folder / f"{coding.name}.{made.container}"
    job = Export(build.path, of_clip(clip), whole(clip), made, build.options)
    for command in export_commands(job, path, folder / "stats"):
        run(command)
    return path


def run(command: list[str]) -> None:
    """Raises RuntimeError with the program's last words."""
    done = subprocess.run(command, capture_output=True, stdin=subprocess.DEVNULL, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr.decode("utf-8", "replace").strip()[-300:])


AT = 14
"""The frame in which something is wrong."""
Order = Callable[[int, int], int]
Picture = Callable[[np.ndarray, int], np.ndarray]
TAGGED = "setparams=range=tv:colorspace=bt709:color_primaries=bt709:color_trc=bt709"


@dataclass(frozen=True)
class Wrong:
    """A wrong export. Fields: `name`; `said`, words of which one must be in what is said of it; `order`, which frame
    is shown at a place, of so many; `picture`, what becomes of a frame; `filters`, or what a filter makes of all;
    `cut`, the share of the file's bytes that is kept."""

    name: str
    said: tuple[str, ...]
    order: Order | None = None
    picture: Picture | None = None
    filters: str = ""
    cut: float = 1.0


def only(at: int, becomes: Callable[[np.ndarray], np.ndarray]) -> Picture:
    """One frame alone."""
    return lambda f, k: becomes(f) if k == at else f


IN_PLACE = (
    "shows frame",
    "shows another picture",
    "is blank",
    "begins",
    "missing from",
    "repeated",
    "does not show",
)
LINES = ("its lines",)
PLACE = (
    "picture is moved",
    "larger than",
    "smaller than",
    "mirrored",
    "upside",
    "does not show",
    "black bars",
)
COLOUR = ("colours are", "colour", "tagged")
TONES = ("levels", "tones")
TOLD_BY = {
    IN_PLACE: {"each frame in its place"},
    COLOUR: {"colours", "chroma beside luma"},
    TONES: {"levels"},
    LINES: {"order of lines"},
}
"""Points that say "can't be told" where such a fault can't be."""
WRONG = (
    Wrong("a frame lost", IN_PLACE, lambda k, n: k + (k >= AT)),
    Wrong("two frames lost", IN_PLACE, lambda k, n: k + 2 * (k >= AT)),
    Wrong("a frame doubled", IN_PLACE, lambda k, n: k - (k == AT)),
    Wrong("a frame added", IN_PLACE, lambda k, n: k - (k >= AT)),
    Wrong("two frames swapped", IN_PLACE, lambda k, n: {AT: AT + 1, AT + 1: AT}.get(k, k)),
    Wrong("three frames reversed", IN_PLACE, lambda k, n: {AT: AT + 2, AT + 2: AT}.get(k, k)),
    Wrong("one frame late", IN_PLACE, lambda k, n: max(k - 1, 0)),
    Wrong("three frames late", IN_PLACE, lambda k, n: max(k - 3, 0)),
    Wrong("one frame early", IN_PLACE, lambda k, n: k + 1),
    Wrong("the next excerpt", IN_PLACE, lambda k, n: k + n),
    Wrong("frozen from the middle on", IN_PLACE, lambda k, n: min(k, n // 2)),
    Wrong("every other frame held", IN_PLACE, lambda k, n: k // 2 * 2),
    Wrong("every fifth frame doubled, one skipped", IN_PLACE, lambda k, n: k - (k % 5 == 4)),
    Wrong(
        "a frame of another shot",
        IN_PLACE,
        picture=only(AT, lambda f: s.view(400, 20, seed=3)[: len(f), : f.shape[1]]),
    ),
    Wrong("a black frame", IN_PLACE, picture=only(AT, lambda f: 0 * f)),
    Wrong("a grey frame", IN_PLACE, picture=only(AT, lambda f: 0 * f + 0.5)),
    Wrong("a frame of green", IN_PLACE, picture=only(AT, lambda f: 0 * f + np.array([0, 0.6, 0]))),
    Wrong("its first frames black", IN_PLACE, picture=lambda f, k: 0 * f if k < 9 else f),
    Wrong("moved to the right by two pixels", PLACE, picture=lambda f, k: np.roll(f, 2, 1)),
    Wrong("moved down by two pixels", PLACE, picture=lambda f, k: np.roll(f, 2, 0)),
    Wrong("moved by four pixels both ways", PLACE, picture=lambda f, k: np.roll(f, (4, -4), (0, 1))),
    Wrong("cropped by a twentieth", PLACE, filters="crop=iw*0.95:ih*0.95,scale=256:144"),
    Wrong("squeezed into bars", PLACE, filters="scale=192:144,pad=256:144:32:0"),
    Wrong("half its size in a frame", PLACE, filters="scale=128:72,pad=256:144:64:36"),
    Wrong("mirrored", PLACE, filters="hflip"),
    Wrong("upside down", PLACE, filters="vflip"),
    Wrong("half its size", ("its size is",), filters="scale=128:72"),
    Wrong("fields swapped", LINES, picture=lambda f, k: f[np.arange(len(f)) ^ 1]),
    Wrong("chroma moved by four pixels", COLOUR, filters="chromashift=cbh=4:crh=4"),
    Wrong("Cb and Cr swapped", COLOUR, filters="shuffleplanes=0:2:1"),
    Wrong("red and blue swapped", COLOUR, picture=lambda f, k: f[..., ::-1]),
    Wrong("no colour", COLOUR, filters="hue=s=0"),
    Wrong(
        "matrix of BT.601", COLOUR, filters=f"scale=in_color_matrix=bt709:out_color_matrix=smpte170m,{TAGGED}"
    ),
    Wrong(
        "matrix of BT.2020", COLOUR, filters=f"scale=in_color_matrix=bt709:out_color_matrix=bt2020,{TAGGED}"
    ),
    Wrong("matrix tagged, not made", COLOUR, filters="setparams=colorspace=smpte170m"),
    Wrong("full range called limited", TONES, filters=f"scale=in_range=tv:out_range=pc,{TAGGED}"),
    Wrong("limited range called full", TONES, filters="setparams=range=pc"),
    Wrong("another transfer", TONES, picture=lambda f, k: f ** (2.4 / 1.95)),
    Wrong("brighter by a tenth", TONES, picture=lambda f, k: f * 1.1),
    Wrong("crushed shadows", TONES, picture=lambda f, k: np.clip((f - 0.08) / 0.92, 0, 1)),
    Wrong("truncated", ("frames instead of",), cut=0.8),
    Wrong("another rate", ("rate is", "frames instead of"), filters="fps=24"),
)


def make_wrong(wrong: Wrong, kind: Kind, folder: Path) -> Path:
    """Wrong in this way only: coded well otherwise. Raises RuntimeError."""
    order = wrong.order or (lambda k, _n: k)
    change = wrong.picture or (lambda f, _k: f)
    source = folder / "wrong.mkv"
    source = write(kind, source, lambda k: change(kind.scene(order(k, kind.frames)), k))
    path = folder / "wrong out.mkv"
    filters = ["-vf", wrong.filters] if wrong.filters else []
    coded = ["-c:v", "libx264", "-crf", "14", "-preset", "veryfast", "-pix_fmt", EIGHT]
    run([find_build("bundled").path, "-v", "error", "-y", "-i", str(source), *filters, *coded, str(path)])
    if wrong.cut < 1:
        data = path.read_bytes()
        path.write_bytes(data[: int(len(data) * wrong.cut)])
    return path
