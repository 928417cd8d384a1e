"""The zoo's sounds in small: what coding does is no fault, what is wrong is named."""

from collections.abc import Sequence

import pytest
from bench.zoo.sounds import CODED, SOUNDS, WRONG_SOUNDS, WrongSound, heard

FEW = ("AAC 48", "MP3 128")


FEW_WRONG = ("left and right exchanged", "80 ms early", "drifts by one in eighty", "left only")


@pytest.mark.parametrize(
    ("name", "wrongs"),
    [
        ("speech", [w for w in WRONG_SOUNDS if w.name in FEW_WRONG]),
        *(pytest.param(n, WRONG_SOUNDS, marks=pytest.mark.sweep) for n in SOUNDS),
    ],
)
def test_sound_exports_pass_and_wrong_ones_are_named(name: str, wrongs: Sequence[WrongSound]) -> None:
    sound, wrong = heard(name, FEW, wrongs)
    assert len(wrong) >= len(FEW_WRONG)
    assert [(s.export, s.faults) for s in sound if s.faults] == []
    words = {w.name: w for w in WRONG_SOUNDS}
    told = [s for s in wrong if name not in words[s.export].untold]
    named = {s.export for s in told if any(word in f for word in words[s.export].said for f in s.faults)}
    assert [s for s in told if s.export not in named] == []
    assert not [s for s in wrong if not s.faults and not s.untold], "what is not found is not called right"


def test_there_are_as_many_as_is_claimed() -> None:
    assert len(SOUNDS) >= 8
    assert len(CODED) >= 8
    assert len(WRONG_SOUNDS) >= 11
