"""Programmes in studies: timed with treatments, from intermediates, in passes, on several excerpts."""

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from calm import CALM
from numbered import number_in, write_numbered
from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import reference_path
from ovrik.quality.reference.made import cache_use, clear_cache, make_reference
from ovrik.quality.viewing.frames import FrameReader
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.values.everything import evidence_json
from ovrik.report.words.numbers import estimate_words
from ovrik.report.words.verdict import sentence_of
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, Shot, of_clips
from ovrik.study.programme.ready_set import READY_SETS, set_of, with_set
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.asked import Source, Span
from ovrik.study.question.worth import Worth
from ovrik.work.answers.estimate import estimate
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather, judged
from ovrik.work.footage.relink import relink
from ovrik.work.lineup.able import barred
from ovrik.work.lineup.from_plan import excerpt_of, programme_of, question_of, save_plan, study_from_plan
from ovrik.work.outside.by_hand import enter_first
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all
from ovrik.work.timing.try_out import try_all


@pytest.fixture
def clips(tmp_path: Path) -> list[Footage]:
    """Two numbered clips, the first with sound."""
    return [
        probe(write_numbered(tmp_path / "a.mkv", 40, sound=True)),
        probe(write_numbered(tmp_path / "b.mkv", 40, first=100)),
    ]


@pytest.fixture
def cut(clips: list[Footage]) -> Programme:
    """Three shots, one blurred and one dissolving; with the first clip's sound."""
    made = of_clips("cut", clips)
    shots = (Shot(0, 5, 12), Shot(1, 10, 12, 4, (treatment("blur", {"radius": 1}),)), Shot(0, 20, 8))
    return replace(made, shots=shots, sound=((replace(made.sound[0][0], length=Fraction(1)),),))


def study_of(
    path: Path, programme: Programme, *contenders: Contender, excerpt: Excerpt | None = None
) -> Study:
    """A study with one round to be timed."""
    study = Study.create(path, "Cut", programme, excerpt or Excerpt(0, programme.frames), rounds=1, warmup=0)
    study.set_conduct(CALM)
    study.add_contenders(contenders)
    return study


def time_it(study: Study) -> None:
    """One round of all, and the checks."""
    ids = [c.contender_id for c in study.contenders()]
    assert time_all(study, remaining(study, ids, 1)), [(r.reason, r.log[-3:]) for r in study.runs()]
    score_all(study)


X264 = recipe("libx264", "ultrafast", 10, sound="aac")


def test_a_treated_cut_is_exported_judged_and_conforms(tmp_path: Path, cut: Programme) -> None:
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264))
    time_it(study)
    summary = gather(study).summaries[0]
    assert summary.reasons == ()
    assert summary.score is not None
    assert summary.score.facts.frames == cut.frames
    assert summary.quality["psnr"].mean > 38
    reader = FrameReader(study.outputs / str(summary.runs[0].output))
    assert [number_in(reader.luma(n)) for n in (0, 7, 20, 27)] == [5, 12, 20, 27]
    reader.close()
    said = evidence_json(gather(study), None)
    assert said["programme"]["shots"] == 3
    study.close()


def test_size_rate_and_two_passes_reach_the_output(tmp_path: Path, cut: Programme) -> None:
    made = recipe(
        "libx264",
        "ultrafast",
        bit_rate=400_000,
        control="two passes",
        width=80,
        height=24,
        rate="50",
        sound="none",
    )
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", made))
    time_it(study)
    run, summary = study.runs()[0], gather(study).summaries[0]
    assert len(run.earlier_passes) == 1
    assert len(run.passes) == 2
    assert sum(p.wall_s for p in run.passes) == pytest.approx(run.wall_s, rel=0.05)
    assert run.passes[0].first_s == run.first_frame_s < run.passes[0].wall_s
    assert run.last_frame_s == run.passes[0].wall_s + run.passes[1].last_s
    assert "-pass" in run.argv
    assert summary.score is not None
    assert summary.score.faults == ()
    assert (summary.score.facts.width, summary.score.facts.height) == (80, 24)
    assert summary.score.facts.frames == 2 * cut.frames
    wanted = delivery(cut, Excerpt(0, cut.frames), made)
    assert reference_path(cut, Excerpt(0, cut.frames), wanted).exists()
    assert not reference_path(cut, Excerpt(0, cut.frames)).exists()
    study.close()


def test_a_pre_render_is_timed_kept_and_used_again(tmp_path: Path, cut: Programme) -> None:
    from_it = Contender("bundled", X264, prerendered=intermediate("ffv1", pixel_format="yuv420p"))
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264), from_it)
    time_it(study)
    made = study.preparations("pre-render")
    assert [(p.state, p.contender_id) for p in made] == [("done", 2)]
    assert (made[0].bytes or 0) > 1000
    direct, kept = gather(study).summaries
    assert kept.runs[0].argv[kept.runs[0].argv.index("-i") + 1].endswith(".mkv")
    assert "-filter_complex" not in kept.runs[0].argv
    assert kept.score is not None
    assert kept.score.faults == ()
    psnr = [s.quality["psnr"].mean for s in (kept, direct)]
    assert psnr[0] == pytest.approx(psnr[1], abs=0.5), "the intermediate loses nothing"
    assert kept.payoff is not None
    assert kept.first_s == pytest.approx(made[0].wall_s)
    assert kept.payoff.prerender_s == pytest.approx(made[0].wall_s)
    assert kept.cost_s == pytest.approx((kept.usual_s or 0) + (made[0].wall_s or 0))
    assert direct.cost_s == direct.usual_s
    assert "what comes first (" in verdict_text(gather(study))
    study.close()


def test_what_comes_first_is_timed_once_a_round_and_made_once(tmp_path: Path, cut: Programme) -> None:
    """So that its time has an interval; the file that exports read stays the one that it was."""
    from_it = Contender("bundled", X264, prerendered=intermediate("ffv1", pixel_format="yuv420p"))
    also = replace(from_it, recipe=replace(X264, quality=22.0))
    study = study_of(tmp_path / "s.ovrik", cut, from_it, also)
    assert time_all(study, remaining(study, [1, 2], 1))
    [place] = [p for p in (study.outputs / "prerendered").iterdir() if p.is_file()]
    first = place.stat().st_ino, place.stat().st_mtime_ns
    assert time_all(study, remaining(study, [1, 2], 5))
    made = study.preparations("pre-render")
    assert [p.state for p in made] == ["done"] * 3, "three times, for both together"
    assert len({p.key for p in made}) == 1
    assert (place.stat().st_ino, place.stat().st_mtime_ns) == first
    assert [p for p in place.parent.iterdir() if p.is_file()] == [place], "what was made again is gone"
    one, other = gather(study).summaries
    assert one.first == other.first
    assert one.first[0].times == tuple(p.wall_s for p in made)
    assert one.first_s == pytest.approx(float(np.exp(np.mean(np.log(one.first[0].times)))))
    study.close()


def test_the_choice_goes_by_the_whole_cost(tmp_path: Path, cut: Programme) -> None:
    """What comes first of another program's export is entered: who needs a minute before is not the fastest."""
    study = study_of(
        tmp_path / "s.ovrik",
        cut,
        Contender("bundled", X264),
        Contender("bundled", replace(X264, quality=24.0)),
    )
    time_it(study)
    for number, loser in ((1, 2), (2, 1)):
        enter_first(study, study.contenders()[number - 1], 300.0)
        enter_first(study, study.contenders()[number - 1], 60.0)
        e = gather(study)
        assert e.of(number).first[0].times == (300.0, 60.0)  # type: ignore[union-attr]
        assert e.of(number).first_s == 60.0, "the last time that was entered"  # type: ignore[union-attr]
        if number == 1:
            assert e.verdict.choice == loser
            assert e.verdict.place(number).answer == "slower"
            assert "fewer" not in sentence_of(e)
    assert "what comes first included" in sentence_of(e)
    with pytest.raises(OvrikError, match="can't be the time"):
        enter_first(study, study.contenders()[0], 0.0)
    study.close()


def test_nobody_waits_for_what_is_made_overnight(tmp_path: Path, cut: Programme) -> None:
    from_it = Contender("bundled", X264, prerendered=intermediate("ffv1", pixel_format="yuv420p"))
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264), from_it)
    time_it(study)
    e = gather(study)
    for worth, share in ((Worth(), 1.0), (Worth(exports_a_film=4.0), 0.25), (Worth(first_waits=False), 0.0)):
        kept = judged(e, e.facts.limits, worth).summaries[1]
        assert kept.cost_s == pytest.approx((kept.usual_s or 0) + share * (kept.first_s or 0))
        assert kept.measured.values["seconds"] == kept.cost_s, "a ceiling on the time is one on all of it"
    study.close()


def test_stabilising_is_prepared_once_for_each_build(tmp_path: Path, clips: list[Footage]) -> None:
    made = replace(
        of_clips("held", clips[:1]), shots=(Shot(0, 0, 20, 0, (treatment("stabilise"),)),), sound=()
    )
    study = study_of(
        tmp_path / "s.ovrik",
        made,
        Contender("bundled", X264),
        Contender("bundled", replace(X264, quality=20.0)),
    )
    time_it(study)
    assert [p.kind for p in study.preparations()] == ["analysis"]
    study.close()


def test_several_excerpts_keep_their_own_outputs_and_answers(tmp_path: Path, cut: Programme) -> None:
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264), excerpt=Excerpt(0, 10))
    study.keep_excerpt("first", Excerpt(0, 10))
    study.keep_excerpt("second", Excerpt(12, 12))
    time_it(study)
    study.set_excerpt(Excerpt(12, 12))
    time_it(study)
    assert len({r.output for r in study.runs()}) == 2
    here = gather(study)
    assert here.excerpt_name == "second"
    assert (len(here.summaries[0].counted), here.set_aside) == (1, 1)
    study.set_excerpt(Excerpt(0, 10))
    back = gather(study).summaries[0]
    assert back.score is not None
    assert back.score.facts.frames == 10
    study.close()


def test_what_a_build_or_machine_can_not_do_is_said_beforehand(tmp_path: Path, cut: Programme) -> None:
    listed = [
        Contender("bundled", X264, treat="vulkan"),
        Contender("bundled", recipe("h264_nvenc")),
        Contender("bundled", replace(X264, raw=(("refz", "3"),))),
        Contender("bundled", replace(X264, raw=(("refs", "3"), ("x264-params", "scenecut=0")))),
        Contender("bundled", X264, decode="nvenc"),
        Contender("standin-anvil", recipe("h264_standin"), treat="opencl"),
        Contender("system", replace(X264, tune="film")),
    ]
    grade = replace(cut, treatments=(treatment("grade"),), shots=(Shot(0, 0, 20),))
    study = study_of(tmp_path / "s.ovrik", grade, *listed)
    against = barred(study)
    assert "no treatment of this programme has a form for Vulkan" in against[1]
    assert "has no option refz" in against[3]
    assert 4 not in against
    assert "can't do treatments by OpenCL" in against[6]
    assert 7 not in against
    study.close()


def test_a_build_without_a_filter_is_reported(tmp_path: Path, cut: Programme) -> None:
    from ovrik.machine.builds.build import find_build
    from ovrik.work.lineup.able import Judge

    lacking = replace(find_build("bundled"), filters=("concat", "xfade"))
    judge = Judge({"bundled": lacking}, cut, Excerpt(0, 5))
    assert "can't do blur: it has no filter gblur" in judge.reason(Contender("bundled", X264))
    older = replace(lacking, filters=("concat", "gblur"))
    assert "can't do dissolves" in Judge({"bundled": older}, cut, Excerpt(0, 5)).reason(
        Contender("bundled", X264)
    )


def test_trials_make_an_estimate_and_are_thrown_away(tmp_path: Path, cut: Programme) -> None:
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264), Contender("system", X264))
    before = estimate(study, gather(study), [1, 2], 3)
    assert (before.seconds, before.runs, before.missing) == (None, 6, 2)
    assert try_all(study, study.contenders()) == 2
    assert try_all(study, study.contenders()) == 0
    after = estimate(study, gather(study), [1, 2], 3)
    assert after.seconds is not None
    assert after.low < after.seconds < after.high
    assert "2 known from a trial" in after.doubts
    assert after.bytes
    assert not study.runs()
    assert not study.outputs.exists() or not list(study.outputs.glob("*.mp4"))
    assert time_all(study, remaining(study, [1], 1))
    assert estimate(study, gather(study), [1], 3).by_contender[1].basis == "runs"
    study.close()


def test_what_is_pre_rendered_is_tried_from_its_intermediate(tmp_path: Path, cut: Programme) -> None:
    into = intermediate("ffv1")
    both = [
        Contender("bundled", recipe("libx264", p, sound="none"), prerendered=into) for p in ("fast", "slow")
    ]
    study = study_of(tmp_path / "s.ovrik", cut, *both)
    before = estimate(study, gather(study), [1, 2], 1)
    assert before.seconds is None
    assert try_all(study, study.contenders()) == 2
    made = {p.key: p for p in study.preparations("trial")}
    assert set(made) == {f"trial-{way}-intermediate-{n}" for way in ("from", "into") for n in (1, 2)}
    assert "-c:v ffv1" in " ".join(made["trial-into-intermediate-1"].argv)
    assert ".mkv" in next(w for w in made["trial-from-intermediate-1"].argv if w.startswith("file:"))
    assert not list(study.outputs.glob("prerendered/*")) if study.outputs.exists() else True
    after = estimate(study, gather(study), [1, 2], 1)
    assert after.seconds is not None
    assert after.once > 0
    one_run = sum(f.seconds for f in after.by_contender.values())
    assert after.seconds == pytest.approx(one_run + after.once), "both export from the same intermediate"
    assert "of it pre-rendering" in estimate_words(replace(after, once=5.0))
    assert time_all(study, remaining(study, [1, 2], 1))
    assert estimate(study, gather(study), [1, 2], 2).once == 0, "it is there now"
    study.close()


def test_rests_are_in_the_estimate_as_they_were(tmp_path: Path, cut: Programme) -> None:
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264))
    study.set_conduct(replace(study.facts().conduct, rest=True, rest_limit_s=3))
    try_all(study, study.contenders())
    assert "without the rests" in estimate(study, gather(study), [1], 2).doubts
    assert time_all(study, remaining(study, [1], 1))
    runs = study.runs()
    kept = sum(r.conditions["rest_s"] for r in runs) / len(runs)
    found = estimate(study, gather(study), [1], 3)
    assert found.rests == pytest.approx(kept * found.runs)
    study.close()


@pytest.mark.parametrize("name", READY_SETS)
def test_ready_sets_are_known_again(cut: Programme, name: str) -> None:
    made = with_set(cut, name)
    assert set_of(made) == name
    assert made.frames == cut.frames
    assert [s.clip for s in made.shots] == [s.clip for s in cut.shots]
    with pytest.raises(OvrikError, match="no ready set"):
        with_set(cut, "shiny finish")


def test_heavier_sets_take_longer(tmp_path: Path, cut: Programme) -> None:
    """Not a timing: the load is counted in treatments that are done."""
    loads = [len(with_set(cut, n).every_treatment) for n in ("straight cut", "light finish", "heavy finish")]
    assert loads == sorted(set(loads))


def test_a_plan_with_a_timeline_makes_a_study_and_comes_back(tmp_path: Path, cut: Programme) -> None:
    study = study_of(
        tmp_path / "s.ovrik", cut, Contender("bundled", X264, prerendered=intermediate("prores"))
    )
    study.keep_excerpt("one", Excerpt(2, 9))
    study.set_excerpt(Excerpt(2, 9))
    written = save_plan(study, tmp_path / "again.toml")
    assert [p.name for p in written] == ["again.toml", "again.otio"]
    from ovrik.study.question.plan import load_plan

    again = study_from_plan(load_plan(tmp_path / "again.toml"), tmp_path / "again.ovrik")
    assert again.programme().checksum == cut.checksum
    assert [c.identity for c in again.contenders()] == [c.identity for c in study.contenders()]
    assert again.facts().excerpt == Excerpt(2, 9)
    assert question_of(again).excerpts == question_of(study).excerpts
    again.close()
    study.close()


def test_sources_of_a_plan(tmp_path: Path, clips: list[Footage]) -> None:
    paths = tuple(Path(c.path) for c in clips)
    made = programme_of(
        Source(paths, on_shots=((2, treatment("blur")),), treatments=(treatment("grain"),)), "two"
    )
    assert [len(s.treatments) for s in made.shots] == [0, 1]
    assert made.frames == 80
    assert excerpt_of(made, Span(start_frame=70)) == Excerpt(70, 10)
    with pytest.raises(OvrikError, match="no shot 3"):
        programme_of(Source(paths, on_shots=((3, treatment("blur")),)), "two")


def test_clips_that_moved_are_found_by_name_and_contents(tmp_path: Path, cut: Programme) -> None:
    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264))
    there = tmp_path / "moved" / "deep"
    there.mkdir(parents=True)
    (tmp_path / "a.mkv").rename(there / "a.mkv")
    (tmp_path / "b.mkv").unlink()
    write_numbered(there / "b.mkv", 40, first=7)
    found = relink(study, tmp_path / "moved")
    assert (found.found, found.other, found.missing) == (("a.mkv",), ("b.mkv",), ())
    assert study.programme().clips[0].path == str(there / "a.mkv")
    assert "a different file has that name there" in found.words
    study.close()


def test_the_cache_states_its_size_and_can_be_cleared(cut: Programme) -> None:
    clear_cache()
    make_reference(cut, Excerpt(0, 6))
    use = cache_use()
    assert (use.files, use.bytes > 0) == (1, True)
    assert clear_cache() == use.bytes
    assert cache_use().files == 0


def test_a_stand_in_bears_the_treatments_each_time(tmp_path: Path, cut: Programme) -> None:
    study = study_of(
        tmp_path / "s.ovrik", cut, Contender("standin-anvil", recipe("h264_standin", "fast", 23))
    )
    time_it(study)
    assert time_all(study, remaining(study, [1], 2))
    first, second = study.runs()
    assert second.user_s is not None
    assert first.user_s is not None
    assert second.user_s > 0.3 * first.user_s, "a kept file would cost next to nothing"
    study.close()


def test_the_command_line_speaks_of_programmes(
    tmp_path: Path, cut: Programme, capsys: pytest.CaptureFixture[str]
) -> None:
    from ovrik.cli import main

    study = study_of(tmp_path / "s.ovrik", cut, Contender("bundled", X264))
    save_plan(study, tmp_path / "p.toml")
    study.close()
    assert main(["timeline", str(tmp_path / "p.otio"), "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)["programme"]["shots"]) == 3
    assert main(["timeline", str(tmp_path / "p.otio"), "-o", str(tmp_path / "q.edl")]) == 0
    assert "003" in (tmp_path / "q.edl").read_text()
    assert main(["excerpts", str(tmp_path / "p.toml"), "--seconds", "0.4", "--json"]) == 0
    out = capsys.readouterr().out
    assert json.loads(out[out.index("{") :])["proposals"]
    assert main(["command", str(tmp_path / "s.ovrik"), "x264 ultrafast"]) == 2
    label = Study.open(tmp_path / "s.ovrik").contenders()[0].label
    assert main(["command", str(tmp_path / "s.ovrik"), label]) == 0
    assert "-filter_complex" in capsys.readouterr().out
    assert main(["estimate", str(tmp_path / "s.ovrik"), "--try"]) == 0
    assert "1 runs in about" in capsys.readouterr().out
    assert main(["cache"]) == 0


def test_another_sitting_times_what_comes_first_anew(tmp_path: Path, cut: Programme) -> None:
    """The machine may be another by then; until it was timed again the earlier times stand."""
    from_it = Contender("bundled", X264, prerendered=intermediate("ffv1", pixel_format="yuv420p"))
    study = study_of(tmp_path / "s.ovrik", cut, from_it)
    time_it(study)
    [before] = [p.wall_s for p in study.preparations("pre-render")]
    study.begin_sitting("later")
    assert study.preparations_here() == []
    assert gather(study).summaries[0].first[0].times == (before,)
    time_it(study)
    both = [p.wall_s for p in study.preparations("pre-render")]
    assert len(both) == 2
    assert gather(study).summaries[0].first[0].times == (both[1],), "that of this sitting"
    [earlier, _later] = study.sittings()
    assert gather(study.at(earlier)).summaries[0].first[0].times == (before,)
    study.close()
