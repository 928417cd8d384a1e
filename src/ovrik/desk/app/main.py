"""Start the window."""

import gc
import signal
import sys
import threading
from pathlib import Path

import pyqtgraph as pg
from PyQt6.QtCore import QByteArray, QCoreApplication, QEvent, QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QWidget

import ovrik
from ovrik.desk.app.window import MainWindow
from ovrik.desk.files.recent import geometry, keep_geometry
from ovrik.desk.style import theme
from ovrik.desk.style.plain_tips import PlainTips
from ovrik.errors import OvrikError
from ovrik.log import note
from ovrik.store.study import Study

SETTLED_MS = 2000
_kept: list[QApplication] = []
"""Qt ends with its application, so it has to outlive every window."""


def application() -> QApplication:
    """The one application object, dressed."""
    found = QApplication.instance()
    app = found if isinstance(found, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Ovrik")
    app.setDesktopFileName("ovrik")
    app.setWindowIcon(QIcon(str(Path(ovrik.__file__).parent / "desk" / "data" / "ovrik.svg")))
    theme.load_typeface()
    if found is None:
        _kept.append(app)
        PlainTips(app)
    theme.apply_theme(app)
    pg.setConfigOptions(antialias=True, foreground=theme.tones().ink, background=theme.tones().sheet)
    return app


def run_desk(study: Path | None = None, demo: bool = False) -> int:
    """Open the window on a study, on the demo, or on nothing; gives the exit code."""
    opened = Study.open(study) if study else None
    app = application()
    window = MainWindow(opened, demo)
    if state := geometry():
        window.restoreGeometry(QByteArray(state))  # Qt brings it into view where a screen is gone
    catch_errors(window)
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
    QTimer.singleShot(SETTLED_MS, _collect_again)
    app.aboutToQuit.connect(lambda: keep_geometry(bytes(window.saveGeometry().data())))
    code = app.exec()
    take_down(window)
    return code


def take_down(window: QWidget) -> None:
    """Close a window and end it now, with all that is in it: not when Python happens to, with Qt half gone."""
    window.close()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    QCoreApplication.processEvents()


def _collect_again() -> None:
    """From here on garbage is collected, but what start-up loaded is not gone through each time."""
    gc.freeze()
    gc.enable()


class Caught(QObject):
    """Brings an error from whatever thread it happened in to the window."""

    happened = pyqtSignal(str)


def catch_errors(window: MainWindow) -> Caught:
    """Errors that nobody foresaw are written down and shown; the window lives on."""
    caught = Caught(window)
    caught.happened.connect(lambda words: window.strip.rest(words, trouble=True))

    def take(error: BaseException | None) -> None:
        if isinstance(error, OvrikError):
            caught.happened.emit(str(error))
        elif error is not None and not isinstance(error, KeyboardInterrupt | SystemExit):
            caught.happened.emit(note(error))

    sys.excepthook = lambda _kind, error, _trace: take(error)
    threading.excepthook = lambda said: take(said.exc_value)
    return caught


def _dress_anew(app: QApplication, window: MainWindow) -> None:
    theme.apply_theme(app)
    window.dress_anew()
