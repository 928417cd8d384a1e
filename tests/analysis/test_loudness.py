"""Loudness against the build's own meter and the published test signals, delays against what was put in."""

import re
import subprocess
from pathlib import Path

import numpy as np
import pytest
from scipy import signal

from ovrik.analysis.signals.delay import delay
from ovrik.analysis.signals.loudness import HIGH_PASS, RATE, SHELF, k_weighted, loudness
from ovrik.machine.builds.build import locate


def tone(seconds: float, dbfs: float, hertz: float = 1000.0) -> np.ndarray:
    wave = 10 ** (dbfs / 20) * np.sin(2 * np.pi * hertz * np.arange(round(seconds * RATE)) / RATE)
    return np.stack([wave, wave], axis=1)


@pytest.mark.parametrize(
    ("pieces", "wanted"),
    [
        (((20, -23),), -23.0),
        (((20, -33),), -33.0),
        (((10, -36), (60, -23), (10, -36)), -23.0),
        (((10, -72), (10, -36), (60, -23), (10, -36), (10, -72)), -23.0),
        (((20, -26), (20.1, -20), (20, -26)), -23.0),
    ],
)
def test_the_published_signals_read_as_they_must(
    pieces: tuple[tuple[float, float], ...], wanted: float
) -> None:
    """EBU Tech 3341, table 1, cases 1 to 5: 1 kHz in stereo, ±0.1 LU."""
    assert loudness(np.concatenate([tone(*p) for p in pieces])) == pytest.approx(wanted, abs=0.1)


def test_it_agrees_with_the_builds_meter(tmp_path: Path) -> None:
    random = np.random.default_rng(4)
    sound = np.cumsum(random.normal(0, 0.02, (6 * RATE, 2)), axis=0)
    sound = (sound - sound.mean(axis=0)) * (0.2 + 0.8 * (np.arange(6 * RATE) > 2 * RATE))[:, None]
    sound = (0.3 * sound / np.abs(sound).max() + random.normal(0, 0.02, sound.shape)).astype("<f4")
    path = tmp_path / "s.f32"
    path.write_bytes(sound.tobytes())
    given = (
        "-f",
        "f32le",
        "-ar",
        str(RATE),
        "-ac",
        "2",
        "-i",
        str(path),
        "-af",
        "ebur128",
        "-f",
        "null",
        "-",
    )
    done = subprocess.run([str(locate("bundled")), *given], capture_output=True, check=True)
    said = re.findall(rb"I:\s+(-?[\d.]+) LUFS", done.stderr)[-1]
    assert loudness(sound) == pytest.approx(float(said), abs=0.1)


def test_silence_and_what_is_too_short_have_none() -> None:
    assert loudness(np.zeros((RATE, 2))) == float("-inf")
    assert loudness(tone(0.3, -20)) == float("-inf")
    assert loudness(tone(5, -75)) == float("-inf"), "under the absolute gate"
    with pytest.raises(ValueError, match="48 kHz"):
        loudness(tone(1, -20), 44_100)


@pytest.mark.parametrize("late", [-1600, -320, 0, 7, 960])
def test_a_delay_is_found_to_the_sample(late: int) -> None:
    random = np.random.default_rng(8)
    whole = random.normal(0, 1, 40_000)
    ours = whole[4000 - late : 36_000 - late] + random.normal(0, 0.4, 32_000)
    found = delay(ours, whole[4000:36_000], 8000, 2.0)
    assert round(found.seconds * 8000) == late
    assert found.certain
    assert 0.8 < found.likeness < 1


def test_a_steady_tone_silence_and_other_sounds_tell_no_delay() -> None:
    random = np.random.default_rng(9)
    hum = np.sin(2 * np.pi * 200 * np.arange(16_000) / 8000)
    assert not delay(hum, hum, 8000, 0.5).certain
    assert not delay(np.zeros(800), random.normal(0, 1, 800), 8000, 0.05).certain
    assert not delay(random.normal(0, 1, 16_000), random.normal(0, 1, 16_000), 8000, 0.5).certain


def test_one_block_is_enough() -> None:
    """BS.1770's gating block is 0.4 s: a sound of exactly that has a loudness, a sample less has none."""
    exact = tone(0.4, -23)
    assert len(exact) == 19_200
    # Longer by far, the same tone reads −23 dBFS; one block holds the onset of the filters, too.
    assert loudness(exact) == pytest.approx(-23.0, abs=0.3)
    assert loudness(exact[1:]) == float("-inf")


@pytest.mark.parametrize("samples", [0, 1, 5000, 131_072, 300_001])
def test_spectra_weigh_as_recursion_does(samples: int) -> None:
    sound = np.random.default_rng(samples).normal(0, 0.1, (samples, 2))
    wanted = signal.lfilter(*HIGH_PASS, signal.lfilter(*SHELF, sound, axis=0), axis=0)
    found = k_weighted(sound)
    assert found.shape == wanted.shape
    assert np.abs(found - wanted).max(initial=0.0) < 1e-12
