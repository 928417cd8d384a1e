"""One treated frame: the right one, at its size, wherever it is; and reasons where it can't be made."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.quality.viewing import still
from ovrik.quality.viewing.still import treated_still
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.study.programme.treatment import treatment
from tiny_clip import FRAMES, HEIGHT, WIDTH, moving_picture, write_clip


@pytest.fixture(scope="module")
def programme(tmp_path_factory: pytest.TempPathFactory) -> Programme:
    """The tiny clip, untreated."""
    return of_clip(probe(write_clip(tmp_path_factory.mktemp("still") / "tiny.mkv")))


def likest(found: np.ndarray) -> int:
    """Which of the clip's frames a still is most like, by its green."""
    green = found[..., 1].astype(float)
    return int(np.argmin([np.abs(green - moving_picture(n) / 4).mean() for n in range(FRAMES)]))


@pytest.mark.parametrize("number", [0, 1, 2, 17, FRAMES - 2, FRAMES - 1])
def test_it_is_the_frame_that_was_asked_for(programme: Programme, number: int) -> None:
    found = treated_still(programme, number, WIDTH)
    assert found.shape == (HEIGHT, WIDTH, 3)
    assert likest(found) == number


def test_its_height_follows_its_width_in_even_pixels(programme: Programme) -> None:
    assert treated_still(programme, 3, 150).shape == (84, 150, 3)


def test_a_treatment_that_looks_through_all_first_is_made_too(programme: Programme) -> None:
    shot = replace(programme.shots[0], treatments=(treatment("stabilise"),))
    stabilised = replace(programme, shots=(shot,))
    assert likest(treated_still(stabilised, 12, WIDTH)) in (11, 12, 13)


def test_what_can_not_be_treated_says_why(programme: Programme, tmp_path: Path) -> None:
    gone = replace(programme, clips=(replace(programme.clips[0], path=str(tmp_path / "gone.mkv")),))
    with pytest.raises(OvrikError, match="could not be treated"):
        treated_still(gone, 3)


def test_one_that_takes_too_long_is_given_up(programme: Programme, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(still, "TIMEOUT_S", 0.001)
    with pytest.raises(OvrikError, match="takes too long"):
        treated_still(programme, 3)
