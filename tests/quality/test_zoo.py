"""The zoo in small: everyday footage that was once blamed, and wrong exports that were once missed."""

import pytest
from bench.zoo.footage import FOOTAGE
from bench.zoo.outputs import CODINGS, WRONG
from bench.zoo.tried import sound_ones, wrong_ones

COARSEST = [c for c in CODINGS if c.name in ("x264 36", "x265 51 10 bit", "FFV1")]
ONCE_BLAMED = (
    "fade from black",
    "fade to white",
    "cut to black",
    "held title over black",
    "slow pan",
    "12 bits 4:4:4",
    "10 bits, grain in black",
    "night",
    "scrolling credits",
)
ONCE_MISSED = (
    "a frame doubled",
    "two frames swapped",
    "a frame of another shot",
    "moved down by two pixels",
    "cropped by a twentieth",
    "mirrored",
    "fields swapped",
    "chroma moved by four pixels",
    "Cb and Cr swapped",
    "no colour",
    "matrix of BT.601",
    "another transfer",
    "brighter by a tenth",
)


FEW = ("fade from black", "slow pan")
FEW_WRONG = ("a frame doubled", "a frame of another shot", "another transfer")


@pytest.mark.parametrize(
    "kind", [k if k in FEW else pytest.param(k, marks=pytest.mark.sweep) for k in ONCE_BLAMED]
)
def test_sound_exports_are_not_blamed(kind: str) -> None:
    said = sound_ones(kind, COARSEST)
    assert len(said) == len(COARSEST)
    assert [(s.export, s.faults) for s in said if s.faults] == []


@pytest.mark.parametrize(
    ("kind", "names"),
    [
        ("fade from black", FEW_WRONG),
        *(
            pytest.param(kind, ONCE_MISSED, marks=pytest.mark.sweep)
            for kind in ("hand-held", "fade from black")
        ),
    ],
)
def test_wrong_ones_are_found_and_named(kind: str, names: tuple[str, ...]) -> None:
    wrongs = [w for w in WRONG if w.name in names]
    assert len(wrongs) == len(names)
    words = {w.name: w.said for w in wrongs}
    said = wrong_ones(kind, wrongs)
    assert [s for s in said if not any(w in f for w in words[s.export] for f in s.faults)] == []


def test_the_zoo_is_as_large_as_is_claimed() -> None:
    assert len({k.name for k in FOOTAGE}) == len(FOOTAGE) >= 40
    assert len({w.name for w in WRONG}) == len(WRONG) >= 40
    assert all(k.why for k in FOOTAGE)
