"""Recipes are complete, and their faults are found before anything runs."""

import subprocess
from dataclasses import replace

import pytest

from ovrik.errors import OvrikError
from ovrik.machine.builds.build import locate
from ovrik.study.encoder.containers import CONTAINERS, SOUNDS
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.study.encoder.recipe import bit_rate_words, faults, parse_bit_rate, recipe, size_faults


@pytest.mark.parametrize("encoder", ENCODERS)
def test_every_encoders_defaults_are_sound(encoder: str) -> None:
    for container in ENCODERS[encoder].containers:
        for preset in ENCODERS[encoder].presets:
            assert faults(recipe(encoder, preset, container=container)) == []


def test_facts_hang_together() -> None:
    for encoder in ENCODERS.values():
        assert encoder.default_preset in encoder.presets
        assert set(encoder.containers) <= set(CONTAINERS)
        low, high = encoder.quality.low, encoder.quality.high
        assert encoder.quality.default is None or low <= encoder.quality.default <= high
    assert all(sound in SOUNDS for box in CONTAINERS.values() for sound in box.sounds)


@pytest.mark.parametrize(
    ("made", "words"),
    [
        (recipe("libsvtav1", container="mov"), "can't hold AV1; use .mp4"),
        (recipe("libx264", quality=60), "quality 60 is out of x264's range 0 to 51"),
        (recipe("libsvtav1", quality=-1), "range 0 to 63"),
        (recipe("libx264", "swift"), 'no preset "swift"'),
        (recipe("prores_ks", "4444", pixel_format="yuv422p10le"), "takes yuv444p10le"),
        (recipe("libx264", pixel_format="rgb24"), "not rgb24"),
        (recipe("libx264", container="avi"), 'the container "avi" is not known'),
        (recipe("libx264", container="mp4", sound="pcm_s16le"), "can't hold pcm_s16le audio"),
        (recipe("libx264", sound="mp9"), 'audio codec "mp9" is not known'),
        (recipe("libx264", quality=20, bit_rate=8_000_000), "both set"),
        (
            replace(recipe("libx264", control="constant quality"), quality=None),
            "constant quality needs a quality",
        ),
        (recipe("libx265", threads=64), "x265 takes up to 16 threads, not 64"),
        (recipe("libx265", "ultrafast", b_frames=5), "looks 5 frames ahead"),
        (
            recipe("libsvtav1", container="webm", sound_bit_rate=2_000_000),
            "takes 0.5 kb/s to 512 kb/s, not 2 Mb/s",
        ),
    ],
)
def test_faults_name_the_thing(made: object, words: str) -> None:
    assert any(words in fault for fault in faults(made))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("arguments", "works"),
    [
        (("-c:v", "libx265", "-threads", "16"), True),
        (("-c:v", "libx265", "-threads", "17"), False),
        (("-c:v", "libx265", "-preset", "ultrafast", "-bf", "4"), True),
        (("-c:v", "libx265", "-preset", "ultrafast", "-bf", "5"), False),
        (("-c:v", "libx265", "-preset", "superfast", "-bf", "9"), True),
        (("-c:v", "libx265", "-preset", "superfast", "-bf", "10"), False),
        (("-c:v", "libx265", "-preset", "fast", "-bf", "15"), False),
        (("-c:v", "libx265", "-preset", "medium", "-bf", "16"), True),
        (("-c:a", "libopus", "-ac", "2", "-b:a", "512000"), True),
        (("-c:a", "libopus", "-ac", "2", "-b:a", "513000"), False),
    ],
)
def test_what_is_refused_is_what_the_encoder_refuses(arguments: tuple[str, ...], works: bool) -> None:
    """By the encoder itself."""
    source = ("-f", "lavfi", "-i", "testsrc2=s=320x180:r=25:d=0.4", "-f", "lavfi", "-i", "sine=d=0.4")
    command = [str(locate("bundled")), "-v", "error", "-nostdin", *source, *arguments, "-f", "null", "-"]
    done = subprocess.run(command, capture_output=True, check=False)
    assert (done.returncode == 0) == works, done.stderr


def test_unknown_encoder() -> None:
    with pytest.raises(OvrikError, match="libx999"):
        recipe("libx999")


def test_gaps_are_filled_in_the_open() -> None:
    made = recipe("libx265")
    assert (made.preset, made.quality, made.pixel_format, made.container, made.sound) == (
        "medium",
        28,
        "yuv420p",
        "mp4",
        "aac",
    )
    assert recipe("prores_ks").sound == "pcm_s16le"
    assert recipe("prores_ks").quality is None
    assert recipe("libsvtav1", container="webm").sound == "libopus"


@pytest.mark.parametrize(
    ("text", "value"), [("8M", 8_000_000), ("800k", 800_000), ("2.5M", 2_500_000), ("64000", 64_000)]
)
def test_bit_rates(text: str, value: int) -> None:
    assert parse_bit_rate(text) == value


@pytest.mark.parametrize("text", ["", "fast", "8 MB/s", "-3M", "10"])
def test_bit_rates_that_are_none(text: str) -> None:
    with pytest.raises(OvrikError, match="is not a bit rate"):
        parse_bit_rate(text)


def test_words() -> None:
    assert recipe("libx264", quality=21).rate_words == "CRF 21"
    assert recipe("libx264", bit_rate=8_000_000).rate_words == "8 Mb/s"
    assert recipe("prores_ks").rate_words == "profile's rate"
    assert bit_rate_words(800_000) == "800 kb/s"


@pytest.mark.parametrize(
    ("encoder", "delivered", "size", "version", "said"),
    [
        ("libx264", "yuv420p", (320, 180), None, []),
        ("libx264", "yuv420p", (321, 180), None, ['4:2:0; set size = "320x180"']),
        ("libx264", "yuv420p", (320, 181), None, ['4:2:0; set size = "320x180"']),
        ("libx264", "yuv420p", (321, 181), None, ["odd width and height"]),
        ("libx264", "yuv422p", (320, 181), None, []),
        ("libx264", "yuv422p", (321, 181), None, ['4:2:2; set size = "320x181"']),
        ("libx264", "yuv444p", (321, 181), None, []),
        ("libx265", "yuv420p10le", (321, 180), None, ["odd width"]),
        ("ffv1", "yuv420p", (321, 181), None, []),
        ("h264_nvenc", "yuv420p", (321, 180), None, ["odd width"]),
        ("libx264", "yuv420p", (14, 16), None, ["too small: x264 takes 16×16 and more"]),
        ("libx264", "yuv420p", (16, 14), None, ["too small"]),
        ("libx264", "yuv420p", (16, 16), None, []),
        ("dnxhd", "yuv422p", (254, 120), None, ["takes 256×120 and more"]),
        ("dnxhd", "yuv422p", (256, 120), None, []),
        ("libsvtav1", "yuv420p", (62, 64), 5, ["takes 64×64 and more"]),
        ("libsvtav1", "yuv420p", (62, 64), 9, []),
        ("libsvtav1", "yuv420p", (62, 64), None, []),
        ("libx264", "yuv420p", (16386, 100), None, ["too large: x264 takes up to 16384×16384"]),
        ("libx264", "yuv420p", (16384, 16384), None, []),
        ("libx265", "yuv420p", (16386, 16386), None, ["up to 268 megapixels"]),
        ("libx265", "yuv420p", (20000, 100), None, []),
    ],
)
def test_sizes_that_an_encoder_can_not_take(
    encoder: str, delivered: str, size: tuple[int, int], version: int | None, said: list[str]
) -> None:
    found = size_faults(replace(recipe(encoder), pixel_format=delivered), *size, version)
    assert len(found) == len(said), found
    assert all(words in fault for words, fault in zip(said, found, strict=True)), found
