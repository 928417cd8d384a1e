"""Four answers become a study of its own name; nothing that is there is touched."""

import shutil
from contextlib import closing
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.store.renamed import renamed
from ovrik.store.schema.file import outputs_folder
from ovrik.store.study import Study
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.work.lineup.first_line_up import CODECS, FourAnswers, begin, first_line_up, own_place


@pytest.fixture
def own(clip: Path, tmp_path: Path) -> Path:
    """A clip in a folder of its own."""
    return Path(shutil.copy(clip, tmp_path))


@pytest.fixture
def programme(own: Path) -> Programme:
    return of_clip(probe(own))


@pytest.mark.parametrize(
    ("asked", "labels"),
    [
        (FourAnswers(), ["x264 medium", "x265 fast", "SVT-AV1 8"]),
        (FourAnswers(codecs=("h264",)), ["x264 medium", "x264 veryfast"]),
        (FourAnswers(codecs=("h264",), presets=True), ["x264 veryfast", "x264 medium", "x264 slow"]),
        (FourAnswers(container="mov"), ["x264 medium", "x265 fast"]),
    ],
)
def test_answers_become_contenders(programme: Programme, asked: FourAnswers, labels: list[str]) -> None:
    made = first_line_up(asked, programme)
    assert [c.label.removesuffix(" mov") for c in made] == labels
    assert all(c.recipe.container == (asked.container or c.recipe.container) for c in made)


def test_what_must_hold_holds(programme: Programme) -> None:
    for depth in (8, 10):
        for c in first_line_up(FourAnswers(codecs=tuple(CODECS), depth=depth), programme):
            assert ("10" in c.recipe.pixel_format) == (depth == 10), c.label
    with pytest.raises(OvrikError, match="No codec"):
        first_line_up(FourAnswers(codecs=("prores",), depth=8), programme)
    with pytest.raises(OvrikError, match="No codec"):
        first_line_up(FourAnswers(codecs=()), programme)


def test_its_name_is_its_own(programme: Programme, own: Path) -> None:
    first = own_place(programme, own.stem)
    assert first == own.with_suffix(".ovrik")
    first.write_text("mine")
    (own.parent / f"{own.stem} 2.ovrik").symlink_to("/nowhere")
    outputs_folder(own.parent / f"{own.stem} 3.ovrik").mkdir()
    assert own_place(programme, own.stem).name == f"{own.stem} 4.ovrik"
    for odd in ("../../a/b", "line\nbreak", "-o x", "\u202ex", ".", "", "é" * 400, "\0"):
        place = own_place(programme, odd)
        assert place.parent == own.parent
        assert place.name.isprintable()
        assert place.stem
        assert place.name[0] not in ".-"
        assert len(place.name.encode()) < 200
    with closing(begin(programme, FourAnswers(purpose="web upload"), own.stem)) as study:
        assert study.path.name == f"{own.stem} 4.ovrik"
        assert study.facts().limits.get("mbit_s") == 45.0
    assert first.read_text() == "mine"


def test_a_study_is_renamed_with_its_outputs_or_not_at_all(study: Study, tmp_path: Path) -> None:
    path = study.path
    outputs_folder(path).mkdir(exist_ok=True)
    (outputs_folder(path) / "a.mp4").write_text("out")
    study.close()
    (path.parent / "taken.ovrik").write_text("mine")
    (path.parent / "half outputs").mkdir()
    for name in ("taken", "half", "", "a/b", ".hidden", "line\nbreak"):
        with pytest.raises(OvrikError):
            renamed(path, name)
        assert path.exists()
        assert outputs_folder(path).exists()
    now = renamed(path, "it's “new”.ovrik")
    assert now.name == "it's “new”.ovrik"
    assert (outputs_folder(now) / "a.mp4").read_text() == "out"
    with closing(Study.open(now)) as there:
        assert there.contenders()
    assert (path.parent / "taken.ovrik").read_text() == "mine"
