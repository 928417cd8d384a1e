"""SI and TI against ffmpeg's own filter, and the segments proposed from them."""

import itertools
import re
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from ovrik.analysis.signals.complexity import (
    ComplexityCurve,
    likeness,
    proposals,
    spatial_information,
    temporal_information,
)
from ovrik.machine.builds.build import locate
from ovrik.quality.decode.probe import probe
from ovrik.quality.scores.complexity import luma_plane, measure_complexity, step_of
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import GAP, Shot, of_clip
from tiny_clip import moving_picture, write_clip


@pytest.fixture(scope="module")
def long_clip(tmp_path_factory: pytest.TempPathFactory) -> Footage:
    """120 frames."""
    return probe(write_clip(tmp_path_factory.mktemp("complexity") / "long.mkv", 120, sound=False))


def test_it_agrees_with_an_independent_filter(tmp_path: Path, long_clip: Footage) -> None:
    done = subprocess.run(
        [
            str(locate("bundled")),
            "-v",
            "info",
            "-i",
            long_clip.path,
            "-vf",
            "trim=end_frame=6,format=gray,siti=print_summary=0,metadata=print:file=-",
            "-f",
            "null",
            "-",
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    si = [float(v) for v in re.findall(r"siti\.si=([\d.]+)", done.stdout)]
    ti = [float(v) for v in re.findall(r"siti\.ti=([\d.]+)", done.stdout)]
    import av

    with av.open(long_clip.path) as box:
        frames = [f.reformat(format="gray") for f, _n in zip(box.decode(video=0), range(6), strict=False)]
    lumas = [luma_plane(f) for f in frames]
    assert [spatial_information(x) for x in lumas] == pytest.approx(si, rel=0.02)
    ours = [temporal_information(a, b) for a, b in itertools.pairwise(lumas)]
    assert ours == pytest.approx(ti[1:], rel=0.02)


def test_it_is_the_published_formula() -> None:
    from scipy.ndimage import sobel

    picture = moving_picture(3).astype(float) / 4
    wanted = np.hypot(sobel(picture, 0), sobel(picture, 1))[1:-1, 1:-1].std()
    assert spatial_information(picture) == pytest.approx(wanted, rel=1e-4)


def test_what_is_even_or_stands_still_has_none() -> None:
    even, picture = np.full((40, 60), 118, np.uint8), moving_picture(3) // 4
    assert spatial_information(even) == 0
    assert temporal_information(picture, picture) == 0
    assert temporal_information(even, even + np.uint8(9)) == 0, "all of it by as much"


def test_a_programme_is_measured_shot_by_shot(long_clip: Footage) -> None:
    made = replace(of_clip(long_clip), shots=(Shot(0, 10, 50), Shot(GAP, 0, 20), Shot(0, 70, 50)))
    curve = measure_complexity(made)
    step = step_of(made.frames, 25)
    assert (np.diff(curve.at) >= 0).all()
    assert len(curve.at) == pytest.approx(120 / step, abs=4)
    assert (curve.si[(curve.at >= 50) & (curve.at < 70)] == 0).all()
    first = curve.at[0] + 10
    assert curve.si[0] == pytest.approx(spatial_information(moving_picture(first) / 4), rel=0.01)
    both = moving_picture(first - 1) / 4, moving_picture(first) / 4
    assert curve.ti[0] == pytest.approx(temporal_information(*both), rel=0.01)


def test_calm_busy_and_usual_segments_are_found() -> None:
    at = np.arange(0, 300, 10)
    level = np.where(at < 100, 1.0, np.where(at < 200, 5.0, 2.6))
    curve = ComplexityCurve(at, 20 * level, 3 * level)
    found = {p.name: p for p in proposals(curve, 300, 80)}
    assert found["calm"].start + 80 <= 100
    assert 100 <= found["busy"].start <= 120
    assert likeness(curve, found["busy"].start, 80).ti == pytest.approx(5 / level.mean(), rel=0.01)
    assert abs(likeness(curve, found["usual"].start, 80).si - 1) < 0.15


@pytest.mark.parametrize(
    ("start", "frames", "at"),
    [(8, 14, [10, 20]), (10, 10, [10]), (11, 2, [10]), (26, 2, [30]), (14, 4, [20])],
)
def test_a_segment_has_the_places_in_it_or_the_nearest(start: int, frames: int, at: list[int]) -> None:
    curve = ComplexityCurve(np.array([0, 10, 20, 30]), np.arange(4.0), 10 + np.arange(4.0))
    found = curve.within(start, frames)
    assert found.at.tolist() == at
    assert (10 * found.si).tolist() == at
    assert (10 * (found.ti - 10)).tolist() == at
    assert not len(ComplexityCurve(np.zeros(0), np.zeros(0), np.zeros(0)).within(start, frames).at)


def test_one_segment_is_proposed_where_there_is_only_one() -> None:
    curve = ComplexityCurve(np.array([0, 5]), np.ones(2), np.zeros(2))
    assert [p.frames for p in proposals(curve, 10, 50)] == [10]


@pytest.mark.parametrize("scale", [1e-3, 1.0, 1e3])
def test_load_has_no_unit(scale: float) -> None:
    """Each of SI and TI counts by its own mean, however small its numbers are."""
    si, ti = np.array([1.0, 2.0, 3.0]), np.array([3.0, 2.0, 1.0])
    assert ComplexityCurve(np.arange(3), scale * si, ti).load == pytest.approx([1.0, 1.0, 1.0])
    assert ComplexityCurve(np.arange(3), si, scale * si).load == pytest.approx([0.5, 1.0, 1.5])
    assert ComplexityCurve(np.arange(3), si, 0 * ti).load == pytest.approx([0.75, 1.0, 1.25])
