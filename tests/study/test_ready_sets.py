"""Ready sets of treatments lie on every shot, and are known again."""

from dataclasses import replace

import pytest

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import GAP, Programme, Shot, of_clip
from ovrik.study.programme.ready_set import WITH_TITLE, set_of, with_set
from ovrik.study.programme.treatment import treatment
from ovrik.study.programme.treatment_kinds import READY_SETS


@pytest.fixture
def cut(footage: Footage) -> Programme:
    """A gap, and two shots of which one has a treatment of its own."""
    shots = (Shot(GAP, 0, 5), Shot(0, 0, 10), Shot(0, 15, 10, 0, (treatment("blur"),)))
    return replace(of_clip(footage), name="casting day.otio", shots=shots)


@pytest.mark.parametrize("name", READY_SETS)
def test_a_set_takes_the_place_of_all_treatments_and_is_known_again(cut: Programme, name: str) -> None:
    made = with_set(cut, name)
    wanted = [treatment(kind, dict(values)) for kind, values in READY_SETS[name][1]]
    on_shots = tuple(t for t in wanted if not t.facts.whole)
    assert made.treatments == tuple(t for t in wanted if t.facts.whole)
    gap, first, second = made.shots
    assert gap.treatments == ()
    title = (treatment("title", {"text": "casting day"}),) if name in WITH_TITLE else ()
    assert first.treatments == (*on_shots, *title)
    assert second.treatments == on_shots
    assert [(s.clip, s.start, s.frames) for s in made.shots] == [
        (s.clip, s.start, s.frames) for s in cut.shots
    ]
    assert set_of(made) == name
    assert with_set(made, name) == made


def test_what_is_no_set_is_none(cut: Programme) -> None:
    assert set_of(cut) == ""
    with pytest.raises(OvrikError, match="no ready set"):
        with_set(cut, "glitter")
