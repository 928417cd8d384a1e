"""What works shot by shot can be put over the whole: it stands on every shot."""

from dataclasses import replace
from pathlib import Path

import pytest

from numbered import number_in, write_numbered
from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.study.programme.programme import GAP, Programme, Shot, of_clips
from ovrik.study.programme.treatment import treatment
from ovrik.study.programme.whole_treatments import treated_over_all, with_over_all
from rendered import pictures

HALF = treatment("retime", {"speed": 50, "method": "nearest frame"})
BLUR, STEADY = treatment("blur"), treatment("stabilise")


@pytest.fixture
def programme(tmp_path: Path) -> Programme:
    clips = [
        probe(write_numbered(tmp_path / "a.mkv", 40)),
        probe(write_numbered(tmp_path / "b.mkv", 40, first=100)),
    ]
    shots = (Shot(0, 10, 6), Shot(GAP, 0, 2), Shot(1, 0, 6, 0, (BLUR,)))
    return replace(of_clips("p", clips), shots=shots, sound=())


def test_a_retime_over_the_whole_is_seen_in_every_shot(programme: Programme) -> None:
    made = with_over_all(programme, (HALF,))
    assert [number_in(p) for p in pictures(made)] == [
        10,
        10,
        11,
        11,
        12,
        12,
        -1,
        -1,
        100,
        100,
        101,
        101,
        102,
        102,
    ]
    assert treated_over_all(made) == (HALF,)
    assert made.shots[2].treatments == (HALF, BLUR)


def test_it_is_changed_and_taken_away_as_one(programme: Programme) -> None:
    made = with_over_all(programme, (HALF, STEADY, BLUR))
    assert treated_over_all(made) == (HALF, STEADY, BLUR)
    assert made.treatments == (BLUR,)
    slower = treatment("retime", {"speed": 25, "method": "nearest frame"})
    changed = with_over_all(made, (slower, BLUR))
    assert [t.kind for t in changed.shots[0].treatments] == ["retime"]
    assert changed.shots[0].treatments == (slower,)
    assert with_over_all(changed, ()) == programme


def test_a_shot_with_a_speed_of_its_own_is_named(programme: Programme) -> None:
    own = programme.with_shot(2, replace(programme.shots[2], treatments=(HALF,)))
    assert treated_over_all(own) == ()
    with pytest.raises(OvrikError, match="Shot 3 has a speed of its own"):
        with_over_all(own, (treatment("retime", {"speed": 200}),))
