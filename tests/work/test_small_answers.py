"""Answers of a study that need no export: stopwatch times, estimates, worth, warm-ups, differences of two studies."""

from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import BUILD, add_run
from ovrik.errors import OvrikError
from ovrik.store.records.made import Preparation, PreparationKind
from ovrik.store.sent_copy import copy_of
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.origin import Origin
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.conduct import Conduct
from ovrik.work.answers.beside import STATED, _changes, change, lay_beside
from ovrik.work.answers.estimate import estimate, into_key, trial_frames, trial_key
from ovrik.work.answers.worth import used
from ovrik.work.evidence.counted_times import next_round, of_one_kind, times
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.by_hand import enter_time, parse_time
from ovrik.work.timing.warm_up import needing_warm_up, slow_at_first


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("61", 61), (" 61.4 ", 61.4), ("61,4", 61.4), ("1:01", 61), ("1:59.9", 119.9), ("90:00", 5400),
     ("1:01:30.5", 3690.5), ("2:59:59", 10_799), ("0:0:1", 1), ("100000", 100_000)],
)  # fmt: skip
def test_a_stopwatch_is_read(text: str, seconds: float) -> None:
    assert parse_time(text) == pytest.approx(seconds)


@pytest.mark.parametrize(
    "text", ["", "x", "1:60", "1:60.0", "1:60:00", "1:2:60", "-3", "1::2", "1:2:3:4", "1e3"]
)
def test_what_no_stopwatch_shows_is_refused(text: str) -> None:
    with pytest.raises(OvrikError):
        parse_time(text)


@pytest.mark.parametrize(("seconds", "step"), [(0, 1), (-1, 1), (5, 0), (5, 6), (1e6, 1)])
def test_a_time_that_no_export_takes_is_refused(study: Study, seconds: float, step: float) -> None:
    with pytest.raises(OvrikError, match="can't be the time"):
        enter_time(study, study.contenders()[0], seconds, step)
    assert study.runs() == []


def test_times_by_hand_are_rounds_of_their_own(study: Study) -> None:
    one, other = study.contenders()[:2]
    add_run(study, one.contender_id, 1, 4.0)
    add_run(study, one.contender_id, 2, 4.1)
    first, second = enter_time(study, one, 5.0), enter_time(study, one, 5.0, step_s=5.0)
    assert [first.round, second.round] == [1, 2]
    assert enter_time(study, other, 999_999).round == 1
    assert first.by_hand
    assert next_round(study.runs(), Origin.DRIVEN) == 3
    assert next_round(study.runs(one.contender_id), Origin.BY_HAND) == 3
    # Measured ones stand for a contender that has both.
    assert sorted(times(of_one_kind(study.runs(one.contender_id))).values()) == [4.0, 4.1]
    assert sorted(times(of_one_kind(study.runs(one.contender_id), True)).values()) == [5.0, 5.0]


def test_of_a_round_that_was_timed_twice_the_later_run_counts(study: Study) -> None:
    for wall, round_ in ((4.0, 1), (6.0, 1), (4.2, 2)):
        add_run(study, 1, round_, wall)
    add_run(study, 1, 3, 9.0, state="failed")
    add_run(study, 1, 0, 8.0, warmup=True)
    assert {n: s for (_series, n), s in times(study.runs(1)).items()} == {1: 6.0, 2: 4.2}


def tried(study: Study, key: str, wall_s: float, size: int, frames: int, first_s: float = 0.5) -> None:
    study.keep_preparation(
        Preparation(
            key=key, kind=PreparationKind.TRIAL, contender_id=1,
            excerpt=Excerpt(study.facts().excerpt.start_frame, frames), argv=("x",), state="done", wall_s=wall_s,
            first_frame_s=first_s, bytes=size,
        ),
        study.programme(), BUILD, {"processor": "P"},
    )  # fmt: skip


def test_an_estimate_adds_up_runs_trials_and_rests(study: Study) -> None:
    """Of one contender there are runs, of the next a trial, of the last nothing."""
    study.set_conduct(Conduct(rest=False))
    frames = study.facts().excerpt.frames
    for n in range(4):
        add_run(study, 1, n + 1, 9.7 + 0.2 * n)
    bare = estimate(study, gather(study), [1, 2, 3], 4)
    assert (bare.runs, bare.missing, bare.rests, bare.once) == (8, 2, 0.0, 0.0)
    assert bare.bytes == 3 * 1_000_000  # the others are taken to be like the one that is known
    assert set(bare.by_contender) == {1}
    assert bare.seconds == pytest.approx(bare.runs * 10.0, rel=0.01)
    assert bare.seconds
    assert bare.low < bare.seconds < bare.high
    tried(study, trial_key(study.contenders()[1]), 3.0, 250_000, trial_frames(study.facts().excerpt, 25.0))
    known = estimate(study, gather(study), [1, 2, 3], 4)
    assert known.missing == 1
    assert known.by_contender[2].basis == "trial"
    part = trial_frames(study.facts().excerpt, 25.0)
    assert known.by_contender[2].seconds == pytest.approx(0.5 + 2.5 * frames / part, rel=0.01)
    second = 250_000 * frames / part
    assert known.bytes == pytest.approx(1_000_000 + second + (1_000_000 + second) / 2, abs=2)
    assert "1 known from a trial of 1 s only; 1 not tried yet" in known.doubts


def test_rests_are_unknown_before_there_was_one(study: Study) -> None:
    study.set_conduct(Conduct(rest=True))
    add_run(study, 1, 1, 10.0)
    found = estimate(study, gather(study), [1], 3)
    assert found.rests is None
    assert "without the rests" in found.doubts


def test_a_pre_render_is_forecast_once_for_all_that_share_it(study: Study) -> None:
    both = [
        Contender("bundled", recipe("libx264", preset, 20), label=preset, prerendered=intermediate("ffv1"))
        for preset in ("fast", "slow")
    ]
    for c in both:
        study.add_contender(c)
    ids = [c.contender_id for c in study.contenders() if c.prerendered]
    for i in ids:
        add_run(study, i, 1, 5.0)
    nothing = estimate(study, gather(study), ids, 2)
    assert nothing.seconds is None
    one = next(c for c in study.contenders() if c.prerendered)
    part = trial_frames(study.facts().excerpt, 25.0)
    tried(study, into_key(one), 2.0, 1000, part)
    found = estimate(study, gather(study), ids, 2)
    wanted = 0.5 + 1.5 * study.facts().excerpt.frames / part
    assert found.once == pytest.approx(wanted, rel=0.01)
    assert found.seconds == pytest.approx(wanted + found.runs * 5.0, rel=0.02)


def test_what_a_contender_is_worth_is_told_against_the_baseline(study: Study) -> None:
    study.set_baseline(1)
    assert [u.found for u in used(gather(study))] == [None, None, None]
    add_run(study, 2, 1, 4.0)
    alone = {u.summary.contender.contender_id: u.found for u in used(gather(study))}
    assert alone[2] is not None
    assert alone[2].saved_week_h == 0.0, "against itself"
    add_run(study, 1, 1, 8.0)
    found = {u.summary.contender.contender_id: u.found for u in used(gather(study))}
    w, length = study.facts().worth, study.facts().excerpt.frames / 25
    assert found[1] is not None
    assert found[1].saved_week_h == 0.0
    assert found[2] is not None
    assert found[2].saved_week_h == pytest.approx(
        4.0 * 60 * w.minutes / length * w.exports_a_week / 3600, rel=0.01
    )
    assert found[3] is None


def test_a_warm_up_is_for_devices_and_for_those_that_were_slow_at_first(study: Study) -> None:
    study.add_contender(
        Contender("bundled", recipe("libx264", "fast", 23), label="on a device", treat="opencl")
    )
    study.add_contender(
        Contender("bundled", recipe("libx264", "faster", 23), label="decoded there", decode="vaapi")
    )
    assert needing_warm_up(study, [1, 2, 3, 4, 5]) == {4, 5}
    assert needing_warm_up(study, [1, 4]) == {4}
    for wall, round_ in ((6.0, 1), (4.0, 2), (4.0, 3)):
        add_run(study, 2, round_, wall)
        add_run(study, 1, round_, 4.0)
    assert needing_warm_up(study, [1, 2, 3]) == {2}
    study.set_conduct(Conduct(warm_all=True))
    assert needing_warm_up(study, [1, 3]) == {1, 3}


def test_slow_at_first_is_told_of_three_runs_or_more(study: Study) -> None:
    add_run(study, 1, 1, 9.0)
    add_run(study, 1, 2, 4.0)
    assert not slow_at_first(study.runs(1))
    add_run(study, 1, 3, 4.0)
    assert slow_at_first(study.runs(1))
    for round_, wall in ((1, 4.4), (2, 4.0), (3, 4.0)):
        add_run(study, 2, round_, wall)
    assert not slow_at_first(study.runs(2))


def test_two_studies_say_what_else_is_different(study: Study, tmp_path: Path) -> None:
    for i in (1, 2):
        add_run(study, i, 1, 4.0)
    study.set_baseline(1)
    copy_of(study.path, tmp_path / "other.ovrik")
    other = Study.open(tmp_path / "other.ovrik")
    assert lay_beside([study, other]).apart == ()
    assert lay_beside([study, other]).unlike == ()
    other.set_baseline(2)
    other.set_conduct(replace(other.facts().conduct, nice=5, cores=(0,)))
    other.set_excerpt(Excerpt(3, 20))
    for i in (1, 2):
        add_run(other, i, 1, 4.0)
    found = lay_beside([study, other])
    said = "; ".join(found.apart)
    labels = [c.label for c in study.contenders()]
    assert f"different baselines: {labels[0]}, {labels[1]}" in said
    assert "priority 5 against" in said
    assert "cores used (0,) against all" in said
    assert "frames 3 to 22" in found.unlike[0]
    assert "(frames 0 to 29)" in found.unlike[0] or "(0 to 29)" in found.unlike[0]
    cells = tuple(side.evidence.summaries[0] for side in found.sides)
    held = [side.sat.held[1] for side in found.sides]
    # Two studies make as many comparisons as there are rows, three make twice as many.
    [_base, now] = _changes(found.sides, cells, 6)
    assert now == change(*held, STATED, 6, found.sides[0].evidence.facts.tie_band)
    [_base, _now, last] = _changes((*found.sides, found.sides[1]), (*cells, cells[1]), 6)
    assert last == change(*held, STATED, 12, found.sides[0].evidence.facts.tie_band)
    other.close()
