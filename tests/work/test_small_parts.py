"""Small parts of the work, each by itself: what a run ends with, levels of a grid, words, pictures of moments."""

from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from ovrik.analysis.signals.telling import APART, LOWEST, Moment
from ovrik.export.run.process import Usage
from ovrik.export.run.timed import RunResult
from ovrik.machine.devices.trial import UNTRIED, Trial
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.files.checksum import file_sha256
from ovrik.work.answers.equal_curves import TIME, equal_quality_words
from ovrik.work.checking.moments import SMALL, _crop
from ovrik.work.checking.which_moments import words_of
from ovrik.work.lineup.able import tried_words
from ovrik.work.lineup.grid_levels import KEYS, for_key, of_contender
from ovrik.work.timing.run_values import run_values, who_else

USAGE = Usage(
    wall_s=4.0, user_s=3.0, system_s=0.5, peak_bytes=10, read_bytes=20, written_bytes=30, exit_code=0,
    log=("said",), stopped=False, stalled=False, own_cpu_s=0.01,
)  # fmt: skip


def test_the_end_of_a_run_fills_in_what_was_measured(tmp_path: Path) -> None:
    output = tmp_path / "out.mp4"
    output.write_bytes(b"frames")
    done = RunResult("done", "", USAGE, frames=30, output_bytes=6)
    filled = run_values(done, output)
    assert filled["output_sha256"] == file_sha256(output)
    assert (filled["frames_written"], filled["output_bytes"], filled["state"]) == (30, 6, "done")
    used = {name: value for name, value in vars(USAGE).items() if name not in ("stopped", "stalled")}
    assert used.items() <= filled.items()
    failed = run_values(RunResult("failed", "no luck", None), output)
    assert (failed["output_sha256"], failed["output_bytes"], failed["reason"]) == (None, None, "no luck")
    assert "wall_s" not in failed


def test_of_those_who_worked_too_the_greediest_are_named() -> None:
    others = tuple((f"p{n}", 9.0 - n) for n in range(9))
    done = RunResult("done", "", USAGE, others=others, disk_users=others)
    found = who_else(done)
    assert [n for n, _s in found["others"]] == ["p0", "p1", "p2", "p3", "p4"]
    assert [n for n, _s in found["disk_users"]] == ["p0", "p1", "p2"]
    assert "joules" not in found


BUILDS: dict[str, Any] = {
    "one": SimpleNamespace(encoders=("libx264", "ffv1")),
    "two": SimpleNamespace(encoders=("libx265", "nobody")),
}


def test_levels_are_what_the_builds_and_encoders_know() -> None:
    assert for_key("build", [], BUILDS) == ["one", "two"]
    assert set(for_key("encoder", [], BUILDS)) == {"libx264", "libx265", "ffv1"}
    both = ["libx264", "libx265"]
    presets = for_key("preset", both, BUILDS)
    assert presets == list(dict.fromkeys([*ENCODERS["libx264"].presets, *ENCODERS["libx265"].presets]))
    usual = ENCODERS["libx264"].quality.default
    assert usual is not None
    quality = [int(q) for q in for_key("quality", ["libx264"], BUILDS)]
    assert quality == list(range(int(usual) - 9, int(usual) + 10, 3))
    assert len(quality) == 7
    assert for_key("tune", ["libx264"], BUILDS)[0] == "none"
    assert for_key("profile", ["libx264"], BUILDS)[0] == "own"
    assert for_key("pixel_format", ["nobody"], BUILDS) == []
    assert for_key("threads", both, BUILDS)[:3] == ["0", "1", "2"]


def test_a_contenders_own_levels_are_written_as_in_a_plan() -> None:
    assert of_contender(None) == {**dict.fromkeys(KEYS, ""), "build": "bundled", "encoder": "libx264"}
    one = Contender("system", recipe("libx264", "fast", 21), prerendered=intermediate("prores-lt"))
    found = of_contender(one)
    assert (found["build"], found["encoder"], found["preset"], found["quality"]) == (
        "system",
        "libx264",
        "fast",
        "21",
    )
    assert found["prerendered"] == "prores-lt"
    assert set(found) == set(KEYS)


@pytest.mark.parametrize(
    ("rate", "overlap", "what", "said"),
    [
        (0.1234, 1.0, "size", "12.3 % more for the same quality"),
        (-0.1234, 0.8, "size", "12.3 % less for the same quality"),
        (-0.1, 0.75, TIME, "10.0 % less time for the same quality"),
        (-0.1, 0.74, "size", "10.0 % less for the same quality, over 74 % of the narrower range"),
    ],
)
def test_equal_quality_in_words(rate: float, overlap: float, what: str, said: str) -> None:
    found = SimpleNamespace(rate=rate, overlap=overlap, why="")
    assert equal_quality_words(found, what) == said  # type: ignore[arg-type]


def test_equal_quality_that_can_not_be_told_says_why() -> None:
    found = SimpleNamespace(rate=None, overlap=0.0, why="too few points")
    assert equal_quality_words(found, "size") == "can't be told: too few points"  # type: ignore[arg-type]


def test_a_trial_in_words() -> None:
    tried = Trial("bundled", "vulkan", "encode", "h264_vulkan", "nv12", "fails", "no such device")
    assert tried_words(tried) == "was tried here: no such device"
    assert tried_words(replace(tried, reason=""), "is") == "is tried here: fails"
    assert tried_words(replace(tried, answer=UNTRIED)) == "can't be tried here: no such device"


class _Still:
    """In place of a reader: one frame."""

    def __init__(self, high: int, wide: int) -> None:
        rows, columns = np.mgrid[0:high, 0:wide]
        self.pixels = np.stack([rows % 256, columns % 256, rows * 0, rows * 0 + 255], axis=2).astype(np.uint8)

    def seen(self, _number: int) -> Any:
        return SimpleNamespace(pixels=self.pixels)


def test_a_region_is_cut_out_and_made_smaller_by_whole_steps() -> None:
    frame = _Still(400, 800)
    whole = _crop(frame, 0, (0.25, 0.5, 0.2, 0.25))  # type: ignore[arg-type]
    assert (whole == frame.pixels[200:300, 200:360]).all()
    smaller = _crop(frame, 0, (0.0, 0.0, 1.0, 1.0))  # type: ignore[arg-type]
    assert smaller.shape[0] <= SMALL[1]
    assert smaller.shape[1] <= SMALL[0]
    # By five: 800 columns need 4.2 times less.
    assert smaller.shape == (80, 160, 4)
    assert smaller[3, 2].tolist() == [17, 12, 0, 255]
    just = _crop(_Still(108, 192), 0, (0.0, 0.0, 1.0, 1.0))  # type: ignore[arg-type]
    assert just.shape == (108, 192, 4)


def test_moments_in_words() -> None:
    assert words_of(Moment(3, LOWEST, 71.23, 1.0)) == "lowest VMAF, 71.2"
    assert words_of(Moment(3, APART, -2.5, 1.0), "x264 fast") == "VMAF 2.5 lower than x264 fast"
    assert words_of(Moment(3, APART, 2.5, 1.0), "x264 fast") == "VMAF 2.5 higher than x264 fast"
    assert "(" in words_of(Moment(3, "loss_detail", 1.0, 1.0))
