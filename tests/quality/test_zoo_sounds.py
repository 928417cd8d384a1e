"""The zoo's sounds in small: what coding does is no fault, what is wrong is named."""

import pytest
from bench.zoo.sounds import CODED, SOUNDS, WRONG_SOUNDS, heard

FEW = ("AAC 48", "MP3 128", "PCM 16")


@pytest.mark.parametrize(
    "name", ["speech", *(pytest.param(n, marks=pytest.mark.sweep) for n in SOUNDS if n != "speech")]
)
def test_sound_exports_pass_and_wrong_ones_are_named(name: str) -> None:
    sound, wrong = heard(name, FEW)
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
