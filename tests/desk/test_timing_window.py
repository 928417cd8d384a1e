"""Timing in a real window: pages, traces, conditions, parts, pairs, times by hand."""

import time
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from pytestqt.qtbot import QtBot
from test_working_window import LEFT, LONG_MS, pick, retype, wait_idle

from added_runs import add_run
from calm import CALM, quiet
from ovrik.analysis.times.time_left import TimeLeft
from ovrik.desk.app.window import MainWindow
from ovrik.desk.roster.list import roster_said
from ovrik.desk.stations.timing.lanes import MOST_MARKS, apart
from ovrik.desk.stations.timing.traces import ROWS_A_DRAWING
from ovrik.export.run.order import PlannedRun
from ovrik.export.run.progress import Progress
from ovrik.export.run.trace import Trace
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.question.conduct import BASELINE, CHOICE, COLD
from ovrik.work.answers.rivals import changes, rivals
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.fairness import State
from ovrik.work.timing.series import TimingUpdate


def press_page(window: MainWindow, qtbot: QtBot, name: str) -> None:
    """Press the button of a page with the keyboard."""
    made = next(b for b in window.stations["timing"].pages.buttons if b.text() == name)
    made.setFocus()
    qtbot.keyClick(made, Qt.Key.Key_Space)
    assert made.isChecked()


def with_trace(study: Study, contender: int, round_: int, wall: float, slow_at: float = 1e9) -> None:
    """A finished run with series of it: 30 frames a second, 10 from `slow_at` on."""
    add_run(study, contender, round_, wall)
    t = np.arange(0.5, wall, 0.5)
    fps = np.where(t < slow_at, 30.0, 10.0)
    trace = Trace(
        {
            "t": t,
            "frames": np.cumsum(fps) / 2,
            "fps": fps,
            "cpu": np.full(len(t), 90.0),
            "temperature": np.where(t < slow_at, 60.0, 95.0),
        }
    )
    run = study.runs()[-1].id
    with study._change() as db:
        db.execute("INSERT INTO trace VALUES (?,?)", (run, trace.packed()))


def test_traces_lie_over_the_same_zero_and_answer(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    for round_, slow in ((1, 1e9), (2, 40.0)):
        with_trace(window.model.study, 1, round_, 60.0, slow)
    window.model.refresh()
    window.go("timing")
    press_page(window, qtbot, "Traces")
    traces = window.stations["timing"].traces
    pick(qtbot, traces.second, "warmest sensor")
    traces.second.activated.emit(traces.second.currentIndex())
    lines = traces.left.getPlotItem().listDataItems()
    assert len(lines) == 2
    assert all(line.xData[0] == 0.5 for line in lines)
    box = traces.left.getPlotItem().vb
    traces._answer(traces.left, box.mapViewToScene(QPointF(41.0, 20.0)))
    assert traces.hover.text() == "at 41.0 s; frames per second 10.0; warmest sensor, °C 95.0"
    traces.left.setFocus()
    qtbot.keyClick(traces.left, Qt.Key.Key_Left)
    assert traces.hover.text().startswith("at 40.5 s")
    for _ in range(3):
        qtbot.keyClick(traces.left, Qt.Key.Key_Left)
    assert traces.hover.text() == "at 39.0 s; frames per second 30.0; warmest sensor, °C 60.0"
    assert all(c.isVisible() and c.value() == 39.0 for c in traces.cursors)
    with_trace(window.model.study, 2, 1, 30.0)
    window.model.refresh()
    traces.draw()
    pick(qtbot, traces.beside, window.model.evidence.summaries[1].contender.label)
    traces.beside.activated.emit(traces.beside.currentIndex())
    assert len(traces.left.getPlotItem().listDataItems()) == 3


def test_the_run_in_hand_grows_among_the_traces(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    with_trace(window.model.study, 1, 1, 20.0)
    window.model.refresh()
    window.go("timing")
    press_page(window, qtbot, "Traces")
    traces = window.stations["timing"].traces
    other = window.model.evidence.summaries[1].contender.label
    update = TimingUpdate(
        PlannedRun(2, 1, False),
        number=1,
        total=1,
        label=other,
        frames=600,
        progress=Progress(0.5, 15, 30.0, 0, False),
    )
    for n in range(1, 2 * ROWS_A_DRAWING + 1):
        now = {"t": n / 2, "fps": 20.0 + n, "cpu": 50.0}
        for _again in range(2):  # progress comes more often than readings do
            window.model.live.emit(replace(update, now=now))
    line = traces.growing[0]
    assert list(line.xData) == [n / 2 for n in range(1, 2 * ROWS_A_DRAWING + 1)]
    assert line.yData[-1] == 20.0 + 2 * ROWS_A_DRAWING
    assert traces.hover.text() == f"Dashed: the current run, {other}"
    assert len(traces.left.getPlotItem().listDataItems()) == 2
    window.model.live.emit(replace(update, ended="done", progress=None))
    assert len(traces.left.getPlotItem().listDataItems()) == 1
    assert traces.hover.text() == "Hover over the chart for values"


def test_runs_without_series_say_so(tiny_window: MainWindow, qtbot: QtBot) -> None:
    add_run(tiny_window.model.study, 1, 1, 4.0)
    tiny_window.model.refresh()
    tiny_window.go("timing")
    press_page(tiny_window, qtbot, "Traces")
    assert "No series on file" in tiny_window.stations["timing"].traces.hover.text()


def test_conditions_are_kept_with_the_study_and_change_the_plan(
    tiny_window: MainWindow, qtbot: QtBot
) -> None:
    window = tiny_window
    window.go("timing")
    press_page(window, qtbot, "Conditions")
    form = window.stations["timing"].conduct
    pick(qtbot, form.cache, "cold")
    form.cache.activated.emit(form.cache.currentIndex())
    retype(qtbot, form.nice, "7")
    retype(qtbot, form.cores, "0, 99")
    pick(qtbot, window.stations["timing"].how, "until all is decided")
    retype(qtbot, form.most_rounds, "9")
    kept = Study.open(window.model.study.path).facts().conduct
    assert (kept.cache, kept.nice, kept.cores, kept.until_decided, kept.most_rounds) == (
        COLD,
        7,
        (0,),
        True,
        9,
    )
    assert kept.decides == BASELINE
    assert not window.stations["timing"].rounds.isVisible()
    assert (
        "every comparison with the baseline is decided: at most 9"
        in window.stations["timing"].lanes.now.plan.text()
    )
    form.aside.setFocus()
    qtbot.keyClick(form.aside, Qt.Key.Key_Space)
    pick(qtbot, window.stations["timing"].how, "until the choice is decided")
    kept = Study.open(window.model.study.path).facts().conduct
    assert (kept.decides, kept.set_aside, kept.most_rounds) == (CHOICE, False, 9)
    assert "First every contender once" in window.stations["timing"].lanes.now.plan.text()
    pick(qtbot, window.stations["timing"].how, "for a number of rounds")
    assert not Study.open(window.model.study.path).facts().conduct.until_decided
    assert window.stations["timing"].rounds.isVisible()


def test_what_was_left_out_is_brought_back_by_hand(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    study = window.model.study
    study.set_conduct(quiet(replace(study.facts().conduct, until_decided=True)))
    other = study.add_contender(Contender("bundled", recipe("libx264", "faster", 22))).contender_id
    for contender, times in ((1, [4.0, 4.1]), (2, [2.0, 2.02]), (other, [2.1, 1.9])):
        for number, wall in enumerate(times, 1):
            add_run(study, contender, number, wall)
    evidence = gather(study)
    study.keep_decisions(
        changes(evidence, rivals(evidence, [1, 2, other])), evidence.programme, evidence.facts.excerpt
    )
    window.model.refresh()
    window.go("timing")
    page = window.stations["timing"]
    assert "2 could still win" not in page.lanes.now.plan.text()
    assert "1 could still win; about" in page.lanes.now.plan.text()
    window.model.select(2)
    assert not page.lanes.back.isVisible()
    window.model.select(1)
    assert page.lanes.back.isVisible()
    assert "slower than" in page.lanes.back.toolTip()
    assert "not timed any more: at the best" in roster_said(window.model.summary, window.model.evidence)
    assert window.model.rivals.ids == (2, other)
    qtbot.mouseClick(page.lanes.back, LEFT)
    assert window.model.rivals.ids == (1, 2, other)
    assert page.lanes.back.text() == "Leave it out again"
    qtbot.mouseClick(page.lanes.back, LEFT)
    assert window.model.rivals.ids == (2, other)
    assert [d.kind for d in gather(study).decisions] == ["left out", "kept", "back"]


def test_parts_are_timed_from_the_window_and_shown(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("timing")
    press_page(window, qtbot, "Where the time goes")
    page = window.stations["timing"].explained
    assert page.limit.text() == "Its parts have not been timed yet."
    qtbot.mouseClick(page.parts, LEFT)
    assert not page.whole.isEnabled()
    wait_idle(window, qtbot)
    assert "Timed the parts of" in window.strip.words.text()
    assert "limit" in page.limit.text()
    ticks = page.bars.getPlotItem().getAxis("left")._tickLevels[0]
    assert [text for _at, text in ticks][:3] == [
        "The whole export",
        "Decoding alone",
        "Encoding from raw frames",
    ]
    qtbot.mouseClick(page.segments, LEFT)
    wait_idle(window, qtbot)
    assert "hole programme" in page.result.text()
    assert "Every export takes" in page.result.text()
    assert page.whole.text().startswith("Time the whole (")
    qtbot.mouseClick(page.whole, LEFT)
    wait_idle(window, qtbot)
    assert "the forecast said" in page.result.text()


def test_a_part_that_is_stopped_keeps_what_is_finished(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("timing")
    press_page(window, qtbot, "Where the time goes")
    qtbot.mouseClick(window.stations["timing"].explained.parts, LEFT)
    qtbot.waitUntil(lambda: bool(window.model.study.parts()), timeout=LONG_MS)
    qtbot.mouseClick(window.strip.stop, LEFT)
    wait_idle(window, qtbot)
    assert "stopped. Finished work is kept" in window.strip.words.text()
    assert window.stations["timing"].explained.parts.isEnabled()


def test_a_stopwatch_time_is_entered_for_the_selected_one(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("timing")
    for contender, seconds in ((1, "1:05"), (2, "66")):
        window.model.select(contender)
        retype(qtbot, window.stations["timing"].runs.by_hand.seconds, seconds)
        qtbot.mouseClick(window.stations["timing"].runs.by_hand.enter, LEFT)
    assert [s.times for s in window.model.evidence.summaries] == [[65.0], [66.0], []]
    assert window.model.evidence.summaries[1].answer == "unsure"
    assert window.stations["timing"].runs.table.item(0, 0).text() == "by hand 1"
    assert window.stations["timing"].runs.log.text().endswith("entered by hand.")
    qtbot.mouseClick(window.stations["timing"].runs.by_hand.enter, LEFT)  # nothing typed, nothing kept
    assert len(window.model.study.runs()) == 2


@pytest.fixture
def timed_window(tiny_window: MainWindow) -> MainWindow:
    """Three contenders, four rounds on file; the second is erratic."""
    study = tiny_window.model.study
    study.set_conduct(quiet(study.facts().conduct))
    for contender, times in (
        (1, [4.0, 4.1, 4.05, 4.02]),
        (2, [2.0, 2.9, 2.1, 3.2]),
        (3, [1.0, 1.02, 1.01, 1.0]),
    ):
        for number, wall in enumerate(times, 1):
            add_run(study, contender, number, wall)
    tiny_window.model.refresh()
    return tiny_window


def test_any_pair_is_compared_in_the_verdict(timed_window: MainWindow, qtbot: QtBot) -> None:
    window = timed_window
    window.go("verdict")
    pair = window.stations["verdict"].ranking.pair
    window.model.select(3)
    assert pair.second.currentData() == 3
    pick(qtbot, pair.first, window.model.evidence.summaries[1].contender.label)
    pair.first.activated.emit(pair.first.currentIndex())
    assert "×2.4" in pair.result.text()
    assert "faster" in pair.result.text()
    assert "for all 3 comparisons together" in pair.result.toolTip()
    pick(qtbot, pair.second, window.model.evidence.summaries[1].contender.label)
    pair.second.activated.emit(pair.second.currentIndex())
    assert pair.result.text() == "Choose two that were timed"


def test_the_tie_band_is_set_in_the_verdict(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.model.study.set_conduct(quiet(window.model.study.facts().conduct))
    for contender, times in ((1, [4.0, 4.01, 4.02]), (2, [3.6, 3.61, 3.62])):
        for number, wall in enumerate(times, 1):
            add_run(window.model.study, contender, number, wall)
    window.model.refresh()
    window.go("verdict")
    assert window.model.evidence.summaries[1].answer == "faster"
    retype(qtbot, window.stations["verdict"].ranking.band, "20")
    assert window.model.evidence.summaries[1].answer == "tie"
    assert window.model.study.facts().tie_band == 0.2
    retype(qtbot, window.stations["verdict"].ranking.band, "2")
    assert window.model.evidence.summaries[1].answer == "faster"


def test_spread_stands_beside_the_median_everywhere(timed_window: MainWindow, qtbot: QtBot) -> None:
    window = timed_window
    window.go("verdict")
    row = window.stations["verdict"].ranking.table.keys.index(2)
    cell = window.stations["verdict"].ranking.table.item(row, 1)
    assert "erratic" in cell.text()
    assert "fps" in cell.toolTip()
    assert "real time" in cell.toolTip()
    others = [s for s in window.model.evidence.summaries if s.counted and s.answer != "baseline"]
    words = f"for all {len(others)} comparisons" if len(others) > 1 else "for the comparison"
    assert words in window.stations["verdict"].ranking.together.text()
    window.go("timing")
    said = [lane.spread for lane in window.stations["timing"].lanes.chart.lanes.rows]
    assert any("erratic" in t for t in said)
    assert window.stations["timing"].lanes.order.text()


def test_a_disturbed_run_is_marked_and_reported(tiny_window: MainWindow, qtbot: QtBot) -> None:
    study = tiny_window.model.study
    made = RunRecord(
        contender_id=1,
        excerpt=study.facts().excerpt,
        started_utc="",
        round=1,
        argv=("x",),
        state=RunState.DONE,
        wall_s=3.0,
        disturbed=(Disturbance(Disturber.PROGRAMS, 0.4, (("hog", 0.8),)),),
    )
    study.keep_run(made, {"key": "b", "path": "", "version": "9", "sha256": "a"}, {}, study.programme())
    tiny_window.model.refresh()
    tiny_window.go("timing")
    assert tiny_window.stations["timing"].runs.table.item(0, 1).text() == "done, disturbed"
    assert "hog" in tiny_window.stations["timing"].runs.log.text()


def test_marks_that_would_cover_one_another_are_drawn_once(tiny_window: MainWindow) -> None:
    study = tiny_window.model.study
    add_run(study, 1, 1, 4.0)
    one = study.runs()[0]
    same = [replace(one, id=n, wall_s=4.0 + n * 1e-6) for n in range(MOST_MARKS + 1)]
    assert len(apart(same, 0.01)) == 1
    odd = [*same, replace(one, wall_s=4.0, disturbed="other programs used 9 %")]
    assert [bool(r.disturbed) for r in apart(odd, 0.01)] == [False, True], "what is marked is always seen"
    assert apart(same[:MOST_MARKS], 0.01) == same[:MOST_MARKS]


def test_every_contender_has_a_lane_even_without_runs(timed_window: MainWindow, qtbot: QtBot) -> None:
    page = timed_window.stations["timing"].lanes
    lanes = page.chart
    timed_window.go("timing")
    summaries = timed_window.model.evidence.summaries
    assert [lane.summary for lane in lanes.lanes.rows] == list(summaries[:-1]), "the last can't run here"
    assert page.fold.text() == "Show 1 set aside"
    qtbot.mouseClick(page.fold, LEFT)
    assert lanes.lanes.rows[-1].aside, "with the reason"
    labels = [lane.summary.contender.label for lane in lanes.lanes.rows]
    assert labels == [s.contender.label for s in timed_window.model.evidence.summaries]
    summary = timed_window.model.evidence.summaries[0]
    update = TimingUpdate(
        PlannedRun(1, 5, False),
        number=1,
        total=3,
        label=summary.contender.label,
        frames=30,
        progress=Progress(2.0, 15, 7.5, 0, False),
        left=TimeLeft(62.0, 5.0),
        now={"fps": 8.0, "cpu": 91.0},
    )
    timed_window.go("timing")
    timed_window.model.live.emit(update)
    assert lanes.live_bar.isVisible()
    assert lanes.live_bar.rect().width() == 2.0
    assert page.now.percent.text() == "50 % of this run"
    assert page.now.now.text() == summary.contender.label
    assert page.now.doing.text().endswith("run 1 of 3: 1 min 02 s ± 5 s left")
    assert page.now.rates.text() == "frame 15 of 30: 8 fps now, 8 on average, processors 91 %"
    timed_window.model.live.emit(None)
    assert not lanes.live_bar.isVisible()


def test_a_rest_is_seen_and_can_be_ended(
    tiny_window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = tiny_window
    study = window.model.study
    study.set_conduct(replace(CALM, rest=True, rest_limit_s=300))
    for c in study.contenders()[1:]:
        study.drop_contender(c.contender_id)
    window.model.refresh()
    monkeypatch.setattr("ovrik.work.timing.series.take_state", lambda *_a: State(0.0, None, None))
    monkeypatch.setattr(
        "ovrik.work.timing.fairness.take_state", lambda *_a: (time.sleep(0.1), State(2.0, None, None))[1]
    )
    window.go("timing")
    station = window.stations["timing"]
    station.rounds.setValue(1)
    station.score.setChecked(False)
    qtbot.mouseClick(station.start, LEFT)
    qtbot.waitUntil(station.lanes.now.go_on.isVisible, timeout=LONG_MS)
    assert "waits for the load to come back" in station.lanes.now.doing.text()
    assert "of at most 300 s" in station.lanes.now.doing.text()
    assert "waits for the load" in window.strip.words.text()
    while window.runner.job is not None:
        if station.lanes.now.go_on.isVisible():
            station.lanes.now.go_on.setFocus()
            qtbot.keyClick(station.lanes.now.go_on, Qt.Key.Key_Space)
        qtbot.wait(100)
    runs = [r for r in study.runs() if r.state == "done"]
    assert runs
    assert all(r.conditions["not_back"] == "load" for r in runs)
    assert all(0.1 < r.conditions["rest_s"] < 60 for r in runs)
    assert not station.lanes.now.go_on.isVisible()


def test_any_runs_are_laid_over_one_another(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    for contender, round_ in ((1, 1), (1, 2), (2, 1)):
        with_trace(window.model.study, contender, round_, 20.0 + contender)
    window.opened.look_again()
    wait_idle(window, qtbot)
    window.go("timing")
    timing = window.stations["timing"]
    for contender, row in ((1, 1), (2, 0)):
        window.model.select(contender)
        timing.runs.table.setFocus()
        timing.runs.table.selectRow(row)
        qtbot.keyClick(timing.runs.table, Qt.Key.Key_Space)
        assert timing.runs.table.item(row, 0).text().startswith("▣ ")
    assert [r.contender_id for r in timing.traces.over.values()] == [1, 2]
    window.model.select(3)
    press_page(window, qtbot, "Traces")
    drawn = timing.traces.left.getPlotItem().listDataItems()
    lines = [i for i in drawn if i.getData()[0] is not None and len(i.getData()[0])]
    assert [len(line.getData()[0]) for line in lines] == [41, 43]
    styles = {line.opts["pen"].style() for line in lines}
    assert len(styles) == 2, "told apart without colour"
    labels = [c.label for c in window.model.study.contenders()]
    assert (
        f"Laid over: {labels[0]}, round 2 (solid); {labels[1]}, round 1 (dots)" in timing.traces.hover.text()
    )
    qtbot.mouseClick(timing.traces.none_over, LEFT)
    assert timing.traces.over == {}
    window.model.select(1)
    assert "▣" not in timing.runs.table.item(1, 0).text()


def test_lanes_answer_to_the_keyboard(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    for round_, wall in ((1, 3.0), (2, 2.0)):
        add_run(window.model.study, 1, round_, wall)
    window.opened.look_again()
    wait_idle(window, qtbot)
    window.go("timing")
    timing = window.stations["timing"]
    timing.lanes.chart.setFocus()
    window.model.select(1)
    qtbot.keyClick(timing.lanes.chart, Qt.Key.Key_Right)
    assert "round 2: 2.000 s" in timing.lanes.hover.text()
    qtbot.keyClick(timing.lanes.chart, Qt.Key.Key_Right)
    assert "round 1: 3.000 s" in timing.lanes.hover.text()
    assert timing.lanes.chart.accessibleDescription() == timing.lanes.hover.text()
    at = timing.lanes.chart.ring.getData()
    assert (at[0][0], at[1][0]) == (3.0, 0.5)
    live = TimingUpdate(
        PlannedRun(1, 3, False),
        number=1,
        total=3,
        label="x",
        frames=600,
        progress=Progress(12.3, 120, 45.0, 0, False),
    )
    timing.lanes.chart.show_live(live)
    qtbot.keyClick(timing.lanes.chart, Qt.Key.Key_Right)
    assert "current run: 12.3 s, frame 120 of 600, 45 fps" in timing.lanes.hover.text()
    qtbot.keyClick(timing.lanes.chart, Qt.Key.Key_Down)
    assert window.model.selection == 2
    qtbot.keyClick(timing.lanes.chart, Qt.Key.Key_Up)
    assert window.model.selection == 1
    timing.lanes.chart.show_live(None)
