"""Outputs of frames that are made here, laid beside their reference: what is right passes, what is wrong is named."""

import re
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import cache

import av
import numpy as np
import pytest
from scipy import ndimage

from ovrik.quality.checks import miniatures as small
from ovrik.quality.checks.alignment import Match, elsewhere_words, match, resampled
from ovrik.quality.checks.miniatures import Miniatures, gathered, luma_of, step
from ovrik.quality.checks.picture_points import OutputPair, _beyond_chance, picture_points
from ovrik.quality.checks.sound_points import sound_points
from ovrik.study.clip.footage import Footage
from ovrik.study.facts.point import DIFFERS, RIGHT
from ovrik.study.programme.excerpt import Excerpt

WIDE, HIGH, FRAMES = 320, 180, 48
Frame = tuple[np.ndarray, np.ndarray, np.ndarray]


def texture() -> np.ndarray:
    """Soft shapes of every size, levels around 0, shape (180, 1200)."""
    draw = np.random.default_rng(11)
    layers = [ndimage.gaussian_filter(draw.normal(0, 1, (HIGH, 1200)), s) * s for s in (1.2, 4, 14)]
    return np.asarray(30 * sum(layers))


TEXTURE = texture()
TINT = ndimage.gaussian_filter(np.random.default_rng(12).normal(0, 1, (2, HIGH // 2, 600)), (0, 9, 9)) * 900


@cache
def picture(n: float) -> Frame:
    """8-bit Y, Cb and Cr of a picture that pans by four pixels a frame."""
    at = int(4 * n) + 40
    luma = np.clip(126 + TEXTURE[:, at : at + WIDE], 18, 233)
    cb, cr = np.clip(128 + TINT[:, :, at // 2 : at // 2 + WIDE // 2], 40, 216)
    return luma, cb, cr


def frame_of(planes: Frame, name: str = "yuv420p") -> av.VideoFrame:
    """A frame of these 8-bit levels; of more bits, with levels between them."""
    bits = int(re.sub(r".*p(\d+)le|.*", r"\1", name) or 8)
    made = av.VideoFrame(planes[0].shape[1], planes[0].shape[0], name)
    for plane, levels in zip(made.planes, planes, strict=True):
        rows = np.frombuffer(memoryview(plane), np.uint8 if bits == 8 else np.uint16).reshape(
            plane.height, -1
        )
        rows[:, : plane.width] = np.round(levels * (1 << (bits - 8)))
    return made


def film(
    numbers: "range | list[float]", change: Callable[[Frame], Frame] = lambda p: p, name: str = "yuv420p"
) -> Miniatures:
    """What is kept of such frames."""
    return gathered((frame_of(change(picture(n)), name) for n in numbers), lambda: False)


@pytest.fixture(scope="module")
def reference() -> Miniatures:
    """All frames as they should be."""
    return film(range(FRAMES))


@pytest.fixture
def facts(footage: Footage) -> Footage:
    """The facts of the reference."""
    return replace(footage, pixel_format="yuv420p", bit_depth=8, chroma="4:2:0", frames=FRAMES)


def matched(output: Miniatures, reference: Miniatures, rate: int = 25) -> Match:
    return match(output, Fraction(rate), reference, Fraction(25))


def test_the_same_frames_are_the_same(reference: Miniatures) -> None:
    found = matched(film(range(FRAMES)), reference)
    assert (found.lag, found.overlap, found.faults, found.shown, found.told) == (0, FRAMES, (), True, True)
    assert found.plain
    assert found.moved is None


@pytest.mark.parametrize(
    ("numbers", "lag", "words"),
    [
        (range(3, FRAMES + 3), -3, "it begins 3 frames into the excerpt"),
        (range(1, FRAMES + 1), -1, "it begins 1 frame into the excerpt"),
        (range(-2, FRAMES - 2), 2, "it begins 2 frames before the excerpt"),
        ([*range(24), *range(25, FRAMES + 1)], 0, "1 frame is missing from its middle"),
        ([*range(24), *range(22, FRAMES - 2)], 0, "2 frames are repeated in or added to its middle"),
    ],
)
def test_frames_before_after_missing_and_more(
    reference: Miniatures, numbers: "range | list[float]", lag: int, words: str
) -> None:
    found = matched(film(numbers), reference)
    assert found.lag == lag
    assert found.overlap == FRAMES - abs(lag)
    assert any(words in fault for fault in found.faults), found.faults


def test_at_another_rate_each_moment_has_the_frame_that_stands_then(reference: Miniatures) -> None:
    twice = film([n / 2 for n in range(2 * FRAMES)])
    found = matched(twice, reference, 50)
    assert (found.lag, found.overlap, found.faults) == (0, FRAMES, ())
    assert (resampled(twice, Fraction(50), Fraction(25)) == twice.head[::2]).all()
    half = film(range(0, FRAMES, 2))
    taken = resampled(half, Fraction(25, 2), Fraction(25))
    assert (taken == np.repeat(half.head, 2, axis=0)).all()
    slow = match(half, Fraction(25, 2), reference, Fraction(25))
    assert (slow.lag, slow.overlap) == (0, FRAMES)


def _bars(planes: Frame) -> Frame:
    luma, cb, cr = (ndimage.zoom(p, (0.75, 1), order=1) for p in planes)
    whole = [
        np.full((HIGH, WIDE), 16.0),
        np.full((HIGH // 2, WIDE // 2), 128.0),
        np.full((HIGH // 2, WIDE // 2), 128.0),
    ]
    for into, made in zip(whole, (luma, cb, cr), strict=True):
        top = (len(into) - len(made)) // 2
        into[top : top + len(made)] = made
    return whole[0], whole[1], whole[2]


def test_bars_are_left_out_and_told(reference: Miniatures) -> None:
    found = matched(film(range(FRAMES), _bars), reference)
    assert found.own_edges[0] == pytest.approx(0.125, abs=0.012)
    assert found.own_edges[1] == pytest.approx(0.125, abs=0.012)
    [words] = [f for f in found.faults if "black bars" in f]
    size = re.search(r"fills (\d+)×(\d+) of 320×180", words)
    assert size
    assert int(size[1]) == WIDE
    assert int(size[2]) == pytest.approx(135, abs=3)


@pytest.mark.parametrize(
    ("turn", "words"),
    [
        (lambda p: p[:, ::-1], "its picture is mirrored"),
        (lambda p: p[::-1], "its picture is upside down"),
        (lambda p: p[::-1, ::-1], "its picture is turned by 180°"),
    ],
)
def test_a_turned_picture_is_named(
    reference: Miniatures, turn: Callable[[np.ndarray], np.ndarray], words: str
) -> None:
    found = matched(film(range(FRAMES), lambda p: (turn(p[0]), turn(p[1]), turn(p[2]))), reference)
    assert found.faults == (words,)
    assert not found.shown


def _shifted(planes: Frame) -> Frame:
    y, cb, cr = planes
    return np.roll(y, (4, 6), (0, 1)), np.roll(cb, (2, 3), (0, 1)), np.roll(cr, (2, 3), (0, 1))


def test_a_moved_picture_is_told_with_how_far_and_where_to(reference: Miniatures) -> None:
    # The frames stand still: else a pan and a shift in time are one.
    still = film([n / 16 for n in range(FRAMES)])
    found = matched(film([n / 16 for n in range(FRAMES)], _shifted), still)
    assert (found.lag, found.overlap) == (0, FRAMES)
    [words] = found.faults
    size = re.search(r"moved (\d\.\d) pixels to the right and (\d\.\d) pixels down", words)
    assert size, words
    assert float(size[1]) == pytest.approx(6, abs=0.8)
    assert float(size[2]) == pytest.approx(4, abs=0.8)


def test_other_footage_is_not_what_was_asked_for(reference: Miniatures) -> None:
    draw = np.random.default_rng(3)
    other = gathered(
        (frame_of((np.clip(ndimage.gaussian_filter(draw.normal(0, 1, (HIGH, WIDE)), 6) * 400 + 120, 16, 235),
                   *(np.full((HIGH // 2, WIDE // 2), 128.0),) * 2)) for _ in range(FRAMES)), lambda: False
    )  # fmt: skip
    assert not matched(other, reference).shown


def points(output: Miniatures, reference: Miniatures, facts: Footage, against: Footage) -> dict[str, str]:
    """What is not right, or can't be told, of each point."""
    pair = OutputPair(output, facts, reference, against, matched(output, reference))
    return {p.name: f"{p.answer}: {p.words}" for p in picture_points(pair) if p.answer != RIGHT}


def test_a_sound_output_passes_every_point(reference: Miniatures, facts: Footage) -> None:
    coarse = np.random.default_rng(5)

    def coded(planes: Frame) -> Frame:
        y, cb, cr = (np.clip(p + coarse.normal(0, 2.5, p.shape), 16, 235) for p in planes)
        return y, cb, cr

    assert points(film(range(FRAMES), coded), reference, facts, facts) == {}


def _lines(planes: Frame) -> Frame:
    luma = planes[0].copy()
    luma[0::2], luma[1::2] = planes[0][1::2], planes[0][0::2]
    return luma, planes[1], planes[2]


WRONG: dict[str, tuple[Callable[[Frame], Frame], str, str]] = {
    "lines": (_lines, "order of lines", "changed places two by two"),
    "brighter": (lambda p: (np.minimum(p[0] + 12, 235), p[1], p[2]), "levels", "12 levels brighter"),
    "darker": (lambda p: (np.maximum(p[0] - 9, 16), p[1], p[2]), "levels", "9 levels darker"),
    "full": (lambda p: ((p[0] - 16) * 255 / 219, p[1], p[2]), "levels", "full-range levels and is tagged limited"),
    "swapped": (lambda p: (p[0], p[2], p[1]), "colours", "Cb and Cr exchanged"),
    "grey": (lambda p: (p[0], p[1] * 0 + 128, p[2] * 0 + 128), "colours", "its colours are gone"),
    "off": (lambda p: (p[0], np.roll(p[1], 6, 1), np.roll(p[2], 6, 1)), "chroma beside luma", "pixels off"),
}  # fmt: skip


@pytest.mark.parametrize("name", list(WRONG))
def test_what_is_wrong_is_named_and_nothing_else_is_blamed(
    reference: Miniatures, facts: Footage, name: str
) -> None:
    change, what, words = WRONG[name]
    found = points(film(range(FRAMES), change), reference, facts, facts)
    assert words in found[what]
    blamed = {k for k, said in found.items() if said.startswith(DIFFERS)}
    assert blamed == {what}


def test_exchanged_frames_are_named(reference: Miniatures, facts: Footage) -> None:
    numbers: list[float] = list(range(FRAMES))
    numbers[20], numbers[22] = numbers[22], numbers[20]
    found = points(film(numbers), reference, facts, facts)
    assert "frame 20 shows frame 22; frame 22 shows frame 20" in found["each frame in its place"]
    numbers[30], numbers[44] = numbers[44], numbers[30]
    found = points(film(numbers), reference, facts, facts)
    assert (
        "frame 30 shows another picture; frame 44 shows another picture" in found["each frame in its place"]
    )


@pytest.mark.parametrize(("bits", "held"), [(10, 10), (10, 8), (12, 12), (12, 8)])
def test_bits_beyond_the_eighth_have_to_hold_something(facts: Footage, bits: int, held: int) -> None:
    name = f"yuv420p{bits}le"
    deep = replace(facts, pixel_format=name, bit_depth=bits)
    rounded = (lambda p: p) if held > 8 else (lambda p: tuple(map(np.round, p)))
    output, reference = film(range(8), rounded, name), film(range(8), name=name)  # type: ignore[arg-type]
    found = points(output, reference, deep, deep).get("bit depth", "")
    assert found == ("" if held > 8 else f"{DIFFERS}: its {bits} bits hold an 8-bit picture")
    if held > 8:
        # Of samples that are spread evenly so many end in zeros by chance.
        assert output.even == pytest.approx(0.5 ** (bits - 8), abs=0.03)


def test_nothing_is_told_of_what_is_not_there(facts: Footage) -> None:
    """No frames; no colour; lines that hardly differ."""
    nothing = gathered([], lambda: False)
    assert (nothing.count, len(nothing.head), len(nothing.colours)) == (0, 0, 0)
    assert nothing.even is None
    grey = film(range(12), lambda p: (p[0], p[1] * 0 + 128, p[2] * 0 + 128))
    found = points(grey, grey, facts, facts)
    assert found["colours"].endswith("too little colour")
    assert found["chroma beside luma"].endswith("too little colour")
    rows = np.full(HIGH, 90.0)
    rows[1:8:2] += 1.0  # four steps of a level among ninety pairs of lines: 0.044 on average
    even = replace(grey, rows=rows)
    assert points(even, even, facts, facts)["order of lines"].endswith("its lines hardly differ")
    rows[9:12:2] += 1.0
    assert "order of lines" not in points(even, even, facts, facts)


def test_what_chance_gives_is_taken_off(facts: Footage) -> None:
    ten, twelve = (replace(facts, pixel_format=f"yuv420p{n}le", bit_depth=n) for n in (10, 12))
    assert _beyond_chance(0.25, ten) == 0
    assert _beyond_chance(0.625, ten) == pytest.approx(0.5)
    assert _beyond_chance(1 / 16, twelve) == 0
    assert _beyond_chance(1.0, twelve) == 1
    assert _beyond_chance(0.5, facts) is None


def test_of_a_reference_of_8_bits_depth_is_not_asked(reference: Miniatures, facts: Footage) -> None:
    deep = replace(facts, pixel_format="yuv420p10le", bit_depth=10)
    output = film(range(8), name="yuv420p10le")
    assert "no finer than 8 bits" in points(output, film(range(8)), deep, facts)["bit depth"]


def test_miniatures_are_means_of_what_lies_there() -> None:
    """By scipy's mean over the same samples: four a side, at even distances."""
    luma, _cb, _cr = picture(0)
    found = film(range(1)).head[0]
    rounded = np.round(luma)
    rows = ((np.arange(54 * 4) + 0.5) * HIGH / (54 * 4)).astype(int)
    columns = ((np.arange(96 * 4) + 0.5) * WIDE / (96 * 4)).astype(int)
    labels = np.add.outer(96 * (np.arange(216) // 4), np.arange(384) // 4)
    means = ndimage.mean(rounded[np.ix_(rows, columns)], labels, np.arange(54 * 96)).reshape(54, 96)
    assert (found == means.astype(np.uint8)).all()


def test_some_frames_are_looked_at_in_full_and_fewer_the_longer_it_is(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    found = film(range(FRAMES))
    assert found.looked.tolist() == [n for n in range(FRAMES) if n % step(n + 1) == 0]
    assert len(found.colours) == len(found.looked)
    assert [step(n) for n in (1, 47, 96, 200, 1000)] == sorted(step(n) for n in (1, 47, 96, 200, 1000))
    assert len([n for n in range(10_000) if n % step(n + 1) == 0]) < 500
    monkeypatch.setattr(small, "MOST_HEAD", 30)
    monkeypatch.setattr(small, "MOST_TAIL", 10)
    short = film(range(FRAMES))
    assert (short.head == found.head[:30]).all()
    assert (short.tail == found.head[-10:]).all()
    assert short.looked.tolist() == [n for n in found.looked.tolist() if n < 30]


@pytest.mark.parametrize("name", ["yuv420p", "yuv420p10le", "yuv422p12le", "gray", "rgb24", "gbrp"])
def test_brightness_is_in_eight_bit_levels(name: str) -> None:
    ramp = np.linspace(16, 235, 64 * 48).round().reshape(48, 64)
    made = frame_of((ramp, np.full((24, 32), 128.0), np.full((24, 32), 128.0))).reformat(format=name)
    found = luma_of(made).astype(float)
    # RGB and grey are of full range: their levels are stretched when they are made.
    wanted = ramp if name.startswith("yuv") else (ramp - 16) * 255 / 219
    assert found.shape == ramp.shape
    assert np.abs(found - wanted).max() <= 1


def test_where_an_output_comes_from_in_words() -> None:
    asked = Excerpt(100, 25)
    assert "does not show the excerpt" in elsewhere_words(None, asked)
    assert "100 to 124" in elsewhere_words(range(300, 325), asked)
    assert "300 to 324" in elsewhere_words(range(300, 325), asked)


RATE = 48_000


def tone(seconds: float, gain: float = 0.2, late_s: float = 0.0) -> np.ndarray:
    """Noise that swells, shape (samples, 2)."""
    draw = np.random.default_rng(9)
    noise = draw.normal(0, 1, round(seconds * RATE)) * np.repeat(
        draw.uniform(0.1, 1, 100), round(seconds * RATE / 100)
    )
    made = np.repeat((gain * noise)[:, None], 2, axis=1).astype(np.float32)
    return np.concatenate([np.zeros((round(late_s * RATE), 2), np.float32), made])[: len(made)]


@pytest.mark.parametrize(
    ("ours", "words"),
    [
        (tone(4), ()),
        (tone(4, 0.2 * 10 ** (1.5 / 20)), ("1.5 LU louder",)),
        (tone(4, 0.2 * 10 ** (-3 / 20)), ("3.0 LU quieter",)),
        (tone(4, late_s=0.2), ("200 ms late",)),
        (tone(4)[RATE // 2 :], ("0.50 s shorter",)),
        (tone(4) * 0, ("its audio is silent",)),
    ],
)  # fmt: skip
def test_audio_is_as_loud_in_its_place_and_as_long(ours: np.ndarray, words: tuple[str, ...]) -> None:
    found = [p.words for p in sound_points(ours, tone(4), 0.04) if p.answer == DIFFERS]
    for said in words:
        assert any(said in f for f in found), found
    assert bool(found) == bool(words)
