"""What comes first, timed and ranked in the window."""

from collections.abc import Callable
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot
from test_working_window import LEFT, LONG_MS, wait_idle

from calm import CALM
from ovrik.desk.app.window import MainWindow
from ovrik.desk.stations.timing.first_page import FirstPage
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.intermediate import intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all


@pytest.fixture
def rendering(tmp_path: Path, footage: Footage, open_window: Callable[[Study], MainWindow]) -> MainWindow:
    """A study of an export from two intermediates, each made once."""
    study = Study.create(tmp_path / "f.ovrik", "f", of_clip(footage), whole(footage), rounds=1, warmup=0)
    study.set_conduct(CALM)
    for into in ("prores-lt", "prores-hq"):
        study.add_contender(
            Contender(
                "bundled", recipe("libx264", "ultrafast", 30), prerendered=intermediate(into), label=into
            )
        )
    assert time_all(study, remaining(study, [1, 2], 1))
    return open_window(study)


def shown(page: FirstPage) -> list[list[str]]:
    table = page.table
    return [
        [table.item(row, column).text() for column in range(table.columnCount())]  # type: ignore[union-attr]
        for row in range(table.rowCount())
    ]


def test_it_is_made_so_often_and_ranked_and_nothing_is_exported(rendering: MainWindow, qtbot: QtBot) -> None:
    window = rendering
    window.go("timing")
    station = window.stations["timing"]
    station.turn_to("first")
    page = station.first
    assert [row[3] for row in shown(page)] == ["1", "1"]
    runs = len(window.model.study.runs())
    page.times.setValue(3)
    qtbot.mouseClick(page.begin, LEFT)
    assert not page.begin.isEnabled(), "one thing at a time"
    qtbot.waitUntil(lambda: page.begin.isEnabled() and shown(page)[0][3] == "3", timeout=LONG_MS)
    rows = shown(page)
    assert [row[3] for row in rows] == ["3", "3"]
    usual = [float(row[1].removesuffix(" s")) for row in rows]
    assert usual == sorted(usual)
    for row, seconds in zip(rows, usual, strict=True):
        low, high = map(float, row[2].removesuffix(" s").split(" to "))
        assert low <= seconds <= high
    assert {row[5] for row in rows} == {"prores-lt", "prores-hq"}
    assert len(window.model.study.runs()) == runs
    assert window.model.evidence.choice is None or window.model.evidence.choice.contender.contender_id


def test_where_nothing_comes_first_it_says_what_would(tiny_window: MainWindow, qtbot: QtBot) -> None:
    tiny_window.go("timing")
    tiny_window.stations["timing"].turn_to("first")
    page = tiny_window.stations["timing"].first
    assert shown(page) == []
    assert "Add a contender that is pre-rendered" in page.said.text()
    qtbot.mouseClick(page.begin, LEFT)
    wait_idle(tiny_window, qtbot)
    assert "Nothing comes first here" in tiny_window.strip.words.text()
