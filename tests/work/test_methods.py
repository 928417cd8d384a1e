"""How a treatment is done is a contender's own: two ways compare in one study, against one reference."""

from pathlib import Path

import numpy as np
import pytest

from calm import CALM
from moving_clip import write_moving
from ovrik.errors import OvrikError
from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.probe import probe
from ovrik.quality.viewing.frames import FrameReader
from ovrik.store.study import Study
from ovrik.study.contender.as_table import contender_of, table_of
from ovrik.study.contender.contender import Contender, contender_difference, factors_of, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.methods import choices, done_by, methods
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.plan import load_plan
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.lineup.able import barred_of, judge_for
from ovrik.work.prepare.export_plan import Plan
from ovrik.work.timing.schedule import further
from ovrik.work.timing.series import time_all

EXCERPT = Excerpt(4, 10)


@pytest.fixture
def programme(tmp_path: Path) -> Programme:
    made = of_clip(probe(write_moving(tmp_path / "moving.mkv", 1)))
    shot = made.shots[0]
    from dataclasses import replace

    treated = (treatment("upscale", {"zoom": 200.0, "method": "lanczos"}),)
    return replace(made, shots=(replace(shot, treatments=treated),))


def contender(**ways: str) -> Contender:
    lossless = recipe("ffv1", container="mkv", sound="none", width=160, height=90)
    return Contender("bundled", lossless, methods=methods(ways))


def command(programme: Programme, c: Contender) -> str:
    plan = Plan(c, find_build("bundled"), programme, EXCERPT, Path("/tmp"))
    return " ".join(plan.commands(Path("/tmp/o.mkv"), Path("/tmp/s"))[0])


def test_the_command_does_it_so(programme: Programme) -> None:
    plain, other = (
        command(programme, contender()),
        command(programme, contender(upscale="bilinear", resize="area")),
    )
    assert "lanczos" in plain
    assert "flags=bicubic" in plain
    assert "lanczos" not in other
    assert "bilinear+accurate_rnd" in other
    assert "flags=area" in other


@pytest.mark.parametrize("kind", [k for k in choices() if k != "resize"])
def test_every_method_of_every_kind_is_taken(programme: Programme, kind: str) -> None:
    """The programme with it is another one; the one it came from is untouched."""
    from dataclasses import replace

    shot = replace(programme.shots[0], treatments=(treatment(kind),))
    own = replace(programme, shots=(shot,))
    for method in choices()[kind]:
        made = done_by(own, methods({kind: method}))
        assert made.every_treatment[0]["method"] == method
    assert own.every_treatment == (treatment(kind),)
    assert len({done_by(own, methods({kind: m})).checksum for m in choices()[kind]}) == len(choices()[kind])


def test_nonsense_is_refused() -> None:
    with pytest.raises(OvrikError, match=r"grade.*one way only"):
        methods({"grade": "x"})
    with pytest.raises(OvrikError, match="Upscale can't be done by"):
        methods({"upscale": "magic; rm -rf"})
    assert methods({"upscale": ""}) == ()


def test_it_is_a_factor_in_line_up_table_label_and_plan(tmp_path: Path) -> None:
    one, other = contender(upscale="lanczos"), contender(upscale="bilinear")
    assert [f.title for f in factors_of([one]).values()][-1] == "Upscale method"
    assert ("Upscale method", "lanczos", "bilinear") in contender_difference(one, other).differ
    assert "methods.upscale" not in factors_of([contender()])
    assert [c.label for c in labelled([one, other, contender()])] == [
        "FFV1 3 upscale lanczos",
        "FFV1 3 upscale bilinear",
        "FFV1 3",
    ]
    assert contender_of(table_of(other), tmp_path).methods == (("upscale", "bilinear"),)
    assert one.identity != other.identity
    # What names a contender's output must not change for those that had no methods yet.
    assert len(contender().identity) == 5


def test_a_grid_of_methods(tmp_path: Path) -> None:
    write_moving(tmp_path / "moving.mkv", 1)
    (tmp_path / "plan.toml").write_text(
        '[study]\ntitle = "Kernels"\nfootage = "moving.mkv"\n[[grid]]\nencoder = "libx264"\nsize = "160x90"\n'
        'methods.resize = ["bicubic", "lanczos", "area"]\n'
    )
    question = load_plan(tmp_path / "plan.toml")
    assert [dict(c.methods)["resize"] for c in question.contenders] == ["bicubic", "lanczos", "area"]


def test_what_changes_nothing_is_said(programme: Programme, tmp_path: Path) -> None:
    study = Study.create(tmp_path / "s.ovrik", "S", programme, EXCERPT, rounds=1, warmup=0)
    idle = Contender(
        "bundled", recipe("libx264"), methods=methods({"denoise": "light spatial", "resize": "area"})
    )
    added = study.add_contender(idle)
    [why] = barred_of([added], judge_for(study.programme(), EXCERPT, [added])).values()
    assert "this programme has no noise reduction" in why
    study.close()


def test_two_ways_compare_against_one_reference(programme: Programme, tmp_path: Path) -> None:
    """Timed, scored and kept in one study: the programme's own way is the reference's, and only that is perfect."""
    study = Study.create(tmp_path / "s.ovrik", "S", programme, EXCERPT, rounds=1, warmup=0)
    study.set_conduct(CALM)
    for c in (contender(), contender(upscale="neighbor"), contender(resize="bilinear")):
        study.add_contender(c)
    assert time_all(study, further(study, [c.contender_id for c in study.contenders()], 1))
    assert score_all(study) == 3
    summaries = gather(study).summaries
    psnr = [s.quality["psnr"].mean for s in summaries]
    assert psnr[0] >= 60
    assert max(psnr[1:]) < 50
    assert len({s.score.reference for s in summaries if s.score}) == 1
    frames = [FrameReader(study.outputs / str(s.runs[-1].output)).luma(0).astype(int) for s in summaries]
    assert all(np.abs(frames[0] - other).max() > 3 for other in frames[1:])
    reopened = Study.open(study.path)
    assert [c.methods for c in reopened.contenders()] == [
        (),
        (("upscale", "neighbor"),),
        (("resize", "bilinear"),),
    ]
    reopened.close()
    study.close()
