"""Numbers that decide something and that docs/method.md states: the text and the code say the same."""

import re
from pathlib import Path

import pytest

from ovrik.analysis.signals import coded_steps, loss_picks, losses
from ovrik.analysis.signals.loss_kinds import LOSS_TABLE

METHOD = re.sub(r"\s+", " ", (Path(__file__).parents[1] / "docs" / "method.md").read_text())


@pytest.mark.parametrize(
    ("kind", "stated"),
    [
        ("loss_detail", r"worth a look \(detail ([\d.]+) %"),
        ("loss_grain", r"worth a look \(.*?grain ([\d.]+) %"),
        ("loss_blocking", r"worth a look \(.*?blocking ([\d.]+),"),
        ("loss_banding", r"worth a look \(.*?banding ([\d.]+),"),
        ("loss_ringing", r"worth a look \(.*?ringing ([\d.]+),"),
        ("loss_flicker", r"worth a look \(.*?flicker ([\d.]+) levels"),
        ("loss_colour", r"worth a look \(.*?ΔE ([\d.]+)\)"),
    ],
)
def test_a_loss_is_worth_a_look_from_what_is_stated(kind: str, stated: str) -> None:
    found = re.search(stated, METHOD)
    assert found
    assert LOSS_TABLE[kind].notable == float(found[1])


@pytest.mark.parametrize(
    ("value", "stated"),
    [
        (losses.BLOCK, r"a map over its blocks of (\d+)×"),
        (losses.FINE, r"finer than a Gaussian of ([\d.]+) pixels"),
        (losses.STRUCTURED, r"where √mean\(s²\) ≥ ([\d.]+) levels a pixel"),
        (losses.EVEN, r"\*even\* where it is under ([\d.]+) and"),
        (losses.EVEN, r"a pixel is \*smooth\* where s < ([\d.]+)\."),
        (losses.GRAIN_SLOPE, r"less ([\d.]+) times the variance of h\(R\) in the calmest"),
        (losses.PULSE, r"the means of O − R over areas of (\d+)×"),
        (losses.HIDES, r"by 1/\(1 \+ σ/([\d.]+)\)"),
        (losses.LEAST_GRAIN, r"has a standard deviation of ([\d.]+) and more"),
        (losses.HARD_EDGE, r"from hard edges \(\|∇R\| ≥ ([\d.]+)\)"),
        (losses.BESIDE + 1, r"at (\d+) to \d+ pixels from hard edges"),
        (losses.AWAY, r"at \d+ to (\d+) pixels from hard edges"),
        (coded_steps.STEP, r"j a step of ([\d.]+) and more"),
        (coded_steps.FLAT, r"change by less than ([\d.]+) over two pixels"),
        (losses.CODED, r"each border of an (\d+)×\d+ grid"),
        (loss_picks.HAPPENS, r"between measured neighbours than (\d+) points"),
        (loss_picks.CUT, r"change by more than (\d+) on average"),
    ],
)
def test_losses_are_measured_as_is_stated(value: float, stated: str) -> None:
    found = re.search(stated, METHOD)
    assert found
    assert value == float(found[1])
