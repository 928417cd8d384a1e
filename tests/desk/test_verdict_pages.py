"""The verdict's other pages by clicks and keys: by factor, equal quality, all footage, worth."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from added_runs import add_run, scored
from moving_clip import write_moving
from ovrik.analysis.scores.search import MOST_ENCODES
from ovrik.desk.app.window import MainWindow
from ovrik.desk.stations.verdict.factor_page import EffectBar
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.limits import limits

Open = Callable[[Study], MainWindow]
LEFT = Qt.MouseButton.LeftButton
LONG_MS = 90_000


def button_of(page: QWidget, name: str) -> QPushButton:
    [found] = [b for b in page.findChildren(QPushButton) if b.accessibleName() == name and b.isVisible()]
    return found


def idle(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.runner.job is None and not window.runner.small_jobs, timeout=LONG_MS)


def typed(qtbot: QtBot, field: QWidget, text: str) -> None:
    field.setFocus()
    field.selectAll()  # type: ignore[attr-defined]
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


@pytest.fixture
def grid(study: Study, open_window: Open) -> MainWindow:
    """Two presets at two qualities, timed: the faster preset gains 30 % less at the coarser quality."""
    for c in study.contenders():
        study.drop_contender(c.contender_id)
    wanted = [
        Contender("bundled", recipe("libx264", preset, quality))
        for preset in ("medium", "ultrafast")
        for quality in (20, 30)
    ]
    made = study.add_contenders(labelled(wanted))
    seconds = (4.0, 4.0, 2.0, 2.9)
    for c, wall in zip(made, seconds, strict=True):
        scored(study, c.contender_id, [95.0] * 30)
        for number in range(1, 6):
            add_run(study, c.contender_id, number, wall * (1 + 0.001 * number))
    return open_window(Study.open(study.path))


def test_by_factor_says_and_draws_what_each_level_brings(grid: MainWindow, qtbot: QtBot) -> None:
    grid.go("verdict")
    station = grid.stations["verdict"]
    station.turn_to("factors")
    page = station.factors
    said = {s.split(" ")[0]: s for s in page.sentences}
    assert said["ultrafast"] == (
        "ultrafast against medium depends on quality or bit rate: "
        "from 50 % less time at CRF 20 to 28 % less time at CRF 30."
    )
    bars = [b for b in page.findChildren(EffectBar) if b.isVisible()]
    assert len(bars) == len(page.sentences) == 2
    assert any("CRF 20: ×2.00" in b.toolTip() for b in bars)
    which = page.which
    which.setCurrentIndex(which.findData("preset"))
    which.activated.emit(which.currentIndex())
    assert len(page.sentences) == 1


@pytest.fixture
def two_kinds(study: Study, open_window: Open, tmp_path: Path) -> MainWindow:
    study.drop_contender(3)
    study.set_excerpt(Excerpt(0, 20))
    study.keep_excerpt("interview", Excerpt(0, 20))
    study.add_kind("sport", of_clip(probe(write_moving(tmp_path / "sport.mkv", 1.0))), Excerpt(0, 20))
    return open_window(Study.open(study.path))


def test_all_footage_is_timed_and_weighed_from_the_window(two_kinds: MainWindow, qtbot: QtBot) -> None:
    window = two_kinds
    window.go("verdict")
    station = window.stations["verdict"]
    station.turn_to("kinds")
    assert station.kinds.sentence.text().startswith("Fewer than two kinds were timed")
    window.go("timing")
    timing = window.stations["timing"]
    assert timing.every_excerpt.isVisible()
    timing.every_excerpt.setChecked(True)
    timing.rounds.setValue(1)
    qtbot.mouseClick(timing.start, LEFT)
    idle(window, qtbot)
    counted = [r for r in window.model.study.runs() if r.counts]
    assert len({(r.contender_id, r.programme) for r in counted}) == 4
    window.go("verdict")
    page = station.kinds
    assert len({r.output for r in counted}) == 4
    assert (
        "is the fastest acceptable way to export" in page.sentence.text() or "leads" in page.sentence.text()
    )
    assert [page.table.horizontalHeaderItem(n).text() for n in (1, 2, 3)] == [
        "interview",
        "sport",
        "Over all",
    ]
    typed(qtbot, page.weights["sport"], "3")
    assert [k.weight for k in window.model.study.kinds()] == [1.0, 3.0]
    over = window.model.over
    usual = [e.summaries[0].usual_s for e in over.each]
    assert over.usual_s(0) == pytest.approx(usual[0] ** 0.25 * usual[1] ** 0.75)
    qtbot.wait(20)
    qtbot.mouseClick(button_of(page, "Show sport"), LEFT)
    assert window.model.study.programme().name == "sport.mkv"
    assert "sport" in window.roster.about.text()
    qtbot.wait(20)
    qtbot.mouseClick(button_of(page, "Forget interview"), LEFT)
    assert [k.name for k in window.model.study.kinds()] == ["sport"]


def test_footage_is_added_as_another_kind(
    tiny_window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    clip = write_moving(tmp_path / 'a "fast" one\'s.mkv', 1.0)
    monkeypatch.setattr(
        "ovrik.desk.files.actions.QFileDialog.getOpenFileNames", lambda *_a, **_k: ([str(clip)], "")
    )
    tiny_window.go("verdict")
    station = tiny_window.stations["verdict"]
    station.turn_to("kinds")
    qtbot.wait(20)
    qtbot.mouseClick(button_of(station.kinds, "Add footage…"), LEFT)
    qtbot.waitUntil(lambda: len(tiny_window.model.study.kinds()) == 2, timeout=LONG_MS)
    assert [k.name for k in tiny_window.model.study.kinds()] == ["tiny clip", 'a "fast" one\'s']


def test_equal_quality_is_searched_from_the_window(tiny_window: MainWindow, qtbot: QtBot) -> None:
    window = tiny_window
    window.go("verdict")
    station = window.stations["verdict"]
    station.turn_to("equal")
    page = station.equal
    assert page.list.count() == 2
    page.list.item(1).setCheckState(Qt.CheckState.Unchecked)
    typed(qtbot, page.floor, "80")
    qtbot.mouseClick(page.start, LEFT)
    idle(window, qtbot)
    study = window.model.study
    points = study.search_points(study.programme().checksum, study.facts().excerpt)
    assert 1 <= len(points) <= MOST_ENCODES
    assert len({p.recipe.quality for p in points}) == len(points)
    found = [p for p in points if p.values["vmaf_mean"] >= 80]
    just = min(found, key=lambda p: p.values["vmaf_mean"])
    settings = {round(p.recipe.quality, 1): p.values["vmaf_mean"] for p in points}
    # Near enough, or the very next setting is below: this clip's noise makes quality jump.
    assert just.values["vmaf_mean"] <= 80.5 or settings[round(just.recipe.quality + 0.1, 1)] < 80
    new = study.contenders()[-1]
    assert new.recipe.quality == just.recipe.quality
    assert (new.recipe.encoder, new.recipe.preset) == ("libx264", "veryfast")
    cell = page.table.item(0, 2).text()
    assert cell == f"CRF {just.recipe.quality:g}: {just.values['vmaf_mean']:.1f}"
    assert "encodes of searches are on file" in page.said.text()


def test_what_it_is_worth(grid: MainWindow, qtbot: QtBot) -> None:
    grid.go("verdict")
    station = grid.stations["verdict"]
    station.turn_to("worth")
    page, study = station.worth, grid.model.study
    for key, text in (("exports_a_week", "20"), ("minutes", "30"), ("an_hour", "50")):
        typed(qtbot, page.fields[key], text)
    worth = study.facts().worth
    assert (worth.exports_a_week, worth.minutes, worth.an_hour) == (20, 30, 50)
    # 30 frames are 1.2 s: 4 s against 2 s for each, so 1800 s · (4 − 2) / 1.2 s a half hour, 20 times.
    saved = 20 * 1800 * 2.0 / 1.2 / 3600
    assert f"saves {saved:.1f} hours a week" in page.sentence.text()
    fast = next(s for s in grid.model.evidence.summaries if s.standing == "choice")
    grid.model.select(fast.contender.contender_id)
    typed(qtbot, page.price, "1000")
    assert study.facts().worth.price_of(fast.contender.contender_id) == 1000
    row = page.table.keys.index(fast.contender.contender_id)
    each = saved / 20 * 50
    assert page.table.item(row, 8).text() == f"{-(-1000 // each):.0f} exports"
    grid.model.set_limits(limits(vmaf_mean=99))
    assert page.sentence.text() == "Nothing acceptable was timed yet."
