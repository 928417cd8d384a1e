"""Two builds that treat a film differently: the difference is said, each encoder is judged by what it was given."""

import shutil
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest

from approving import allow_program
from calm import CALM
from ovrik.errors import OvrikError
from ovrik.machine.builds.build import find_build, locate
from ovrik.quality.reference.made import make_reference
from ovrik.quality.reference.own_frames import least_psnr, own_frames, tile_db
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.point import DIFFERS, TREATED, UNKNOWN
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.new_sitting import begin
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

EXCERPT = Excerpt(0, 12)
BENT = """#!/bin/sh
# A build that does one filter otherwise: {old} becomes {new} in all that it is given.
for given do
  shift
  set -- "$@" "$(printf %s "$given" | sed 's/{old}/{new}/g')"
done
exec "{program}" "$@"
"""


def bent(folder: Path, old: str, new: str) -> str:
    """The bundled build, with one word of its filters changed; gives how plans name it."""
    shutil.copy(locate("bundled"), folder / "real")  # beside it: an export may read nothing else
    program = folder / "bent"
    program.write_text(BENT.format(old=old, new=new, program=folder / "real"))
    program.chmod(0o755)
    return allow_program(program)


def treated(footage: Footage, kind: str, **values: float | str) -> Programme:
    made = of_clip(footage)
    return replace(made, shots=(replace(made.shots[0], treatments=(treatment(kind, values),)),))


@pytest.fixture
def titled(footage: Footage) -> Programme:
    return treated(footage, "title", text="Casting Day", size=20.0, y=80.0)


def studied(folder: Path, programme: Programme, build: str) -> Study:
    study = Study.create(folder / "s.ovrik", "S", programme, EXCERPT, rounds=1, warmup=0)
    study.set_conduct(CALM)
    made = recipe("libx264", "ultrafast", 20, sound="none")
    study.add_contenders(labelled([Contender("bundled", made), Contender(build, made)]))
    return study


@pytest.fixture
def lower(tmp_path: Path, titled: Programme) -> Iterator[Study]:
    """Timed and scored by the bundled build, and by one that draws the title ten lines lower."""
    study = studied(tmp_path, titled, bent(tmp_path, "(h-text_h)", "10+(h-text_h)"))
    assert time_all(study, remaining(study, [1, 2], 1))
    score_all(study)
    yield study
    study.close()


def test_a_title_drawn_lower_is_said_and_is_no_loss_of_quality(lower: Study) -> None:
    usual, other = (s.score for s in gather(lower).summaries)
    assert usual is not None
    assert other is not None
    assert usual.faults == other.faults == ()
    assert abs(usual.of("vmaf").mean() - other.of("vmaf").mean()) < 0.5
    assert not [p for p in usual.points if p.name == TREATED]
    [said] = [p for p in other.points if p.name == TREATED]
    assert (said.answer, said.asked) == (DIFFERS, False)
    assert "“Casting Day”" in said.words
    assert "drawn 6.9 % of the height lower" in said.words  # 10 of 144 lines
    assert other.facts.treated_by
    assert usual.facts.treated_by == ""
    assert score_all(lower) == 0


def test_a_build_that_treats_alike_is_judged_by_the_reference(tmp_path: Path, titled: Programme) -> None:
    """Another program file, the same picture."""
    program = tmp_path / "mine"
    shutil.copy(locate("bundled"), program)
    with program.open("ab") as handle:
        handle.write(b"\0" * 16)
    build = find_build(allow_program(program))
    wanted = delivery(titled, EXCERPT)
    reference = make_reference(titled, EXCERPT, wanted)
    assert build.identity != find_build("bundled").identity
    assert own_frames(titled, EXCERPT, wanted, build, reference) is None
    assert own_frames(titled, EXCERPT, wanted, build, reference) is None  # and from what is on file


def test_another_picture_altogether_is_wrong(tmp_path: Path, footage: Footage) -> None:
    """A blur that became a negative is no matter of taste."""
    programme = treated(footage, "blur")
    study = studied(tmp_path, programme, bent(tmp_path, "gblur=[^,;[]*", "negate"))
    assert time_all(study, remaining(study, [1, 2], 1))
    score_all(study)
    usual, other = gather(study).summaries
    assert usual.score is not None
    assert usual.score.faults == ()
    assert other.score is not None
    assert any("gives another picture than the reference" in f for f in other.score.faults)
    assert not other.acceptable
    study.close()


def test_frames_that_differ_are_measured(tmp_path: Path, titled: Programme) -> None:
    """Against the published formula on the planes as they are decoded."""
    wanted = delivery(titled, EXCERPT)
    reference = make_reference(titled, EXCERPT, wanted)
    build = find_build(bent(tmp_path, "(h-text_h)", "10+(h-text_h)"))
    own = own_frames(titled, EXCERPT, wanted, build, reference)
    assert own is not None
    errors = []
    with av.open(str(own.path)) as one, av.open(str(reference)) as other:
        for a, b in zip(one.decode(video=0), other.decode(video=0), strict=True):
            x, y = (np.frombuffer(f.planes[0], "<u2").astype(float) / 4 for f in (a, b))
            errors.append(((x - y) ** 2).mean())
    assert own.db == pytest.approx(10 * np.log10(255**2 / max(errors)), abs=0.3)
    assert own.db == pytest.approx(least_psnr(own.path, reference))


def test_again_finds_the_new_build_no_worse(lower: Study, tmp_path: Path) -> None:
    """The title lower by ten lines was "VMAF lower by" and an exit code of 1 before."""
    study = lower
    begin(study, {"bundled": study.contenders()[1].build})
    assert time_all(study, remaining(study, [1], 1))
    score_all(study)
    pair = gather_sittings(study).pair(*[s.id for s in study.sittings()][-2:])
    [changed] = [c for c in pair.changed if c.now.contender.contender_id == 1]
    assert changed.quality is not None
    assert abs(changed.quality) < 0.5
    assert "% of the height lower" in changed.treated
    assert not [w for w in changed.worse if w.got == "softer"]


def test_a_small_part_that_differs_is_seen() -> None:
    """Eight of 36,864 samples."""
    one = np.full((144, 256), 100.0)
    other = one.copy()
    other[40, 40:48] += 28
    assert 10 * np.log10(255**2 / ((one - other) ** 2).mean()) > 55
    assert tile_db(one, other) == pytest.approx(10 * np.log10(255**2 * 256 / (8 * 28**2)))
    assert tile_db(one, one) == 100


def test_what_could_not_be_made_is_said(
    tmp_path: Path, titled: Programme, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Judged by the reference, and not without a word."""

    def broken(*_given: object) -> None:
        raise OvrikError("no room is left", "")

    monkeypatch.setattr("ovrik.work.footage.references.own_frames", broken)
    study = studied(tmp_path, titled, bent(tmp_path, "(h-text_h)", "10+(h-text_h)"))
    assert time_all(study, remaining(study, [2], 1))
    score_all(study)
    score = gather(study).summaries[1].score
    assert score is not None
    [said] = [p for p in score.points if p.name == TREATED]
    assert said.answer == UNKNOWN
    assert "no room is left" in said.words
    study.close()
