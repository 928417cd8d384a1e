"""Long footage: a sample of its complexity, spread evenly, that says what a whole measurement says."""

import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from ovrik.errors import Stopped
from ovrik.machine.builds.build import locate
from ovrik.quality.decode.probe import probe
from ovrik.quality.scores import complexity_sampled
from ovrik.quality.scores.complexity import measure_complexity
from ovrik.quality.scores.complexity_sampled import is_long, is_sampled, sample_complexity, spread
from ovrik.study.programme.programme import GAP, Programme, Shot, of_clip


@pytest.fixture(scope="module")
def programme(tmp_path_factory: pytest.TempPathFactory) -> Programme:
    """40 s: still grey, then noise that moves, then a test picture, with key frames now and then."""
    path = tmp_path_factory.mktemp("long") / "long.mp4"
    graph = (
        "color=gray:s=320x180:r=25:d=13[a];nullsrc=s=320x180:r=25:d=13,geq=lum='random(1)*255':cb=128:cr=128[b];"
        "testsrc2=s=320x180:r=25:d=14[c];[a][b][c]concat=n=3,format=yuv420p[o]"
    )
    coded = ["-map", "[o]", "-c:v", "libx264", "-preset", "ultrafast", "-g", "60", "-bf", "2", str(path)]
    subprocess.run([str(locate("bundled")), "-v", "error", "-filter_complex", graph, *coded], check=True)
    return of_clip(probe(path))


def test_wherever_it_ends_the_places_are_spread_evenly() -> None:
    order = list(spread(1000))
    assert sorted(order) == list(range(1000))
    for some in (10, 50, 300):
        gaps = np.diff(sorted([0, *order[:some], 1000]))
        assert gaps.max() <= 3 * 1000 / some


def test_a_sample_says_where_it_is_calm_and_where_busy(programme: Programme) -> None:
    whole, sampled = measure_complexity(programme), sample_complexity(programme)
    for start, end in ((0, 325), (325, 650), (650, 1000)):
        for name in ("si", "ti"):
            wanted = getattr(whole.within(start + 30, end - start - 60), name).mean()
            found = getattr(sampled.within(start + 30, end - start - 60), name).mean()
            assert found == pytest.approx(wanted, rel=0.35, abs=1.5), (start, name)


def test_time_that_runs_out_leaves_a_coarser_curve(programme: Programme) -> None:
    coarse = sample_complexity(programme, most_s=0.0)
    assert 5 <= len(coarse.at) <= complexity_sampled.FEWEST_PLACES
    assert coarse.at.max() > 800
    assert is_sampled(coarse, programme)
    assert not is_sampled(measure_complexity(programme), programme)


def test_gaps_are_black_and_shots_of_one_clip_stay_apart(programme: Programme) -> None:
    cut = replace(programme, shots=(Shot(0, 330, 200), Shot(GAP, 0, 100), Shot(0, 0, 200)), sound=())
    found = sample_complexity(cut)
    assert (found.within(210, 80).si == 0).all()
    assert found.within(10, 180).si.mean() > 5 * max(found.within(310, 180).si.mean(), 1)


def test_it_stops_when_asked(programme: Programme) -> None:
    with pytest.raises(Stopped):
        sample_complexity(programme, should_stop=lambda: True)


def test_only_long_footage_is_sampled(programme: Programme, tmp_path: Path) -> None:
    assert not is_long(programme)
    clip = replace(programme.clips[0], width=1280, height=720, frames=90_000)
    assert is_long(of_clip(clip))
