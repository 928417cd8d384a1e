"""Evidence: which runs count, and what they come to."""

import re
import shutil
from pathlib import Path

import numpy as np
import pytest
from scipy import stats

from added_runs import add_run, scored
from approving import allow_program
from calm import quiet
from ovrik.analysis.choice.entrant import judge
from ovrik.machine.builds.build import locate
from ovrik.machine.workstation.facts import differences
from ovrik.report.words.numbers import spread_words
from ovrik.report.words.phrases import seconds_words
from ovrik.report.words.reasons import reasons_words
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.limit_kinds import SPREAD
from ovrik.study.question.limits import limits
from ovrik.work.answers.what_if import WhatIf, known, what_if
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import latest_output
from ovrik.work.prepare.fingerprint import fingerprint
from ovrik.work.timing.schedule import further, remaining
from ovrik.work.timing.series import TimingUpdate, time_all


def test_ratios_pair_rounds_and_warm_ups_do_not_count(study: Study) -> None:
    for contender, times in ((1, [4.0, 4.4, 3.6]), (2, [2.0, 2.2, 1.8])):
        add_run(study, contender, 0, 99.0, warmup=True)
        for number, wall in enumerate(times, 1):
            add_run(study, contender, number, wall)
    evidence = gather(study)
    first, second, third = evidence.summaries
    assert (first.answer, first.median_s) == ("baseline", 4.0)
    assert second.answer == "faster"
    assert second.ratio is not None
    assert second.ratio.value == pytest.approx(2.0, rel=1e-4)
    assert first.usual_s is not None
    assert second.usual_s == pytest.approx(first.usual_s / second.ratio.value)
    assert second.ratio.pairs == 3
    assert (third.median_s, third.ratio, third.answer) == (None, None, "unsure")
    assert second.fps == pytest.approx(30 / second.usual_s)


def test_a_round_that_is_not_shared_says_less(study: Study) -> None:
    study.set_conduct(quiet(study.facts().conduct))
    add_run(study, 1, 1, 4.0)
    add_run(study, 2, 1, 2.0)
    add_run(study, 2, 2, 1.0)
    ratio = gather(study).summaries[1].ratio
    assert ratio is not None
    assert ratio.pairs == 1
    # Worked by hand: the second round, in which only one was timed, lies under the usual 8 % of a round's own
    # effect, and says the rest about the contender.
    evidence = gather(study)
    assert 2.0 < ratio.value < 2.4
    assert ratio.value == pytest.approx(evidence.summaries[0].usual_s / evidence.summaries[1].usual_s)  # type: ignore[operator]


def test_runs_of_another_excerpt_are_set_aside_and_come_back(study: Study) -> None:
    before = study.facts().excerpt
    add_run(study, 1, 1, 4.0)
    study.set_excerpt(Excerpt(5, 10))
    evidence = gather(study)
    assert evidence.set_aside == 1
    assert evidence.summaries[0].median_s is None
    assert latest_output(study, 1) is None
    study.set_excerpt(before)
    assert gather(study).summaries[0].median_s == 4.0


def test_an_output_overwritten_for_another_excerpt_is_not_taken_for_this_one(study: Study) -> None:
    before = study.facts().excerpt
    add_run(study, 1, 1, 4.0)
    study.set_excerpt(Excerpt(5, 10))
    add_run(study, 1, 1, 2.0)
    study.set_excerpt(before)
    assert latest_output(study, 1) is None


def test_failures_and_bars_are_reasons(study: Study) -> None:
    add_run(study, 1, 1, 1.0, state="failed")
    evidence = gather(study, {3: "the container can't hold it"})
    assert tuple(reasons_words(evidence.summaries[0].reasons)) == ("it failed: no luck",)
    assert evidence.summaries[0].acceptable is False
    assert tuple(reasons_words(evidence.summaries[2].reasons)) == (
        "it can't run: the container can't hold it",
    )
    add_run(study, 1, 2, 1.0)
    assert gather(study).summaries[0].reasons == ()


def test_size_is_judged_before_quality_is_known(study: Study) -> None:
    study.set_limits(
        limits(vmaf_mean=93, vmaf_p5=85, megabytes_per_minute=40)
    )  # 1 MB in 1.2 s is 50 MB a minute
    add_run(study, 1, 1, 1.0)
    summary = gather(study).summaries[0]
    assert summary.mb_per_minute == pytest.approx(50.0)
    assert summary.acceptable is False
    assert not summary.judged


def test_machines_that_differ_are_reported(study: Study) -> None:
    add_run(study, 1, 1, 1.0)
    assert gather(study).machines == ()
    add_run(study, 1, 2, 1.0, machine="Q")
    assert gather(study).machines == ("Processor: P against Q",)


def test_what_is_left_to_do(study: Study) -> None:
    add_run(study, 1, 1, 1.0)
    add_run(study, 2, 1, 1.0, state="stopped")
    left = {(t.contender_id, t.round) for t in remaining(study, [1, 2], 2)}
    assert left == {(2, 1), (1, 2), (2, 2)}
    assert {t.round for t in further(study, [1, 2], 2)} == {2, 3}


@pytest.mark.parametrize(
    ("seconds", "words"), [(None, "unknown"), (12.4, "12 s"), (200, "3 min 20 s"), (3900, "1 h 05 min")]
)
def test_words_for_time(seconds: float | None, words: str) -> None:
    assert seconds_words(seconds) == words


def test_a_build_deleted_between_two_runs_is_a_clear_failure(study: Study, tmp_path: Path) -> None:
    program = tmp_path / "mine"
    shutil.copy(locate("system"), program)
    allow_program(program)
    kept = study.add_contender(Contender(str(program), recipe("libx264", "ultrafast", 24), "mine", True))

    def watch(update: TimingUpdate) -> None:
        if update.ended and update.label == "mine":
            program.unlink(missing_ok=True)

    assert not time_all(study, further(study, [1, kept.contender_id], 2), watch)
    mine = [(r.state, r.reason) for r in study.runs(kept.contender_id)]
    assert mine[0] == ("done", "")
    assert mine[1][0] == "failed"
    assert f"{program} is no longer there" in mine[1][1]
    assert [r.state for r in study.runs(1)] == ["done", "done"]


def test_the_fingerprint_goes_with_every_run(study: Study) -> None:
    assert time_all(study, further(study, [2], 1))
    kept = study.machines()[study.runs(2)[-1].machine_id or 0]
    assert {"processor", "kernel", "output_drive", "source_drive", "study_drive"} <= set(kept)
    assert {"output_speed", "source_speed", "output_free", "vulkan_devices", "opencl_devices"} <= set(kept)
    assert re.fullmatch(r"writes \d+ MB/s, reads \d+ MB/s", kept["output_speed"])
    assert re.fullmatch(r"reads \d+ MB/s", kept["source_speed"])
    assert kept == fingerprint(study).to_json()
    assert differences(kept, {**kept, "output_drive": "nfs4"})[0].startswith("Drive of the outputs: ")


def test_what_was_not_played_is_none_to_choose_where_that_is_asked(study: Study) -> None:
    """Playing is no number that a limit could be moved to."""
    for contender in (1, 2):
        scored(study, contender, [95.0] * 30)
    assert [not judge(x, gather(study).facts.limits).acceptable for x in known(gather(study))] == [
        False,
        False,
    ]
    study.set_limits(limits(plays=True))
    assert [not judge(x, gather(study).facts.limits).acceptable for x in known(gather(study))] == [True, True]
    assert what_if(gather(study)) == WhatIf()


def test_a_single_run_has_an_interval_that_is_assumed(study: Study) -> None:
    add_run(study, 1, 1, 2.0)
    one = gather(study).of(1)
    assert one is not None
    assert one.spread is not None
    assert one.spread.assumed
    assert spread_words(one).endswith(" % assumed")
    # By the stated prior: T · exp(± t(freedom) · s), with SciPy's own quantile.
    noise = gather(study).times.found.noise
    half = stats.t.ppf(0.975, noise.freedoms[0]) * noise.variances[0] ** 0.5
    assert (one.spread.low, one.spread.high) == pytest.approx((2 * np.exp(-half), 2 * np.exp(half)))
    assert SPREAD not in one.measured.values
    add_run(study, 1, 2, 2.2)
    two = gather(study).of(1)
    assert two is not None
    assert two.spread is not None
    assert not two.spread.assumed
