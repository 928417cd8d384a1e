"""Means over blocks and distances, taken from samples as they are coded, against planes in float."""

import numpy as np
import pytest

from ovrik.analysis.signals.block_means import Samples
from ovrik.analysis.signals.losses import BriefGround, Ground, Planes, brief_losses, losses

BT709 = (0.2126, 0.0722)


def frame(seed: int, bits: int, chroma: tuple[int, int], full: bool = False) -> Samples:
    """Noise over a slope; chroma of so many luma rows and columns to a sample."""
    draw = np.random.default_rng(seed)
    kind = np.uint8 if bits == 8 else np.uint16
    top = (1 << bits) - 1
    shapes = [(80, 112), *2 * [(80 // chroma[0], 112 // chroma[1])]]
    made = [
        np.clip(np.linspace(0.2, 0.8, w)[None] * top + draw.normal(0, 0.05 * top, (h, w)), 0, top).astype(
            kind
        )
        for h, w in shapes
    ]
    return Samples(tuple(made), bits, full)


def planes(samples: Samples) -> Planes:
    return Planes(*(samples.levels(n) for n in range(3)), samples.bits)


@pytest.mark.parametrize("full", [False, True])
@pytest.mark.parametrize("chroma", [(2, 2), (1, 2), (1, 1)])
@pytest.mark.parametrize("bits", [8, 10, 12])
def test_what_every_frame_is_measured_for_is_as_in_full(
    bits: int, chroma: tuple[int, int], full: bool
) -> None:
    pairs = [(frame(n, bits, chroma, full), frame(n + 10, bits, chroma, full)) for n in (1, 2)]
    brief, whole = None, None
    for reference, output in pairs:
        brief = brief_losses(BriefGround(reference, BT709), output, brief.drift if brief else None)
        assert brief is not None
        whole = losses(Ground(planes(reference), BT709), planes(output), whole.drift if whole else None)
        np.testing.assert_allclose(brief.drift, whole.drift, atol=2e-4)
        for key, value in brief.values.items():
            assert value == pytest.approx(whole.values[key], abs=2e-4)
            np.testing.assert_allclose(brief.maps[key], whole.maps[key], atol=1e-3)


def test_the_first_frame_has_no_flicker_and_the_second_may() -> None:
    one, two = frame(1, 8, (2, 2)), frame(1, 8, (2, 2))
    brighter = Samples((one.planes[0] + np.uint8(4), *one.planes[1:]), 8, False)
    first = brief_losses(BriefGround(one, BT709), two)
    assert first is not None
    assert first.values["loss_flicker"] == 0
    second = brief_losses(BriefGround(one, BT709), brighter, first.drift)
    assert second is not None
    assert second.values["loss_flicker"] == pytest.approx(4, abs=1e-4)


@pytest.mark.parametrize(
    "other",
    [frame(2, 10, (2, 2)), frame(2, 8, (2, 2), True), Samples((np.zeros((8, 8), np.uint8),) * 3, 8, False)],
)
def test_samples_of_different_kinds_are_not_compared_as_they_are(other: Samples) -> None:
    assert brief_losses(BriefGround(frame(1, 8, (2, 2)), BT709), other) is None


def test_blocks_that_chroma_does_not_fill_are_not_guessed() -> None:
    odd = Samples((np.zeros((81, 112), np.uint8), *2 * (np.zeros((41, 56), np.uint8),)), 8, False)
    assert odd.chroma_block is None
    assert brief_losses(BriefGround(odd, BT709), odd) is None
