"""The verdict by clicks and keys: choice, limits that are dragged, the picture, the ranking, the roster's order."""

import itertools
import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from crowd import crowded
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QGuiApplication, QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from added_runs import add_run, scored
from ovrik.analysis.times.ratio import Ratio
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.size_measures import PER_PIXEL, QUALITY, SIZE, TIME
from ovrik.desk.model.tradeoff import VIEWS, trade_off
from ovrik.desk.stations.verdict.choice_page import ChoicePage
from ovrik.desk.stations.verdict.tradeoff_chart import TradeOffChart
from ovrik.report.words.numbers import ratio_words
from ovrik.report.words.verdict import faster_words, lead_of, sentence_of, sentence_over
from ovrik.store.study import Study
from ovrik.study.question.limits import limits
from ovrik.work.answers.over_kinds import gather_kinds
from ovrik.work.evidence.gathered import gather

Open = Callable[[Study], MainWindow]
LEFT = Qt.MouseButton.LeftButton


def ready(window: MainWindow, qtbot: QtBot) -> ChoicePage:
    """The choice, drawn and its texts placed."""
    window.go("verdict")
    page: ChoicePage = window.stations["verdict"].choice
    view = page.chart.getPlotItem().vb
    qtbot.waitUntil(
        lambda: view.sceneBoundingRect().width() > 500 and not page.chart.labels._later.isActive()
    )
    page.chart.labels.place_now()
    return page


def crowd(open_window: Open, demo_copy: Path, folder: Path, count: int) -> MainWindow:
    shutil.copytree(demo_copy.parent, folder / "demo")
    path = folder / "demo" / demo_copy.name
    crowded(path, count)
    return open_window(Study.open(path))


@pytest.fixture
def demo_window(same_window: MainWindow) -> MainWindow:
    """One for all: tests here change nothing but limits."""
    return same_window


# The choice and its limits


def test_the_choice_comes_first_with_its_reasons(demo_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(demo_window, qtbot)
    assert page.panel.title.text() == "x264 medium from ProRes LT"
    assert "no other acceptable one is faster (95 %, all together)" in page.panel.claim.text()
    said = page.panel.lines
    assert said["Faster"] == "Nothing that was timed is faster."
    assert "A floor on mean VMAF of 88.5: x264 medium instead" in said["Would change it"]
    figures = dict(page.panel.shown.figures)  # type: ignore[union-attr]
    assert figures["VMAF mean ≥ 88"] == "88.5, 0.5 to spare"
    assert "…" not in "".join([page.panel.title.text(), *said.values()])
    demo_window.model.set_limits(limits(vmaf_mean=89.0, megabytes_per_minute=25.0))
    assert page.panel.title.text() == "x264 superfast"
    said = page.panel.lines
    assert "x264 medium from ProRes LT" in said["Faster"]
    assert "mean VMAF 88.5 is under the floor of 89" in said["Faster"]


def test_what_would_change_it_does(demo_window: MainWindow, qtbot: QtBot) -> None:
    """Each change that is named, made: the choice is then the one that was named, and a tick before it is not."""
    page = ready(demo_window, qtbot)
    model = demo_window.model
    now = model.evidence.verdict.choice
    asked = model.evidence.facts.limits
    for change in page.panel.shown.if_.changes:  # type: ignore[union-attr]
        tick = 10.0**-change.kind.digits
        up = change.to > (asked.get(change.kind.key) or 0.0)
        model.set_limits(asked.having(change.kind.key, change.to))
        assert model.evidence.verdict.choice == change.choice != now
        model.set_limits(
            asked.having(change.kind.key, round(change.to - tick if up else change.to + tick, 3))
        )
        assert model.evidence.verdict.choice == now


def test_a_limit_is_typed_added_and_taken_away(demo_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(demo_window, qtbot)
    study = demo_window.model.study
    field = page.limits.fields["megabytes_per_minute"]
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "12")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert page.panel.title.text() == "Nothing timed is acceptable; x264 medium from ProRes LT comes nearest."
    assert study.facts().limits.get("megabytes_per_minute") == 12
    more = page.limits.more
    more.setCurrentIndex(more.findData("psnr_p1"))
    more.activated.emit(more.currentIndex())
    assert study.facts().limits.get("psnr_p1") == 35
    assert page.limits.fields["psnr_p1"].hasFocus()
    for gone in ("psnr_p1", "megabytes_per_minute"):
        title = {"psnr_p1": "1st percentile of PSNR", "megabytes_per_minute": "size"}[gone]
        qtbot.wait(20)
        [cross] = [b for b in buttons(page) if b.accessibleName() == f"Take away the limit on {title}"]
        qtbot.mouseClick(cross, LEFT)
        assert study.facts().limits.get(gone) is None


def buttons(page: QWidget) -> list[QPushButton]:
    return [b for b in page.findChildren(QPushButton) if b.isVisible()]


def test_a_ready_set_and_what_has_to_be_passed(demo_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(demo_window, qtbot)
    ready_sets = page.limits.ready
    ready_sets.setCurrentIndex(ready_sets.findData("client review"))
    ready_sets.activated.emit(ready_sets.currentIndex())
    asked = demo_window.model.study.facts().limits
    assert asked == limits(True, vmaf_mean=93.0, vmaf_p5=88.0, mbit_s=20.0)
    qtbot.mouseClick(
        page.limits.boxes["plays"], LEFT, pos=QPoint(8, page.limits.boxes["plays"].height() // 2)
    )
    assert not demo_window.model.study.facts().limits.plays


def test_with_nothing_acceptable_it_says_what_to_move(demo_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(demo_window, qtbot)
    demo_window.model.set_limits(limits(vmaf_mean=96.5))
    best = max((s for s in demo_window.model.evidence.summaries if s.vmaf), key=lambda s: s.vmaf.mean)  # type: ignore[union-attr]
    name = best.contender.label
    assert page.panel.title.text() == f"Nothing timed is acceptable; {name} comes nearest."
    said = page.panel.lines["Nearest"]
    assert said.startswith(f"{name}: lower the floor on mean VMAF by ")
    to = float(said.split("to ")[-1].rstrip("."))
    demo_window.model.set_limits(limits(vmaf_mean=to))
    assert page.panel.title.text() == name
    demo_window.model.set_limits(limits(vmaf_mean=to + 0.1))
    assert "comes nearest" in page.panel.title.text()


def test_a_limit_decides_and_says_so(demo_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(demo_window, qtbot)
    demo_window.model.set_limits(limits(vmaf_mean=89.0, megabytes_per_minute=25.0))
    said = {key: words.text() for key, words in page.limits._said.items()}
    e = demo_window.model.evidence
    low = sum(bool(s.vmaf) and s.vmaf.mean < 89 for s in e.summaries)
    large = sum(bool(s.mb_per_minute) and s.mb_per_minute > 25 for s in e.summaries)
    assert said["vmaf_mean"] == f"{low} fail, decides"
    assert said["megabytes_per_minute"] == f"{large} fail{'s' * (large == 1)}"


def test_a_limit_that_moves_while_the_study_is_read_stays(demo_window: MainWindow) -> None:
    """Evidence that was read by the old limits is judged by the new ones, and says the same as a fresh look."""
    model = demo_window.model
    take = model.look()
    model.set_limits(limits(vmaf_mean=95.0))
    said = sentence_of(model.evidence)
    take()
    assert sentence_of(model.evidence) == said
    assert model.evidence.facts.limits == limits(vmaf_mean=95.0)
    fresh = gather(model.study, model.barred)
    assert fresh.verdict == model.evidence.verdict
    assert [s.reasons for s in fresh.summaries] == [s.reasons for s in model.evidence.summaries]
    over = gather_kinds(model.study, model.barred)
    assert sentence_over(over) == sentence_over(model.over)


# The picture


def line_place(chart: TradeOffChart, key: str, value: float) -> QPoint:
    """Where on the chart a limit's line stands, away from its text."""
    view = chart.getPlotItem().vb
    box = view.sceneBoundingRect()
    y = view.mapViewToScene(QPointF(0, value)).y()
    return chart.mapFromScene(QPointF(box.left() + box.width() * 0.6, y))


def pull(port: QWidget, to: QPoint) -> None:
    """Move the mouse with its left button held, which QTest can't."""
    where = QPointF(to)
    moved = QMouseEvent(
        QEvent.Type.MouseMove,
        where,
        QPointF(port.mapToGlobal(to)),
        Qt.MouseButton.NoButton,
        LEFT,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(port, moved)


def test_a_limit_is_dragged_and_the_verdict_follows(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.resize(1280, 800)
    page = ready(demo_window, qtbot)
    chart, study = page.chart, demo_window.model.study
    seen, moved = list[str](), list[float]()
    chart.limit_moved.connect(lambda _line, to: moved.append(round(to, 6)))
    demo_window.model.limits_tried.connect(lambda: seen.append(page.panel.title.text()))
    begin, end = (line_place(chart, "vmaf_mean", v) for v in (88.0, 89.7))
    port = chart.viewport()
    qtbot.mouseMove(port, begin)
    qtbot.wait(50)
    qtbot.mousePress(port, LEFT, pos=begin)
    for step in range(1, 11):
        pull(port, begin + (end - begin) * step / 10)
        qtbot.wait(30)  # the chart takes a hundred moves a second at the most
        if step == 9:
            assert study.facts().limits.get("vmaf_mean") == 88, "nothing is kept while it is dragged"
    qtbot.mouseRelease(port, LEFT, pos=end)
    assert len(seen) >= 5
    assert moved == sorted(moved), "nothing moves under the hand"
    kept = study.facts().limits.get("vmaf_mean")
    assert kept == pytest.approx(89.7, abs=0.15)
    assert page.panel.title.text() == "x264 medium"
    assert page.limits.fields["vmaf_mean"].value() == kept
    assert chart._lines["vmaf_mean"].value() == pytest.approx(kept, abs=0.06)


@pytest.mark.parametrize("view", [0, 1, 2])
def test_what_lies_where(demo_window: MainWindow, qtbot: QtBot, view: int) -> None:
    """Marks stand at the numbers of the summaries; those that are not acceptable are hollow; the edge is right."""
    page = ready(demo_window, qtbot)
    page.view.setCurrentIndex(view)
    page.draw()
    e, shown = demo_window.model.evidence, page.chart.shown
    assert shown is not None
    across, up = ((TIME, QUALITY), (TIME, SIZE), (SIZE, QUALITY))[view]
    films = e.facts.worth.exports_a_film
    value = {
        TIME: lambda s: s.usual_s + s.first_s / films,
        SIZE: lambda s: s.bytes / 1e6,
        QUALITY: lambda s: s.vmaf.mean,
    }
    spots = {p.data(): p for p in page.chart.spots.points()}
    drawn = [s for s in e.summaries if s.usual_s and s.bytes and s.vmaf]
    assert set(spots) == {s.contender.contender_id for s in drawn}
    for s in drawn:
        spot = spots[s.contender.contender_id]
        assert spot.pos().x() == pytest.approx(value[across](s))
        assert spot.pos().y() == pytest.approx(value[up](s))
        filled = spot.brush().color().name() != QGuiApplication.palette().base().color().name()
        assert filled == bool(s.acceptable)
    sign = -1 if up == QUALITY else 1
    unbeaten = {
        (value[across](s), value[up](s))
        for s in drawn
        if not any(
            value[across](o) <= value[across](s)
            and sign * value[up](o) <= sign * value[up](s)
            and (value[across](o), value[up](o)) != (value[across](s), value[up](s))
            and not o.faults
            for o in drawn
        )
        and not s.faults
    }
    by_label = {s.contender.label: (value[across](s), value[up](s)) for s in drawn}
    assert {by_label[shown.points[n].label] for n in shown.edge} == unbeaten


def overlaps(boxes: list[tuple[str, QRectF]]) -> list[tuple[str, str]]:
    found = []
    for (one, a), (other, b) in itertools.combinations(boxes, 2):
        both = a.intersected(b)
        if both.width() > 1 and both.height() > 1:
            found.append((one, other))
    return found


@pytest.mark.parametrize("count", [1, 11, 42, pytest.param(200, marks=pytest.mark.sweep)])
def test_texts_in_the_picture_cover_no_other(
    open_window: Open, demo_copy: Path, tmp_path: Path, qtbot: QtBot, count: int
) -> None:
    """At any size, in any view, zoomed in and out: the choice and the baseline are named, nothing lies over another
    text, none leaves the picture."""
    window = crowd(open_window, demo_copy, tmp_path, count)
    window.resize(1280, 800)
    page = ready(window, qtbot)
    for view, size in itertools.product(range(3), ((1280, 800), (1920, 1080))):
        window.resize(*size)
        page.view.setCurrentIndex(view)
        page.draw()
        for zoomed in (False, True):
            if zoomed:
                page.chart.zoom(0.5)
            qtbot.wait(30)
            page.chart.labels.place_now()
            texts = page.chart.labels.shown
            limits_ = [
                (x.label.textItem.toPlainText(), b)
                for x, b in zip(page.chart._lines.values(), page.chart._limit_boxes(), strict=True)
            ]
            assert overlaps([*texts, *limits_]) == []
            area = page.chart.getPlotItem().vb.sceneBoundingRect().adjusted(-2, -2, 2, 2)
            assert all(area.contains(box) for _text, box in texts)
            if not zoomed and window.model.evidence.choice:
                assert any("the choice" in text for text, _box in texts), (view, size, texts, limits_)
    assert len(texts) < 30


def test_keys_walk_the_marks_and_zoom(own_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(own_window, qtbot)
    chart, model = page.chart, own_window.model
    chart.setFocus()
    order = sorted(chart.shown.points, key=lambda p: (p.values[TIME], p.contender_id))  # type: ignore[union-attr]
    model.select(order[0].contender_id)
    for point in order[1:4]:
        qtbot.keyClick(chart, Qt.Key.Key_Right)
        assert model.selection == point.contender_id
        assert point.label in chart.accessibleDescription()
    view = chart.getPlotItem().vb
    wide = view.viewRect().width()
    qtbot.keyClick(chart, Qt.Key.Key_Plus)
    assert view.viewRect().width() == pytest.approx(0.7 * wide)
    qtbot.keyClick(chart, Qt.Key.Key_0)
    assert view.viewRect().width() == pytest.approx(wide)


def test_hovering_says_all_and_a_click_selects(demo_window: MainWindow, qtbot: QtBot) -> None:
    page = ready(demo_window, qtbot)
    one = next(p for p in page.chart.shown.points if p.label == "x265 fast")  # type: ignore[union-attr]
    view = page.chart.getPlotItem().vb
    place = page.chart.mapFromScene(view.mapViewToScene(QPointF(*page.chart.shown.place(one))))  # type: ignore[union-attr]
    qtbot.mouseMove(page.chart.viewport(), place)
    found = next(s for s in demo_window.model.evidence.summaries if s.contender.label == "x265 fast")
    qtbot.waitUntil(lambda: page.said.text().startswith(f"x265 fast: {found.cost_s:.2f} s"))
    assert "212 kB" in page.said.text()
    assert "mean VMAF 85.1 is under the floor of 88" in page.said.text()
    qtbot.mouseClick(page.chart.viewport(), LEFT, pos=place)
    qtbot.waitUntil(lambda: demo_window.model.summary.contender.label == "x265 fast")


def test_a_decade_of_times_gets_a_logarithmic_axis(demo_window: MainWindow) -> None:
    e = demo_window.model.evidence
    plain = trade_off(e, (TIME, SIZE))
    assert not plain.across.log
    log = trade_off(e, (TIME, SIZE), log=True)
    assert log.across.place(100.0) == pytest.approx(2.0)
    assert log.across.value(log.across.place(3.7)) == pytest.approx(3.7)
    assert not trade_off(e, (TIME, QUALITY), log=True).up.log


def test_fastest_to_delivered_is_another_choice(demo_window: MainWindow, qtbot: QtBot) -> None:
    """On a slow line the smallest file is delivered first: by hand, what comes first + T + 8 · bytes / line."""
    page = ready(demo_window, qtbot)
    demo_window.model.set_limits(limits())
    worth = demo_window.model.evidence.facts.worth
    demo_window.model.set_worth(replace(worth, line_mbit_s=0.5))
    page.aim.setCurrentIndex(1)
    page.aim.activated.emit(1)
    e = demo_window.model.evidence
    able = [s for s in e.summaries if s.acceptable]
    films = worth.exports_a_film
    total = {s.contender.label: s.first_s / films + s.usual_s + 8e-6 * s.bytes / 0.5 for s in able}
    assert page.panel.title.text() == min(total, key=total.__getitem__)
    assert f"at {min(total.values()):.2f} s" in lead_of(e)
    assert gather(demo_window.model.study).verdict.ids == e.verdict.ids
    base = e.of(e.facts.baseline_id)
    figures = dict(page.panel.shown.figures)
    assert figures["whole cost"].startswith(f"{min(total.values()):.2f} s: ")
    quotient = (base.first_s / films + base.usual_s + 8e-6 * base.bytes / 0.5) / min(total.values())
    assert figures[f"against {base.contender.label}"].startswith(f"×{quotient:.2f} (")


# The ranking


def test_the_ranking_sorts_filters_and_is_copied(demo_window: MainWindow, qtbot: QtBot) -> None:
    demo_window.go("verdict")
    station = demo_window.stations["verdict"]
    station.show_page(1)
    page, e = station.ranking, demo_window.model.evidence
    heading = page.table.horizontalHeader()
    size = next(n for n, c in enumerate(page.columns) if c.key == "size")
    place = QPoint(heading.sectionViewportPosition(size) + 10, heading.height() // 2)
    for falling in (False, True):
        qtbot.mouseClick(heading.viewport(), LEFT, pos=place)
        sizes = [e.of(key).bytes for key in page.table.keys]  # type: ignore[union-attr]
        known = [s for s in sizes if s]
        assert known == sorted(known, reverse=falling)
        assert sizes[len(known) :] == [None] * (len(sizes) - len(known))
    assert page.table.horizontalHeaderItem(size).text() == "Size ▼"
    qtbot.keyClicks(page.filter, "svt -mov")
    assert [e.of(k).contender.label for k in page.table.keys] == [
        "SVT-AV1 11 10 bit mp4",
        "SVT-AV1 8 10 bit mp4",
    ]  # type: ignore[union-attr]
    assert page.count.text() == "2 of 13"
    page.show_column("to_pass", True)
    page.show_column("factor preset", True)
    [csv] = [b for b in buttons(page) if b.text() == "Copy as CSV"]  # type: ignore[arg-type]
    qtbot.mouseClick(csv, LEFT)
    rows = QGuiApplication.clipboard().text().splitlines()
    assert rows[0].startswith("Contender,")
    assert "To pass" in rows[0]
    assert "Preset" in rows[0]
    assert len(rows) == 3
    assert rows[1].startswith("SVT-AV1 11 10 bit mp4,")


def test_the_first_reason_stands_in_place_of_a_no(own_window: MainWindow) -> None:
    page = own_window.stations["verdict"].ranking
    last = page.table.columnCount() - 1
    texts = {
        page.table.item(r, 0).text(): page.table.item(r, last).text() for r in range(page.table.rowCount())
    }
    assert texts["x264 superfast"] == "✕ Size 3.4 too high"
    assert texts["x264 medium from ProRes LT"] == "✓ the choice"
    assert texts["H.264 NVENC p4"].startswith(("✕ failed: ", "✕ can't run: "))


def test_intervals_are_written_in_four_figures_at_the_most() -> None:
    wide = ratio_words(Ratio(1.5, 0.21, 11456692.19, 2))
    assert wide == "×1.5, at least ×0.2"
    assert len(ratio_words(Ratio(123.4, 120.0, 130.0, 5))) < 24


def test_all_of_a_line_is_read_on_its_own_page(
    open_window: Open, demo_copy: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    window = crowd(open_window, demo_copy, tmp_path, 42)
    page = ready(window, qtbot)
    found = window.model.evidence.verdict.faster
    [all_] = [b for b in buttons(page) if b.accessibleName() == f"All {len(found)} of Faster"]
    qtbot.mouseClick(all_, LEFT)
    reasons = window.stations["verdict"].reasons
    assert reasons.isVisible()
    texts = {w.text() for w in reasons.findChildren(QLabel)}
    for f in found:
        assert faster_words(f, window.model.evidence.label(f.contender_id)) in texts


# The roster


def test_the_roster_sorts_filters_and_folds(demo_window: MainWindow, qtbot: QtBot) -> None:
    roster, e = demo_window.roster, demo_window.model.evidence
    assert not roster.list.is_folded
    tall = roster.list.box_of(0).height()
    for key, value in (
        ("time", lambda s: s.usual_s if s.usual_s else np.inf),
        ("size", lambda s: s.bytes if s.bytes else np.inf),
        ("quality", lambda s: -s.vmaf.mean if s.vmaf else np.inf),
    ):
        roster.order.setCurrentIndex(roster.order.findData(key))
        roster.order.activated.emit(roster.order.currentIndex())
        assert [value(s) for s in roster.list.found] == sorted(value(s) for s in e.summaries)
    qtbot.mouseClick(roster.list, LEFT, pos=roster.list.box_of(3).center())
    assert demo_window.model.selection == roster.list.found[3].contender.contender_id
    qtbot.mouseClick(roster.fold, LEFT)
    assert roster.list.box_of(0).height() < tall / 2 + 1
    qtbot.mouseClick(roster.list, LEFT, pos=roster.list.box_of(5).center())
    assert demo_window.model.selection == roster.list.found[5].contender.contender_id
    qtbot.keyClicks(roster.filter, "x265")
    assert [s.contender.label for s in roster.list.found] == ["x265 fast"]


def test_many_are_folded_by_themselves(
    open_window: Open, demo_copy: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    window = crowd(open_window, demo_copy, tmp_path, 42)
    assert window.roster.list.is_folded
    assert window.roster.fold.isChecked()
    last = window.model.evidence.summaries[-1].contender.contender_id
    window.model.select(last)
    bar = window.roster.area.verticalScrollBar()
    qtbot.waitUntil(lambda: bar.value() > 0)


def test_before_anything_is_scored_times_and_sizes_are_shown(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    for contender, wall in ((1, 2.0), (2, 3.0)):
        add_run(window.model.study, contender, 1, wall)
    window.model.refresh()
    window.go("verdict")
    page = window.stations["verdict"].choice
    assert len(page.chart.shown.points) == 2
    assert (page.chart.shown.across.key, page.chart.shown.up.key) == (TIME, SIZE)
    assert page.said.text().startswith("nothing has been scored yet")
    assert not page.quality.isVisible()
    scored(window.model.study, 1, [95.0] * 30)
    window.model.refresh()
    assert page.chart.shown.up.key == QUALITY
    assert page.quality.isVisible()


def test_curves_and_measures_of_size_lie_where_the_marks_do(demo_window: MainWindow) -> None:
    """Bits per pixel by hand: of a file without much sound, its bits over frames and pixels."""
    demo_window.go("verdict")
    page = demo_window.stations["verdict"].choice
    page.view.setCurrentIndex(VIEWS.index((SIZE, QUALITY)))
    page.draw()
    e, shown = demo_window.model.evidence, page.chart.shown
    assert len(shown.curves) == 3
    places = {p.contender_id: (p.values[SIZE], p.values[QUALITY]) for p in shown.points}
    for line in shown.curves:
        own = [point for point, searched in zip(line.points, line.searched, strict=True) if not searched]
        assert all(any(point == pytest.approx(place, rel=1e-6) for place in places.values()) for point in own)
        assert any(line.searched)
    page.measure.setCurrentIndex(page.measure.findData(PER_PIXEL))
    page.draw()
    assert page.chart.shown.across.title == "Bits per pixel"
    assert page.chart.shown.curves == ()
    p = next(p for p in page.chart.shown.points if p.label == "x264 medium")
    size = next(s.bytes for s in e.summaries if s.contender.label == "x264 medium")
    assert 0.8 < p.values[SIZE] / (8 * size / (60 * 1280 * 720)) < 1.0
    page.measure.setCurrentIndex(0)
    page.view.setCurrentIndex(0)
    page.draw()
