"""Order effects, pairs on demand, and times taken by hand."""

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

from added_runs import add_run
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.values.everything import evidence_json
from ovrik.report.words.numbers import rates_words, spread_words, together_words
from ovrik.report.words.progress import order_words
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.work.answers.pairs import compare
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.order_effects import Along, Meanwhile, causes, order_effects
from ovrik.work.outside.by_hand import enter_time


def runs_at(study: Study, change: float) -> list[RunRecord]:
    """Ten rounds of three contenders, a minute each, whose times rise by a share in all; noise of 0.5 %."""
    random, number, total = np.random.default_rng(3), 0, 30
    for round_ in range(1, 11):
        for contender in random.permutation([1, 2, 3]):
            drift = 1 + change * number / (total - 1)
            add_run(study, int(contender), round_, float(contender * drift * np.exp(random.normal(0, 0.005))))
            number += 1
    began = datetime(2026, 1, 1, tzinfo=UTC)
    made = study.runs()
    for n, run in enumerate(made):
        object.__setattr__(run, "started_utc", (began + timedelta(minutes=n)).isoformat())
    return made


def test_a_drift_over_the_hour_is_found_with_its_size(study: Study) -> None:
    found = {o.along: o for o in order_effects(runs_at(study, 0.10))}
    over = found[Along.HOUR]
    assert over.trend.clear
    assert over.trend.low < 0.10 < over.trend.high
    assert re.fullmatch(r"exports became \d+ % slower over 29 min \(\d+ to \d+ %\)", order_words(over))
    assert not found[Along.PLACE].trend.clear or abs(found[Along.PLACE].trend.change) < 0.03


def test_a_clock_that_is_set_back_moves_no_run(study: Study) -> None:
    """The hour says nothing then; the order of the runs is as it was."""
    made = runs_at(study, 0.10)
    before = {o.along: o.trend for o in order_effects(made)}
    for run in made[15:]:
        earlier = datetime.fromisoformat(run.started_utc) - timedelta(hours=1)
        object.__setattr__(run, "started_utc", earlier.isoformat())
    after = {o.along: o.trend for o in order_effects(made)}
    assert Along.HOUR not in after
    assert after[Along.PLACE] == before[Along.PLACE]
    assert after[Along.LATER] == before[Along.LATER]


def test_what_changed_meanwhile_is_named(study: Study) -> None:
    made = runs_at(study, 0.10)
    for n, run in enumerate(made):
        run.conditions.update(celsius=40 + 0.5 * n, clock=3000.0 + n % 2)
        object.__setattr__(run, "other_cpu_s", 0.0)
    over = {o.along: o for o in order_effects(made)}[Along.HOUR]
    assert [c.what for c in over.causes] == [Meanwhile.WARMER]
    assert order_words(over).endswith("; meanwhile the machine became 10 °C warmer")
    assert causes(made[:5]) == ()
    falling = [replace(r, conditions={"clock": 3000.0 - 20 * n}) for n, r in enumerate(made)]
    assert [c.what for c in causes(falling)] == [Meanwhile.CLOCK]
    loud = [
        replace(r, conditions={}, other_cpu_s=10 * (r.wall_s or 0) * (n > 20)) for n, r in enumerate(made)
    ]
    assert [c.what for c in causes(loud)] == [Meanwhile.OTHERS]


def test_what_is_not_clear_says_so(study: Study) -> None:
    for o in order_effects(runs_at(study, 0.0)):
        if not o.trend.clear:
            assert order_words(o).startswith("no clear change ")


def test_repeats_at_the_end_of_a_round_do_not_look_like_an_order_effect(study: Study) -> None:
    made = runs_at(study, 0.0)
    slow = [
        replace(r, wall_s=3 * (r.wall_s or 0), disturbed=(Disturbance(Disturber.PROGRAMS, 0.6),))
        for r in made[::3]
    ]
    found = {o.along: o.trend for o in order_effects([*slow, *made])}
    assert abs(found[Along.PLACE].change) < 0.02


def test_without_drift_none_is_claimed(study: Study) -> None:
    assert all(abs(o.trend.change) < 0.02 for o in order_effects(runs_at(study, 0.0)))
    assert order_effects([]) == ()


def test_any_pair_can_be_asked_for(study: Study) -> None:
    for contender, times in (
        (1, [4.0, 4.4, 3.6, 4.1]),
        (2, [2.0, 2.21, 1.8, 2.04]),
        (3, [1.0, 1.1, 0.91, 1.02]),
    ):
        for number, wall in enumerate(times, 1):
            add_run(study, contender, number, wall)
    evidence = gather(study)
    found = compare(evidence, 2, 3)
    assert found is not None
    assert found.ratio is not None
    assert (found.answer, found.among) == ("faster", 3)
    assert found.ratio.value == pytest.approx(2.0, rel=0.02)
    back = compare(evidence, 3, 2)
    assert back is not None
    assert back.ratio is not None
    assert (back.answer, back.ratio.value) == ("slower", pytest.approx(1 / found.ratio.value))
    mine = evidence.summaries[1].ratio
    assert mine is not None
    assert evidence.comparisons == 2
    assert compare(evidence, 1, 99) is None
    text, said = verdict_text(evidence), evidence_json(evidence, None)
    assert "Intervals hold at 95 % for all 2 comparisons together." in text
    assert said["comparisons_together"] == 2
    assert said["contenders"][0]["spread"]["runs"] == 4


def test_an_erratic_one_is_seen_to_be_so(study: Study) -> None:
    for contender, times in ((1, [4.0, 4.05, 4.02]), (2, [2.0, 2.9, 2.1]), (3, [1.0, 1.01, 1.02])):
        for number, wall in enumerate(times, 1):
            add_run(study, contender, number, wall)
    assert [s.erratic for s in gather(study).summaries] == [False, True, False]
    assert spread_words(gather(study).summaries[1]).endswith("% erratic")
    assert "erratic" in verdict_text(gather(study))


def test_a_second_between_two_stopwatch_times_is_not_called(study: Study) -> None:
    one, other, _third = study.contenders()
    enter_time(study, one, 25)
    kept = enter_time(study, other, 26)
    assert (kept.by_hand, kept.round, kept.doubt_s) == (True, 1, 0.5)
    found = gather(study).summaries[1]
    assert found.answer == "unsure"
    assert found.ratio is not None
    assert found.ratio.low is not None
    assert found.ratio.low < 1 < (found.ratio.high or 0)
    # Twice the time is more than a stopwatch and the usual spread can explain.
    study.set_baseline(one.contender_id)
    enter_time(study, study.contenders()[2], 60)
    assert gather(study).summaries[2].answer == "slower"
    add_run(study, 1, 1, 4.0)
    assert study.runs()[-1].round == 1
    for bad in (0.0, -3.0, 0.4):
        with pytest.raises(OvrikError, match="can't be the time of an export"):
            enter_time(study, one, bad)


def test_entering_by_the_command_line(study: Study, capsys: pytest.CaptureFixture[str]) -> None:
    label = study.contenders()[0].label
    assert main(["enter", str(study.path), label, "61.5", "--step", "0.1"]) == 0
    assert "Kept." in capsys.readouterr().out
    assert study.runs()[0].doubt_s == pytest.approx(0.05)


def test_one_time_in_every_dress() -> None:
    assert rates_words(2.0, 60, 25.0) == "60 frames / T = 30.0 fps; 2.40 s / T = ×1.20 real time"
    assert rates_words(None, 60, 25.0) == "not timed"
    assert together_words(1, 0) == "Interval: 95 %."
    assert "after each of up to 12 rounds" in together_words(3, 12)


def test_an_older_output_is_still_found_beside_a_time_by_hand(study: Study, tmp_path: Path) -> None:
    from ovrik.work.evidence.outputs_on_disk import latest_output

    add_run(study, 1, 1, 4.0)
    enter_time(study, study.contenders()[0], 5)
    found = latest_output(study, 1)
    assert found is not None
    assert found.output == "1.mp4"
