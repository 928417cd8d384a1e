"""What is removed comes back where it was, by one key."""

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from added_runs import add_run
from ovrik.desk.app.window import MainWindow
from ovrik.desk.model.undo import Undo
from ovrik.study.question.limits import limits

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.mark.parametrize("timed", [False, True])
def test_a_contender_comes_back_in_its_place(tiny_window: MainWindow, qtbot: QtBot, timed: bool) -> None:
    window, study = tiny_window, tiny_window.model.study
    if timed:
        add_run(study, 1, 1, 2.0)
        window.model.refresh()
    before = study.contenders()
    window.go("lineup")
    window.model.select(1)
    qtbot.keyClick(window, Qt.Key.Key_Delete, CTRL)
    assert [c.recipe for c in study.contenders()] == [c.recipe for c in before[1:]]
    assert study.facts().baseline_id != 1
    assert window.strip.words.text() == f"Removed: {before[0].label}. Ctrl+Z puts it back."
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    after = study.contenders()
    assert [c.label for c in after] == [c.label for c in before]
    assert study.facts().baseline_id == after[0].contender_id
    assert len([r for r in study.runs() if r.contender_id == after[0].contender_id]) == timed
    assert f"Put back: {before[0].label}" in window.strip.words.text()
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.strip.words.text() == "Nothing was removed in this window."


def test_limits_notes_and_excerpts_come_back_the_last_first(tiny_window: MainWindow, qtbot: QtBot) -> None:
    model = tiny_window.model
    asked = limits(vmaf_mean=90.0, seconds=4.0)
    model.set_limits(asked)
    model.keep_excerpt("opening")
    model.pin("too soft", (0.1, 0.1, 0.2, 0.2))
    model.set_limits(limits(vmaf_mean=90.0))
    model.drop_excerpt()
    model.drop_pin(model.evidence.pins[0])
    assert (model.evidence.excerpt_name, len(model.evidence.pins)) == ("", 0)
    assert model.put_back() == "the note “too soft”"
    assert model.evidence.pins[0].words == "too soft"
    assert model.put_back() == "“opening”"
    assert model.evidence.excerpt_name == "opening"
    assert model.put_back() == "a limit"
    assert model.evidence.facts.limits == asked
    assert model.put_back() == ""


def test_a_limit_that_was_exchanged_or_unticked_comes_back_and_one_that_moved_does_not(
    tiny_window: MainWindow,
) -> None:
    model = tiny_window.model
    for before, after, back in (
        (limits(True, vmaf_mean=90.0), limits(vmaf_mean=90.0), True),
        (limits(vmaf_mean=90.0), limits(seconds=4.0), True),
        (limits(vmaf_mean=90.0), limits(vmaf_mean=91.0), False),
        (limits(vmaf_mean=90.0), limits(vmaf_mean=90.0, seconds=4.0), False),
    ):
        model.set_limits(before)
        model.undo = Undo()
        model.set_limits(after)
        assert model.put_back() == ("a limit" if back else "")
        assert model.evidence.facts.limits == (before if back else after)
