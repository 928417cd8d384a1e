"""Complexity along a programme: pairs of the shots' own frames, each at its place, worked out here from the clip."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy import ndimage

from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.quality.decode.probe import probe
from ovrik.quality.scores.complexity import measure_complexity, to_eight_bits
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import GAP, Shot, of_clip
from ovrik.study.programme.treatment import treatment
from tiny_clip import write_clip


@pytest.fixture(scope="module")
def counted(tmp_path_factory: pytest.TempPathFactory) -> tuple[Footage, list[np.ndarray]]:
    """A clip of ten bits, and luma of its frames in 8-bit levels."""
    path = write_clip(tmp_path_factory.mktemp("places") / "tiny.mkv", sound=False)
    lumas = []
    for frame in decoded_frames(Path(path)):
        plane = np.frombuffer(bytes(frame.planes[0]), "<u2").reshape(frame.height, -1)[:, : frame.width]
        lumas.append(plane / 4)
    return probe(path), lumas


def si(luma: np.ndarray) -> float:
    """ITU-T P.910, 7.2, with scipy's Sobel kernels."""
    length = np.hypot(ndimage.sobel(luma, 0), ndimage.sobel(luma, 1))
    return float(length[1:-1, 1:-1].std())


def test_each_pair_stands_where_its_shot_puts_it(counted: tuple[Footage, list[np.ndarray]]) -> None:
    clip, lumas = counted
    cut = replace(of_clip(clip), shots=(Shot(0, 10, 12), Shot(GAP, 0, 5), Shot(0, 3, 8)), sound=())
    found = measure_complexity(cut)
    own = [*((n - 10, n) for n in range(11, 22, 2)), *((17 + n - 3, n) for n in range(4, 11, 2))]
    wanted = {at: (si(lumas[n]), float((lumas[n] - lumas[n - 1]).std())) for at, n in own}
    wanted |= dict.fromkeys((12, 14, 16), (0.0, 0.0))
    assert found.at.tolist() == sorted(wanted)
    assert found.si.tolist() == pytest.approx([wanted[at][0] for at in sorted(wanted)], rel=1e-4)
    assert found.ti.tolist() == pytest.approx([wanted[at][1] for at in sorted(wanted)], rel=1e-4)


def test_a_faster_shot_is_measured_by_the_frames_that_it_shows(
    counted: tuple[Footage, list[np.ndarray]],
) -> None:
    """At twice the pace four of the clip's frames go by for two of the programme's."""
    clip, lumas = counted
    fast = replace(
        of_clip(clip), shots=(Shot(0, 4, 10, treatments=(treatment("retime", {"speed": 200}),)),), sound=()
    )
    found = measure_complexity(fast)
    assert found.at.tolist() == [int(n / 2) for n in (3, 7, 11, 15, 19)]
    assert found.si.tolist() == pytest.approx([si(lumas[4 + n]) for n in (3, 7, 11, 15, 19)], rel=1e-4)


def test_shares_are_said_and_end_at_one(counted: tuple[Footage, list[np.ndarray]]) -> None:
    said: list[float] = []
    measure_complexity(of_clip(counted[0]), said.append)
    assert said == sorted(said)
    assert 0.9 < said[-1] <= 1.0


@pytest.mark.parametrize(("bits", "scale"), [(8, 1.0), (10, 0.25), (12, 0.0625), (16, 0.0625)])
def test_levels_are_brought_to_eight_bits(
    counted: tuple[Footage, list[np.ndarray]], bits: int, scale: float
) -> None:
    assert to_eight_bits(replace(counted[0], bit_depth=bits)) == scale
