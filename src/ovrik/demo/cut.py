""" "Casting Day" as it is edited: ten shots out of the film, treated, under one grade."""

from fractions import Fraction
from pathlib import Path

import numpy as np

from ovrik.demo.place import film_path
from ovrik.quality.decode.probe import probe
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import Overlay, Programme, Shot, working_format
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.timeline.cut import linked_sound
from ovrik.study.timeline.writer import write_timeline

LUT_SIZE = 17
NAME = "Casting Day"


def write_lut(path: Path) -> Path:
    """The film's look: warm lights, cool shadows, a soft shoulder."""
    steps = np.linspace(0, 1, LUT_SIZE)
    blue, green, red = np.meshgrid(steps, steps, steps, indexing="ij")
    luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    warm = luma - 0.5
    out = np.stack([red + 0.05 * warm, green + 0.012 * warm, blue - 0.06 * warm], axis=-1)
    out = np.clip(out, 0, 1)
    out = out + 0.06 * out * (1 - out) * (0.5 - out)
    rows = "\n".join(f"{r:.5f} {g:.5f} {b:.5f}" for r, g, b in np.clip(out, 0, 1).reshape(-1, 3))
    path.write_text(f'TITLE "Foundry"\nLUT_3D_SIZE {LUT_SIZE}\n{rows}\n')
    return path


def _t(kind: str, **values: float | str) -> tuple[Treatment, ...]:
    return (treatment(kind, values),)


def casting_day(film: Footage, lut: Path) -> Programme:
    """The programme, from the film and its LUT."""
    shots = (
        Shot(
            clip=0,
            start=122,
            frames=36,
            dissolve=0,
            treatments=_t("title", text=NAME, size=11, y=72),
            name="yard at dusk",
        ),
        Shot(
            clip=0,
            start=0,
            frames=40,
            dissolve=10,
            treatments=_t("denoise", method="light temporal", strength=2),
            name="the pour",
        ),
        Shot(
            clip=0,
            start=62,
            frames=36,
            dissolve=0,
            treatments=_t("sharpen", amount=0.6),
            name="the inscription",
        ),
        Shot(
            clip=0,
            start=28,
            frames=40,
            dissolve=0,
            treatments=_t("retime", speed=50, method="frame blending"),
            name="sparks, slow",
        ),
        Shot(
            clip=0,
            start=182,
            frames=36,
            dissolve=0,
            treatments=_t("picture", size=28),
            name="the bell, and the bell",
        ),
        Shot(
            clip=0,
            start=82,
            frames=30,
            dissolve=0,
            treatments=_t("upscale", zoom=150),
            name="a letter, close",
        ),
        Shot(
            clip=0,
            start=200,
            frames=36,
            dissolve=0,
            treatments=_t("stabilise", smoothing=8),
            name="the bell, held",
        ),
        Shot(
            clip=0,
            start=6,
            frames=30,
            dissolve=0,
            treatments=_t("layers", count=3, opacity=25),
            name="the pour, layered",
        ),
        Shot(
            clip=0, start=140, frames=38, dissolve=12, treatments=_t("grain", strength=6), name="dusk again"
        ),
        Shot(clip=0, start=240, frames=60, dissolve=10, treatments=(), name="end card"),
    )
    over = (Overlay(150, Shot(0, 90, 12, name="an inscription, in between")),)
    grade = treatment("grade", {"exposure": 0.1, "contrast": 1.06, "saturation": 1.05, "lut": str(lut)})
    return Programme(
        name=NAME,
        clips=(film,),
        width=film.width,
        height=film.height,
        rate=Fraction(film.rate),
        pixel_format=working_format(film),
        shots=shots,
        overlays=over,
        sound=linked_sound(shots, (film,), film.rate),
        treatments=(grade,),
    )


def write_cut(folder: Path) -> Programme:
    """Write LUT and timeline into a folder that holds the film, or a link to it; gives the programme."""
    film = probe(folder / film_path().name)
    made = casting_day(film, write_lut(folder / "foundry.cube"))
    write_timeline(made, folder / "casting-day.otio")
    return made
