"""Commands: exact seeks, the recipe's settings, no shell."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest

from ovrik.export.command import encoder_arguments, export_command, seconds_text
from ovrik.study.excerpt import Excerpt, whole
from ovrik.study.footage import Footage
from ovrik.study.recipe import recipe


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
    assert (after(command, "-ss"), after(command, "-t")) == ("0.400000", "0.200000")
    assert command.index("-ss") < command.index("-i")
    assert (after(command, "-c:v"), after(command, "-preset"), after(command, "-crf")) == (
        "libx265", "fast", "24.5")  # fmt: skip
    assert after(command, "-tag:v") == "hvc1"
    assert after(command, "-c:a") == "aac"
    assert command[-1] == "/out dir/o.mp4"


def test_seek_times_are_cut_not_rounded() -> None:
    assert seconds_text(Fraction(1001, 30000) * 2) == "0.066733"
    assert seconds_text(Fraction(3)) == "3.000000"


def test_an_uneven_rate_is_made_even(footage: Footage) -> None:
    uneven = replace(footage, constant_rate=False, rate=Fraction(24000, 1001))
    command = export_command("p", uneven, whole(uneven), recipe("libx264"), Path("o.mp4"))
    assert after(command, "-vf") == "fps=24000/1001"


def test_no_sound_when_there_is_none_or_none_is_wanted(footage: Footage) -> None:
    silent = replace(footage, sounds=())
    assert "-an" in export_command("p", silent, whole(silent), recipe("libx264"), Path("o.mp4"))
    muted = recipe("libx264", sound="none")
    assert "-an" in export_command("p", footage, whole(footage), muted, Path("o.mp4"))


@pytest.mark.parametrize(("encoder", "option"), [("libx264", "-b:v"), ("prores_ks", "-bits_per_mb")])
def test_bit_rate_targets(footage: Footage, encoder: str, option: str) -> None:
    command = encoder_arguments(recipe(encoder, bit_rate=6_000_000), footage)
    blocks = 20 * 12  # 320x180 in blocks of 16
    value = 6_000_000 if option == "-b:v" else round(6_000_000 / (blocks * 25))
    assert after(command, option) == str(value)
    assert "-crf" not in command
