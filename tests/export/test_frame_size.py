"""The frame that a programme is put together in: a clip of another shape inside it, filling it, or as it is."""

import itertools
from pathlib import Path

import av
import numpy as np
import pytest

from moving_clip import write_moving
from ovrik.errors import OvrikError
from ovrik.export.command.export import Export, export_commands
from ovrik.quality.decode.probe import probe
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import AS_IT_IS, FILL, INSIDE, Programme, of_clip
from rendered import pictures

TWO = Excerpt(0, 2)


@pytest.fixture(scope="module")
def programme(tmp_path_factory: pytest.TempPathFactory) -> Programme:
    """320 by 180."""
    return of_clip(probe(write_moving(tmp_path_factory.mktemp("sized") / "wide.mkv", 1)))


@pytest.fixture(scope="module")
def own(programme: Programme) -> np.ndarray:
    """Its frames as they are, by another decoder."""
    with av.open(programme.clips[0].path) as box:
        return np.stack([f.to_ndarray()[:180] for f in itertools.islice(box.decode(video=0), 2)])


def shrunk(frames: np.ndarray, by: int) -> np.ndarray:
    """Means over squares: what any good filter comes near to."""
    n, rows, columns = frames.shape
    return frames.reshape(n, rows // by, by, columns // by, by).mean(axis=(2, 4))


def like(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.corrcoef(a.ravel(), b.ravel())[0, 1])


def test_inside_all_of_it_is_there_between_bars(programme: Programme, own: np.ndarray) -> None:
    found = pictures(programme.sized(160, 160, INSIDE), TWO)
    assert found.shape == (2, 160, 160)
    bars = np.concatenate([found[:, :34], found[:, -34:]], axis=1)
    assert np.ptp(bars) == 0
    # The middle, to a sample of chroma: from line 34 of 160 on.
    assert like(found[:, 34:124], shrunk(own, 2)) > 0.99


def test_filling_it_leaves_no_bars_and_cuts_the_sides(programme: Programme, own: np.ndarray) -> None:
    found = pictures(programme.sized(90, 90, FILL), TWO)
    assert found.shape == (2, 90, 90)
    assert like(found, shrunk(own[:, :, 68:248], 2)) > 0.99  # the middle, to a sample of chroma
    assert found.std(axis=2).min() > 0, "no line is a bar"
    assert found.std(axis=1).min() > 0


def test_as_it_is_every_sample_stays_what_it_was(programme: Programme, own: np.ndarray) -> None:
    wider = pictures(programme.sized(400, 200, AS_IT_IS), TWO)
    np.testing.assert_array_equal(wider[:, 10:190, 40:360], own)
    assert np.ptp(wider[:, :10]) == np.ptp(wider[:, :, :40]) == 0
    smaller = pictures(programme.sized(160, 100, AS_IT_IS), TWO)
    np.testing.assert_array_equal(smaller, own[:, 40:140, 80:240])


@pytest.mark.parametrize("size", [(15, 100), (100, 0), (20000, 100), (101, 100), (-2, 100)])
def test_sizes_that_no_frame_can_have(programme: Programme, size: tuple[int, int]) -> None:
    with pytest.raises(OvrikError, match="no size for a frame"):
        programme.sized(*size)


def test_it_is_part_of_what_a_programme_is(programme: Programme) -> None:
    inside, fill = programme.sized(160, 160), programme.sized(160, 160, FILL)
    assert len({programme.checksum, inside.checksum, fill.checksum}) == 3
    assert Programme.from_json(fill.to_json(), fill.clips) == fill
    with pytest.raises(ValueError, match="fit is one of"):
        Programme.from_json(fill.to_json() | {"fit": "a stranger's"}, fill.clips)
    assert "fit" not in inside.to_json(), "what was known before stays known by its checksum"
    assert programme.sized(programme.width, programme.height).checksum == programme.checksum


def test_a_plan_says_it(programme: Programme, tmp_path: Path) -> None:
    from ovrik.study.question.plan import load_plan
    from ovrik.study.question.plan_text import plan_text
    from ovrik.work.lineup.from_plan import programme_of

    plan = tmp_path / "p.toml"
    text = (
        f'[study]\ntitle = "T"\nfootage = "{programme.clips[0].path}"\nsize = "160x90"\nfit = "fill"\n'
        '[[contender]]\nencoder = "libx264"\n'
    )
    plan.write_text(text)
    asked = load_plan(plan)
    made = programme_of(asked.source, "T")
    assert (made.width, made.height, made.fit) == (160, 90, FILL)
    plan.write_text(plan_text(asked))
    assert load_plan(plan).source == asked.source
    for old, new, why in (
        ('"fill"', '"stretched"', "fit is one of inside, fill, as is"),
        ('"160x90"', '"wide"', "key study.size"),
    ):
        plan.write_text(text.replace(old, new))
        with pytest.raises(OvrikError, match=why):
            load_plan(plan)


def test_another_shape_is_stated_for_a_clip_that_states_none(programme: Programme) -> None:
    """320×180 made 160×100: its pixels are 10:9."""
    made = recipe("libx264", "ultrafast", 30, sound="none", width=160, height=100)
    [command] = export_commands(Export("ffmpeg", programme, TWO, made), Path("o.mp4"), Path("s"))
    assert "setsar=r=10/9:max=65535" in " ".join(command)
