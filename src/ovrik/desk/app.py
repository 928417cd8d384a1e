"""Start the window."""

import signal
import sys
from pathlib import Path

import pyqtgraph as pg
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from ovrik.desk import theme
from ovrik.desk.window import MainWindow
from ovrik.store.study import Study


def application() -> QApplication:
    """The one application object, dressed."""
    found = QApplication.instance()
    app = found if isinstance(found, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Ovrik")
    app.setDesktopFileName("ovrik")
    theme.load_typeface()
    theme.apply_theme(app)
    pg.setConfigOptions(antialias=True, foreground=theme.tones().ink, background=theme.tones().sheet)
    return app


def run_desk(study: Path | None = None, demo: bool = False) -> int:
    """Open the window on a study, on the demo, or on nothing; gives the exit code."""
    opened = Study.open(study) if study else None
    app = application()
    window = MainWindow(opened, demo)
    hints = app.styleHints()
    if hints:
        hints.colorSchemeChanged.connect(lambda _scheme: _dress_anew(app, window))
    signal.signal(signal.SIGINT, lambda *_: window.close())
    signal.signal(signal.SIGTERM, lambda *_: window.close())
    # Python handles signals only when its interpreter runs: a slow timer sees to that.
    beat = QTimer()
    beat.start(500)
    beat.timeout.connect(lambda: None)
    window.show()
    return app.exec()


def _dress_anew(app: QApplication, window: MainWindow) -> None:
    theme.apply_theme(app)
    window.dress_anew()
