"""Pictures of moments in a report: made once, shown again without looking."""

import shutil
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from exported import EXCERPT, export

from calm import CALM
from moving_clip import write_moving
from ovrik.errors import Stopped
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.files.kept import cache_folder
from ovrik.study.programme.programme import of_clip
from ovrik.work.checking import report_moments as made
from ovrik.work.checking.report_moments import (
    LEAST_LEVELS,
    LOOKED_AT,
    MOST_SHOWN,
    OF_EACH,
    lead_picture,
    report_moments,
)
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.shown_files import Looked, output_of


@pytest.fixture
def study(tmp_path: Path) -> Iterator[Study]:
    """Two outputs, one good and one coarse, judged."""
    source = write_moving(tmp_path / "source.mkv", 2)
    made = Study.create(tmp_path / "s.ovrik", "S", of_clip(probe(source)), EXCERPT, rounds=1, warmup=0)
    made.set_conduct(CALM)
    for crf in (20, 44):
        export(made, tmp_path, f"it's “{crf}”.mp4", crf)
    score_all(made)
    with closing(made):
        yield made


def test_they_are_made_once(study: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    for kept in cache_folder("moments").glob("*"):
        kept.unlink()  # other studies' of the same process
    evidence = gather(study)
    with pytest.raises(Stopped):
        report_moments(study, evidence, lambda: True)
    first = report_moments(study, evidence)
    places = list(cache_folder("moments").iterdir())
    assert 0 < len(first) <= len(places) <= MOST_SHOWN * LOOKED_AT
    assert len(first) <= MOST_SHOWN * OF_EACH
    monkeypatch.setattr(made, "pictures_of", lambda *_a: pytest.fail("looked at again"))
    assert report_moments(study, evidence) == first
    assert first
    for one in first:
        parts = (one.pictures.output, one.pictures.reference, one.pictures.difference)
        assert all(part.startswith(b"\xff\xd8") for part in parts)
        assert one.pictures.levels >= LEAST_LEVELS, "what a reader can't see is not shown"


def test_what_is_kept_may_be_damaged(study: Study) -> None:
    evidence = gather(study)
    first = report_moments(study, evidence)
    for number, place in enumerate(cache_folder("moments").iterdir()):
        if number % 2:
            place.write_bytes(b"no archive")
        else:
            np.savez(place, other=np.zeros(3, np.uint8))
    assert report_moments(study, evidence) == first


def test_a_file_that_took_another_s_place_is_looked_at_itself(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever checksum a study claims for it: what was seen of another file is not shown for it."""
    evidence, looked, real = gather(study), list[Path](), made.pictures_of
    first = report_moments(study, evidence)

    def counted(moment: Any, readers: Any, output: Looked, *more: Any) -> Any:
        looked.append(output.path)
        return real(moment, readers, output, *more)

    monkeypatch.setattr(made, "pictures_of", counted)
    [one, *_rest] = [s for s in evidence.summaries if s.score and s.contender.label == first[0].label]
    output = output_of(study, one, evidence)
    assert output
    shutil.copy(output.path, output.path.with_suffix(".copy"))
    output.path.with_suffix(".copy").replace(output.path)
    assert len(report_moments(study, evidence)) == len(first)
    assert set(looked) == {output.path}


def test_a_report_begins_with_a_frame_of_the_choice(study: Study) -> None:
    evidence = gather(study)
    lead = lead_picture(study, evidence)
    assert lead.startswith(b"\xff\xd8")
    assert lead_picture(study, evidence) == lead
    output = output_of(study, evidence.choice, evidence)
    assert output
    output.path.unlink()
    assert lead_picture(study, evidence).startswith(b"\xff\xd8"), "the reference shows it too"
