"""Each kind of loss answers to its own fault, in proportion, and little to the others."""

from collections.abc import Callable
from dataclasses import replace
from functools import cache

import numpy as np
import pytest
from scipy import ndimage

from faults_added import FAULTS, film, rounded
from ovrik.analysis.signals.block_means import blocks
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS, LOSS_TABLE
from ovrik.analysis.signals.losses import (
    AWAY,
    BESIDE,
    HARD_EDGE,
    STRUCTURED,
    Ground,
    Planes,
    _slope,
    losses,
    smoothed,
    steps,
)
from ovrik.analysis.signals.mean_colours import mean_lab

KEYS = [k.key for k in LOSS_KINDS]


@cache
def found(fault: str, amount: float) -> dict[str, float]:
    return FAULTS[fault](amount)


@pytest.mark.parametrize("fault", FAULTS)
def test_it_grows_with_its_own_fault(fault: str) -> None:
    values = [found(fault, amount)[fault] for amount in (0.0, 0.5, 1.0)]
    assert values[0] < 0.1 * values[2]
    assert values[0] < values[1] < values[2]


@pytest.mark.parametrize("fault", FAULTS)
def test_and_little_with_the_others(fault: str) -> None:
    """By the value from which each is worth a look: one's own fault passes it, the others' stay under it."""
    seen = found(fault, 1.0)
    for kind in LOSS_KINDS:
        if kind.key == fault:
            assert seen[kind.key] > 1.5 * kind.notable
        else:
            assert seen[kind.key] < 0.7 * kind.notable, (kind.key, seen)


def test_a_known_amount_is_read_off() -> None:
    """What was added is what is shown, where the measure has a unit: colours by CIE 1976, brightness in levels."""
    _clean, plain, _grain = film(0.0)
    moved = losses(Ground(plain), replace(plain, luma=plain.luma + 2), np.zeros_like(blocks(plain.luma, 8)))
    assert moved.values["loss_flicker"] == pytest.approx(2)
    _clean, grainy, grain = film(4.0)
    half = losses(Ground(grainy), replace(grainy, luma=(grainy.luma - 0.5 * grain).astype(np.float32)))
    assert half.values["loss_grain"] == pytest.approx(50, abs=2)
    tone = Planes(
        *(np.full(s, v, np.float32) for s, v in (((32, 32), 126), ((16, 16), 128), ((16, 16), 128)))
    )
    grey = mean_lab(tone.luma, tone.cb, tone.cr, (0.2126, 0.0722))[:, 0, 0]
    # Y' 126 is 0.5023 of the signal; by BT.709 and CIE 15 that is Y 0.2616 and L* 58.2.
    linear = ((110 / 219 + 0.099) / 1.099) ** (1 / 0.45)
    assert grey == pytest.approx([116 * linear ** (1 / 3) - 16, 0, 0], abs=1e-3)


@pytest.mark.parametrize(
    ("rgb", "lab"),
    [
        ((1, 0, 0), (53.24, 80.09, 67.20)),
        ((0, 1, 0), (87.73, -86.18, 83.18)),
        ((0, 0, 1), (32.30, 79.19, -107.86)),
        ((1, 1, 1), (100, 0, 0)),
        ((0, 0, 0), (0, 0, 0)),
    ],
)
def test_colours_are_those_of_cie(rgb: tuple[int, ...], lab: tuple[float, ...]) -> None:
    """Red, green and blue of BT.709, full on, by the published values for these primaries under D65."""
    kr, kb = 0.2126, 0.0722
    y = kr * rgb[0] + (1 - kr - kb) * rgb[1] + kb * rgb[2]
    cb, cr = (rgb[2] - y) / (2 * (1 - kb)), (rgb[0] - y) / (2 * (1 - kr))
    coded = 16 + 219 * y, 128 + 224 * cb, 128 + 224 * cr
    planes = Planes(
        *(np.full(s, v, np.float32) for s, v in zip(((32, 32), (16, 16), (16, 16)), coded, strict=True))
    )
    assert mean_lab(planes.luma, planes.cb, planes.cr, (kr, kb))[:, 1, 1] == pytest.approx(lab, abs=0.06)


@pytest.mark.parametrize(("level", "even"), [(19.5, False), (20.5, True), (231.5, True), (232.5, False)])
def test_black_and_white_are_no_even_areas(level: float, even: bool) -> None:
    flat = Planes(
        *(np.full(s, v, np.float32) for s, v in (((32, 48), level), ((16, 24), 128), ((16, 24), 128)))
    )
    assert Ground(flat).even.all() == even
    assert Ground(flat).even.any() == even


def test_lost_grain_is_not_lost_detail() -> None:
    """Where grain is as strong as the structure itself."""
    clean, grainy, _grain = film(9.0)
    weak = clean.mean() + 0.5 * (clean - clean.mean())
    noise = np.random.default_rng(7).normal(scale=6, size=weak.shape)
    rough = replace(grainy, luma=(weak + noise).astype(np.float32))
    smooth = replace(grainy, luma=weak.astype(np.float32))
    seen = losses(Ground(rough), smooth).values
    assert seen["loss_grain"] > 80
    assert seen["loss_detail"] < 5


@pytest.mark.parametrize("kind", [k for k in LOSS_KINDS if k.key != "loss_flicker"], ids=lambda k: k.key)
def test_the_map_shows_where(kind: object) -> None:
    """A fault in the left half is drawn in the left half."""
    key = kind.key  # type: ignore[attr-defined]
    both = FAULTS[key]
    ground, output = both.frames(1.0)  # type: ignore[attr-defined]
    wide = ground.luma.shape[1] // 2

    def half(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        out = b.copy()
        out[:, : wide * a.shape[1] // ground.luma.shape[1]] = a[
            :, : wide * a.shape[1] // ground.luma.shape[1]
        ]
        return out

    mixed = Planes(*(half(getattr(output, n), getattr(ground, n)) for n in ("luma", "cb", "cr")))
    drawn = losses(Ground(ground), mixed).maps[key]
    middle = drawn.shape[1] // 2
    assert drawn[:, : middle - 1].mean() > 8 * drawn[:, middle + 1 :].mean()


@pytest.mark.parametrize("shape", [(16, 16), (9, 13), (45, 77), (360, 50)])
def test_odd_sizes(shape: tuple[int, int]) -> None:
    rng = np.random.default_rng(2)
    planes = [
        rng.uniform(16, 235, s).astype(np.float32) for s in (shape, *(2 * [tuple(-(-n // 2) for n in shape)]))
    ]
    plain = Planes(*planes)
    seen = losses(Ground(plain), plain)
    assert set(seen.values) == set(KEYS)
    assert all(v == pytest.approx(0, abs=1e-4) for v in seen.values.values())


def test_a_frame_of_one_tone_has_none() -> None:
    flat = Planes(*(np.full(s, 128, np.float32) for s in ((64, 96), (32, 48), (32, 48))))
    noisy = Planes(ndimage.gaussian_filter(flat.luma, 1) + 3, flat.cb, flat.cr)
    seen = losses(Ground(flat), noisy).values
    assert seen["loss_detail"] == seen["loss_grain"] == seen["loss_ringing"] == seen["loss_banding"] == 0
    assert all(np.isfinite(list(seen.values())))


def in_blocks(planes: Planes, turn: Callable[[np.ndarray], np.ndarray] = np.asarray) -> Planes:
    """The part of a frame that whole blocks fill, laid out otherwise."""
    luma, *chroma = planes.luma[:352], planes.cb[:176], planes.cr[:176]
    return Planes(*(np.ascontiguousarray(turn(plane)) for plane in (luma, *chroma)))


TURNS: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "on its side": np.transpose,
    "mirrored": np.fliplr,
    "upside down": np.flipud,
}


@pytest.mark.parametrize("turn", TURNS)
@pytest.mark.parametrize("fault", FAULTS)
def test_up_and_down_left_and_right_are_alike(fault: str, turn: str) -> None:
    """A picture that lies on its side, or is seen in a mirror, has lost as much, at the same places."""
    plain, output = FAULTS[fault].frames(1.0)
    upright, turned = (
        losses(Ground(in_blocks(plain, way)), in_blocks(output, way)) for way in (np.asarray, TURNS[turn])
    )
    for key in KEYS:
        assert turned.values[key] == pytest.approx(upright.values[key], rel=0.02, abs=0.02), key
        if turn == "on its side":  # in a mirror, a border between blocks belongs to the other one of them
            assert turned.maps[key] == pytest.approx(upright.maps[key].T, abs=1e-2), key


@pytest.mark.parametrize("fault", [k for k in KEYS if k != "loss_colour"])
def test_a_brighter_scene_loses_no_more(fault: str) -> None:
    """Whatever is measured in luma is a difference: light that is added to both sides is no part of it."""
    plain, output = FAULTS[fault].frames(1.0)
    lit = [replace(p, luma=p.luma + np.float32(7)) for p in (plain, output)]
    dark, bright = losses(Ground(plain), output).values, losses(Ground(lit[0]), lit[1]).values
    assert bright[fault] == pytest.approx(dark[fault], rel=1e-3)


def test_ripples_are_as_high_as_they_are_however_few_they_fill() -> None:
    """A map shows the height beside edges, not how much of a block is beside one."""
    _clean, plain, _grain = film(0.0)
    ground = Ground(plain)
    beside = ground.beside_edges[0] > 0
    wave = np.where(np.indices(plain.luma.shape).sum(axis=0) % 2, 6.0, -6.0)
    seen = losses(ground, replace(plain, luma=plain.luma + np.where(beside, wave, 0).astype(np.float32)))
    share = blocks(beside.astype(float))
    heights = seen.maps["loss_ringing"][(share > 0.15) & (share < 0.85)]
    assert heights.size > 20
    assert heights == pytest.approx(np.full(heights.size, 6.0), abs=1.5)
    assert np.all(seen.maps["loss_ringing"][share == 0] == 0)


@pytest.mark.parametrize("flip", [np.asarray, np.transpose])
def test_a_step_between_coded_blocks_is_no_band(flip: Callable[[np.ndarray], np.ndarray]) -> None:
    """It is a blocking; one beside it, of the same height, is a band, of that height."""
    tone = np.full((96, 96), 100.0, np.float32)
    chroma = np.full((48, 48), 128.0, np.float32)
    even = Ground(Planes(tone, chroma, chroma))
    stepped = {}
    for at in range(38, 46):
        high = tone + np.where(np.arange(96) >= at, 2.0, 0.0).astype(np.float32)
        stepped[at] = losses(even, Planes(np.ascontiguousarray(flip(high)), chroma, chroma)).values[
            "loss_banding"
        ]
    assert stepped.pop(40) == 0
    assert min(stepped.values()) > 0
    assert max(stepped.values()) == pytest.approx(min(stepped.values()))


def test_twice_the_step_is_twice_the_blocking() -> None:
    _clean, plain, _grain = film(0.0)
    even = Ground(replace(plain, luma=np.full_like(plain.luma, 100)))
    board = np.kron(np.indices((45, 80)).sum(axis=0) % 2, np.ones((8, 8)))
    seen = [
        losses(even, replace(plain, luma=(100 + step * board).astype(np.float32))).values["loss_blocking"]
        for step in (1.0, 2.0, 4.0)
    ]
    assert seen[1:] == pytest.approx([2 * seen[0], 4 * seen[0]], rel=1e-4)
    assert seen[0] == pytest.approx(1.0, rel=0.1), "a step of one level is one level of blocking"


def test_beside_an_edge_is_as_far_as_scipys_distance_says() -> None:
    draw = np.random.default_rng(12)
    luma = np.full((96, 128), 90.0, np.float32)
    for row, column in draw.integers(12, 84, (5, 2)):
        luma[row : row + 2, column : column + 9] += 70
    ground = Ground(Planes(luma, *(np.full((48, 64), 128, np.float32) for _ in "br")))
    beside, away = (pixels > 0 for pixels in ground.beside_edges)
    far = ndimage.distance_transform_cdt(_slope(luma) < HARD_EDGE, "chessboard")
    calm = ground.slope < STRUCTURED
    np.testing.assert_array_equal(beside, (far > BESIDE) & (far <= AWAY) & calm)
    np.testing.assert_array_equal(away, (far > AWAY) & calm)
    assert beside.any()
    assert away.any()


def test_rounding_a_gradient_is_no_banding() -> None:
    """Ten bits as eight hold them at best; steps of four levels are bands all the same."""
    luma = np.repeat(np.linspace(60, 140, 640, dtype=np.float32)[None], 360, axis=0)
    fine = Planes(np.rint(luma * 4) / 4, *2 * (np.full((180, 320), 128, np.float32),), bits=10)
    whole = replace(fine, luma=np.rint(fine.luma), bits=8)
    assert losses(Ground(fine), whole).values["loss_banding"] == 0
    banded = replace(fine, luma=np.rint(fine.luma / 4) * 4, bits=8)
    assert losses(Ground(fine), banded).values["loss_banding"] >= LOSS_TABLE["loss_banding"].notable


def test_detail_that_is_lost_in_motion_does_not_flicker() -> None:
    large = 128 + 300 * ndimage.gaussian_filter(np.random.default_rng(4).normal(size=(180, 400)), 2.2)
    chroma = (np.full((90, 160), 128, np.float32),) * 2
    drift, found = None, []
    for n in range(5):
        sharp = large[:, 7 * n : 7 * n + 320].astype(np.float32)
        soft = ndimage.gaussian_filter(sharp, 2.0)
        made = losses(Ground(Planes(sharp, *chroma)), Planes(soft, *chroma), drift)
        drift = made.drift
        found.append(made.values)
    assert max(v["loss_flicker"] for v in found) < LOSS_TABLE["loss_flicker"].notable
    assert min(v["loss_detail"] for v in found) > LOSS_TABLE["loss_detail"].notable


def test_grain_that_goes_beside_an_edge_is_no_ripple() -> None:
    clean, plain, grain = film(4.0)
    near = ndimage.maximum_filter(np.abs(np.gradient(clean)[1]) > 15, 25)
    output = replace(plain, luma=rounded(clean + np.where(near, 0.3, 1.0) * grain))
    assert losses(Ground(plain), output).values["loss_ringing"] < 0.3 * LOSS_TABLE["loss_ringing"].notable


@pytest.mark.parametrize("wide", [100, 300, 640])
def test_lost_grain_is_a_share_of_the_grain_that_shows(wide: int) -> None:
    """However little of the picture is even: half of it gone is half of it gone."""
    draw = np.random.default_rng(6)
    ground, grain = 120 + 60 * draw.normal(size=(360, 640)), draw.normal(scale=3, size=(360, 640))
    ground[:, :wide] = 110
    chroma = (np.full((180, 320), 128, np.float32),) * 2
    before, after = (Planes((ground + share * grain).astype(np.float32), *chroma) for share in (1.0, 0.5))
    assert losses(Ground(before), after).values["loss_grain"] == pytest.approx(50, abs=2)


@pytest.mark.parametrize("shape", [(96, 128), (33, 47)])
def test_smoothing_and_slopes_are_scipys(shape: tuple[int, int]) -> None:
    plane = np.random.default_rng(4).uniform(16, 235, shape).astype(np.float32)
    for deviation in (1.5, 2.0):
        theirs = ndimage.gaussian_filter(plane.astype(float), deviation, truncate=2.5)
        np.testing.assert_allclose(smoothed(plane, deviation), theirs, atol=2e-3)
    down, across = (ndimage.correlate1d(plane.astype(float), (-0.5, 0, 0.5), axis=a) for a in (0, 1))
    inner = np.s_[1:-1, 1:-1]
    np.testing.assert_allclose(_slope(plane)[inner], np.hypot(down, across)[inner], atol=2e-3)


def test_a_picture_in_strips_is_as_the_whole() -> None:
    """Bands are found in rows taken a few at a time: none is lost or doubled where they meet."""
    rows = np.repeat(np.arange(0, 200, 10, dtype=np.float32), 10)[:, None] * np.ones((1, 64), np.float32)
    ones = np.ones((200, 64), np.float32)
    found = steps(rows, ones, blocks(ones))
    jump = np.abs(np.diff(rows, axis=0))[:, 0]
    at = np.flatnonzero(jump)
    counted = [k for k in at if (k + 1) % 8 and 2 <= k < 197]
    each = np.bincount(np.array(counted) // 16, minlength=12)[:12] * (100 - 1) / 16
    np.testing.assert_allclose(found[:, 1], each, rtol=1e-5)
