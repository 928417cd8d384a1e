"""Commands: exact seeks, the recipe's settings, no shell."""

import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from ovrik.export.command.export import Export, encoder_arguments, export_commands
from ovrik.export.graph.seconds import seconds_text
from ovrik.export.run.process import measure
from ovrik.machine.builds.build import ask_build, find_build
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.encoders import ENCODERS, Encoder
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from plain_export import export_command


def after(command: list[str], option: str) -> str:
    return command[command.index(option) + 1]


def test_whole_clip_has_no_seek(footage: Footage) -> None:
    command = export_command("prog", footage, whole(footage), recipe("libx264"), Path("o.mp4"))
    assert "-ss" not in command
    assert "-t" not in command
    assert after(command, "-frames:v") == "30"


def test_excerpt_and_settings(footage: Footage) -> None:
    made = recipe("libx265", "fast", 24.5, container="mp4")
    command = export_command("prog", footage, Excerpt(10, 5), made, Path("/out dir/o.mp4"))
    assert (after(command, "-ss"), after(command, "-t")) == ("0.399500", "0.200500")
    assert command.index("-ss") < command.index("-i")
    assert (after(command, "-c:v"), after(command, "-preset"), after(command, "-crf")) == (
        "libx265",
        "fast",
        "24.5",
    )
    assert after(command, "-tag:v") == "hvc1"
    assert after(command, "-c:a") == "aac"
    assert command[-1] == "file:/out dir/o.mp4"


def test_seek_times_are_cut_not_rounded() -> None:
    assert seconds_text(Fraction(1001, 30000) * 2) == "0.066733"
    assert seconds_text(Fraction(3)) == "3.000000"


def test_an_uneven_rate_is_made_even(footage: Footage) -> None:
    uneven = replace(footage, constant_rate=False, rate=Fraction(24000, 1001))
    command = export_command("p", uneven, whole(uneven), recipe("libx264"), Path("o.mp4"))
    assert after(command, "-vf").startswith("fps=fps=24000/1001:start_time=0:round=near,tpad=stop_mode=clone")


def test_no_sound_when_there_is_none_or_none_is_wanted(footage: Footage) -> None:
    silent = replace(footage, sounds=())
    assert "-an" in export_command("p", silent, whole(silent), recipe("libx264"), Path("o.mp4"))
    muted = recipe("libx264", sound="none")
    assert "-an" in export_command("p", footage, whole(footage), muted, Path("o.mp4"))


@pytest.mark.parametrize(("encoder", "option"), [("libx264", "-b:v"), ("prores_ks", "-bits_per_mb")])
def test_bit_rate_targets(footage: Footage, encoder: str, option: str) -> None:
    job = Export("p", of_clip(footage), whole(footage), recipe(encoder, bit_rate=6_000_000))
    command = encoder_arguments(job, Path("s"))
    blocks = 20 * 12  # 320x180 in blocks of 16
    value = 6_000_000 if option == "-b:v" else round(6_000_000 / (blocks * 25))
    assert after(command, option) == str(value)
    assert "-crf" not in command


def test_two_passes_are_two_commands(footage: Footage) -> None:
    made = recipe("libx264", bit_rate=2_000_000, control="two passes")
    first, last = export_commands(
        Export("p", of_clip(footage), whole(footage), made), Path("o.mp4"), Path("/t/stats")
    )
    assert (after(first, "-pass"), after(last, "-pass")) == ("1", "2")
    assert first[-3:] == ["-f", "null", "-"]
    assert "-an" in first
    assert after(first, "-passlogfile") == after(last, "-passlogfile") == "/t/stats"
    assert after(first, "-b:v") == "2000000"


@pytest.mark.parametrize(
    ("more", "words"),
    [
        (
            {"tune": "film", "profile": "high", "gop": 48, "b_frames": 0, "threads": 3},
            ["-tune", "film", "-profile:v", "high", "-g", "48", "-bf", "0", "-threads", "3"],
        ),
        (
            {"raw": (("refs", "2"), ("x264-params", "scenecut=0"))},
            ["-refs", "2", "-x264-params", "scenecut=0"],
        ),
        (
            {"control": "capped", "bit_rate": 3_000_000},
            ["-crf", "23", "-maxrate", "3000000", "-bufsize", "6000000"],
        ),
        ({"width": 160, "height": 90}, ["fps=fps=25,scale=w=160:h=90:flags=bicubic", "-map"]),
        ({"sound_bit_rate": 96_000}, ["-c:a", "aac", "-b:a", "96000"]),
    ],
)
def test_every_factor_reaches_the_command(
    footage: Footage, more: dict[str, object], words: list[str]
) -> None:
    command = export_command("p", footage, whole(footage), recipe("libx264", **more), Path("o.mp4"))
    text = "\n".join(command)
    assert "\n".join(words) in text


def test_another_rate_has_another_count_of_frames(footage: Footage) -> None:
    command = export_command("p", footage, whole(footage), recipe("libx264", rate="50"), Path("o.mp4"))
    assert after(command, "-frames:v") == "60"
    assert after(command, "-vf").endswith("setpts=expr=N,fps=fps=25,fps=fps=50")


def test_devices_are_opened_for_what_uses_them(footage: Footage) -> None:
    made = export_command("p", footage, whole(footage), recipe("h264_vaapi"), Path("o.mp4"), decode="vaapi")
    assert after(made, "-init_hw_device") == "vaapi=vaapi"
    assert after(made, "-hwaccel") == "vaapi"
    assert made.index("-hwaccel") < made.index("-i")
    assert after(made, "-vf").endswith("hwupload")
    assert "-pix_fmt" not in made


DEVICES = ("nvenc", "qsv", "vaapi", "amf", "vulkan")


@pytest.mark.parametrize(
    "encoder", [e for e in ENCODERS.values() if e.device in DEVICES], ids=lambda e: e.name
)
def test_what_a_device_encoder_is_offered_is_what_the_build_lists(encoder: Encoder) -> None:
    """Every tune and profile is a word of the build's own help, and B-frames are given as a number."""
    build = find_build("bundled")
    text = ask_build(build.path, "-hide_banner", "-h", f"encoder={encoder.name}")
    words = {
        option: set(re.findall(r"^     (\S+) ", block, re.MULTILINE))
        for option, block in re.findall(r"^  (-\w+) +<.*\n((?:     \S.*\n)*)", text, re.MULTILINE)
    }
    assert set(encoder.tunes) <= words.get(encoder.tune_arguments[0], set())
    assert set(encoder.profiles) <= words.get("-profile", set())


def test_settings_of_device_encoders_and_of_svt_av1_are_given_in_their_words(footage: Footage) -> None:
    made = recipe("hevc_amf", bit_rate=4_000_000, tune="lowlatency", profile="main")
    said = encoder_arguments(Export("p", of_clip(footage), whole(footage), made), Path("s"))
    assert (after(said, "-usage"), after(said, "-profile:v")) == ("lowlatency", "main")
    made = recipe("h264_nvenc", tune="hq", b_frames=3)
    said = encoder_arguments(Export("p", of_clip(footage), whole(footage), made), Path("s"))
    assert (after(said, "-tune"), after(said, "-bf")) == ("hq", "3")
    made = recipe("libsvtav1", control="constant", bit_rate=2_000_000, tune="vq")
    said = encoder_arguments(Export("p", of_clip(footage), whole(footage), made), Path("s"))
    assert after(said, "-svtav1-params") == "rc=2:pred-struct=1:tune=0"


@pytest.mark.parametrize("key", ["bundled", "system"])
@pytest.mark.parametrize("tune", ["vq", "psnr"])
def test_svt_av1_is_really_tuned(footage: Footage, tmp_path: Path, tune: str, key: str) -> None:
    build, out = find_build(key), tmp_path / "o.mp4"
    made = recipe("libsvtav1", preset="12", tune=tune, sound="none")
    run = measure(
        export_commands(Export(build.path, of_clip(footage), whole(footage), made), out, tmp_path / "s")[-1]
    )
    assert run.exit_code == 0
    if key == "bundled":
        said = next(line for line in run.log if "preset / tune" in line)
        assert f"/ {tune.upper()} /" in said
