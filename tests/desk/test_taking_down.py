"""A window ends before Qt does: one that outlived it brought the process down when it was closed early."""

import sys
from pathlib import Path

import pytest
from PyQt6 import sip
from PyQt6.QtWidgets import QApplication, QWidget

from ovrik.desk.app import main
from ovrik.desk.app.main import run_desk, take_down
from ovrik.desk.app.window import MainWindow
from ovrik.store.study import Study


def test_what_is_taken_down_is_gone_with_all_that_is_in_it(qapp: QApplication) -> None:
    window = QWidget()
    inside = QWidget(window)
    window.show()
    take_down(window)
    assert sip.isdeleted(window)
    assert sip.isdeleted(inside)


def test_a_window_is_gone_when_the_application_has_ended(
    qapp: QApplication, study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    made: list[MainWindow] = []
    monkeypatch.setattr(main, "catch_errors", made.append)  # nor are the tests' own errors caught
    monkeypatch.setattr(QApplication, "exec", lambda _app: 3)
    monkeypatch.setattr(main.signal, "signal", lambda *_a: None)
    hook = sys.excepthook
    assert run_desk(Path(study.path)) == 3
    assert sip.isdeleted(made[0])
    assert sys.excepthook is hook
