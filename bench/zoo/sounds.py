"""Everyday sounds, sound exports of them and wrong ones."""

import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.seed import drawn
from bench.zoo.outputs import run
from bench.zoo.tried import Said
from ovrik.machine.builds.build import find_build
from ovrik.quality.checks.sound_points import sound_points
from ovrik.quality.decode.sound import sound_of
from ovrik.study.facts.point import UNKNOWN

RATE, SECONDS = 48_000, 8
Made = np.ndarray
"""A sound, shape (samples, 2), 1 for full scale."""


def _time() -> np.ndarray:
    return np.arange(RATE * SECONDS) / RATE


def _band(name: str, low: float, high: float) -> np.ndarray:
    """Noise between two frequencies, of unit spread."""
    spectrum = np.fft.rfft(drawn(name).normal(size=RATE * SECONDS))
    at = np.fft.rfftfreq(RATE * SECONDS, 1 / RATE)
    spectrum[(at < low) | (at > high)] = 0
    out = np.fft.irfft(spectrum)
    return np.asarray(out / out.std())


def speech() -> Made:
    """Syllables of noise at uneven moments, a little to the left, in a room that differs from side to side."""
    draw, out = drawn("syllables"), np.zeros(RATE * SECONDS)
    for _ in range(26):
        at, long = draw.uniform(0, SECONDS - 0.4), draw.uniform(0.08, 0.3)
        here = slice(int(at * RATE), int((at + long) * RATE))
        out[here] += np.hanning(here.stop - here.start) * draw.uniform(0.3, 1)
    voice = 0.16 * out * _band("voice", 120, 3800)
    room = [np.roll(0.25 * voice, int(d * RATE)) for d in (0.011, 0.017)]
    return np.stack([1.1 * voice + room[0], 0.8 * voice + room[1]], axis=1)


def music() -> Made:
    """Struck notes on two sides, over a common bass."""
    draw, t, out = drawn("notes"), _time(), np.zeros((RATE * SECONDS, 2))
    for n in range(34):
        at, side = 0.23 * n, float(draw.uniform(0, 1))
        pitch = 110 * 2 ** (float(draw.choice([0, 3, 5, 7, 10, 12, 15, 17])) / 12)
        tone = np.where(t >= at, np.exp(-(t - at) * 4), 0) * np.sin(2 * np.pi * pitch * (t - at))
        out += 0.12 * tone[:, None] * np.array([side, 1 - side])
    return out + 0.05 * np.sin(2 * np.pi * 55 * t)[:, None]


def atmosphere() -> Made:
    """Wind: noise, other on either side."""
    swell = 0.6 + 0.4 * np.sin(2 * np.pi * 0.21 * _time())
    return (
        0.04
        * np.stack([_band("wind left", 60, 6000), _band("wind right", 60, 6000)], axis=1)
        * swell[:, None]
    )


def mono() -> Made:
    """The same on both sides."""
    return np.repeat(speech().mean(axis=1, keepdims=True), 2, axis=1)


def late() -> Made:
    """Silence, then speech."""
    out = speech()
    out[: 3 * RATE] = 0
    return out


def tone() -> Made:
    """Line-up tone: it fits everywhere."""
    return np.repeat(0.1 * np.sin(2 * np.pi * 1000 * _time())[:, None], 2, axis=1)


def quiet() -> Made:
    """A whisper."""
    return 0.03 * speech()


def loud() -> Made:
    """Pressed against full scale."""
    return np.clip(9 * music(), -1, 1)


SOUNDS = {f.__name__: f for f in (speech, music, atmosphere, mono, late, tone, quiet, loud)}
CODED = {
    "AAC 192": ("m4a", "-c:a", "aac", "-b:a", "192k"),
    "AAC 48": ("m4a", "-c:a", "aac", "-b:a", "48k"),
    "MP3 128": ("mp3", "-c:a", "libmp3lame", "-b:a", "128k"),
    "Opus 64": ("mka", "-c:a", "libopus", "-b:a", "64k"),
    "AC-3 192": ("mka", "-c:a", "ac3", "-b:a", "192k"),
    "FLAC": ("flac", "-c:a", "flac", "-sample_fmt", "s16"),
    "PCM 16": ("mov", "-c:a", "pcm_s16le"),
    "AAC 192 at 44.1": ("m4a", "-ar", "44100", "-c:a", "aac", "-b:a", "192k"),
}
"""Sound exports: container and options."""


@dataclass(frozen=True)
class WrongSound:
    """Fields: `name`; `said`, words of which one must be in what is said; `change`, what becomes of the samples;
    `untold`, sounds of which it can't be told."""

    name: str
    said: tuple[str, ...]
    change: Callable[[Made], Made]
    untold: tuple[str, ...] = ()


def _later(seconds: float) -> Callable[[Made], Made]:
    return lambda s: np.roll(s, round(seconds * RATE), axis=0) * _there(len(s), seconds)


def _there(count: int, seconds: float) -> np.ndarray:
    """Nothing where a delayed sound has not begun, or an early one has ended."""
    at = np.arange(count)[:, None]
    return (at >= seconds * RATE) if seconds > 0 else (at < count + seconds * RATE)


def _faster(factor: float) -> Callable[[Made], Made]:
    def made(s: Made) -> Made:
        at = np.arange(int(len(s) / factor)) * factor
        return np.stack([np.interp(at, np.arange(len(s)), side) for side in s.T], axis=1)

    return made


STEADY = ("tone",)
EVEN = ("music", "atmosphere", "late", "tone", "loud")
"""What has no swells at its beginning or its end that say where it belongs."""
ALIKE = ("mono", "tone")
WRONG_SOUNDS = (
    WrongSound("silence", ("silent",), lambda s: 0 * s),
    WrongSound("left and right exchanged", ("left and right",), lambda s: s[:, ::-1], ALIKE),
    WrongSound(
        "mono on both sides", ("the same",), lambda s: np.repeat(s.mean(1, keepdims=True), 2, 1), ALIKE
    ),
    WrongSound("left only", ("silent", "quieter"), lambda s: s * np.array([1.0, 0.0])),
    WrongSound("80 ms late", ("late",), _later(0.08), STEADY),
    WrongSound("80 ms early", ("early",), _later(-0.08), STEADY),
    WrongSound("half a second late", ("late",), _later(0.5), STEADY),
    WrongSound("drifts by one in eighty", ("beginning and", "shorter"), _faster(1.0125), EVEN),
    WrongSound("44.1 kHz played at 48", ("shorter", "beginning and"), _faster(48 / 44.1)),
    WrongSound("half as loud", ("quieter",), lambda s: 0.5 * s),
    WrongSound("cut short by a second", ("shorter",), lambda s: s[:-RATE]),
)


FRAME_S = 0.04


def heard(
    name: str, codings: Sequence[str] = tuple(CODED), wrongs: Sequence[WrongSound] = WRONG_SOUNDS
) -> tuple[list[Said], list[Said]]:
    """Sound exports of one sound, and wrong ones. Raises RuntimeError."""
    made = SOUNDS[name]()
    with tempfile.TemporaryDirectory(prefix="ovrik-zoo-") as place:
        folder = Path(place)
        source = sound_of(write_sound(made, folder / "source.mka", "-c:a", "pcm_f32le"))

        def said(export: str, path: Path) -> Said:
            points = sound_points(sound_of(path), source, FRAME_S)
            faults = tuple(p.fault for p in points if p.fault)
            return Said(name, export, faults, tuple(p.name for p in points if p.answer == UNKNOWN))

        sound = [said(c, write_sound(made, folder / f"sound.{CODED[c][0]}", *CODED[c][1:])) for c in codings]
        bad = [
            said(w.name, write_sound(w.change(made), folder / "wrong.mka", "-c:a", "libopus", "-b:a", "128k"))
            for w in wrongs
        ]
    return sound, bad


def write_sound(samples: Made, path: Path, *options: str) -> Path:
    """Coded by the bundled build. Raises RuntimeError."""
    raw = path.with_suffix(".f32")
    raw.write_bytes(np.clip(samples, -1, 1).astype("<f4").tobytes())
    given = ["-f", "f32le", "-ar", str(RATE), "-ch_layout", "stereo", "-i", str(raw)]
    run([find_build("bundled").path, "-v", "error", "-y", *given, *options, str(path)])
    raw.unlink()
    return path
