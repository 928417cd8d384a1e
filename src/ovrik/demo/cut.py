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


def _shot(start: int, frames: int, dissolve: int, treatments: tuple[Treatment, ...], name: str) -> Shot:
    return Shot(clip=0, start=start, frames=frames, dissolve=dissolve, treatments=treatments, name=name)


def casting_day(film: Footage, lut: Path) -> Programme:
    """The programme, from the film and its LUT."""
    shots = (
        _shot(122, 36, 0, _t("title", text=NAME, size=11, y=72), "yard at dusk"),
        _shot(0, 40, 10, _t("denoise", method="light temporal", strength=2), "the pour"),
        _shot(62, 36, 0, _t("sharpen", amount=0.6), "the inscription"),
        _shot(28, 40, 0, _t("retime", speed=50, method="frame blending"), "sparks, slow"),
        _shot(182, 36, 0, _t("picture", size=28), "the bell, and the bell"),
        _shot(82, 30, 0, _t("upscale", zoom=150), "a letter, close"),
        _shot(200, 36, 0, _t("stabilise", smoothing=8), "the bell, held"),
        _shot(6, 30, 0, _t("layers", count=3, opacity=25), "the pour, layered"),
        _shot(140, 38, 12, _t("grain", strength=6), "dusk again"),
        _shot(240, 60, 10, (), "end card"),
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
