"""What the Study menu and the Help menu hold."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QToolButton, QWidget

from ovrik.desk.dialogs.guide import Guide
from ovrik.desk.files.actions import Files
from ovrik.desk.files.recent import recent
from ovrik.desk.jobs.study_jobs import StudyJobs

MenuItem = tuple[str, str, Callable[[], object]] | tuple[str, "Sequence[MenuItem]"] | None
"""Text, shortcut and act; or a title and what its own menu holds; or a line between."""


def study_menu(window: QWidget, files: Files, jobs: StudyJobs) -> QToolButton:
    """Files: new ones, open ones, and all that a study is passed on as."""
    passed_on: Sequence[MenuItem] = (
        ("Report as HTML…", "Ctrl+P", lambda: files.write("report", ".html")),
        ("Report as PDF…", "Ctrl+Shift+P", lambda: files.write("report", ".pdf")),
        ("Spreadsheet (.ods)…", "", lambda: files.write("spreadsheet", ".ods")),
        ("Contenders as CSV…", "", lambda: files.write("contenders", ".csv")),
        ("Runs as CSV…", "", lambda: files.write("runs", ".csv", runs=True)),
        ("Everything as JSON…", "", lambda: files.write("evidence", ".json")),
        None,
        ("Save plan as…", "Ctrl+S", files.save_plan),
        ("Write timeline as…", "", files.write_timeline),
        ("Study to send…", "", files.send),
        None,
        ("Copy the verdict as text", "Ctrl+Shift+C", files.copy_verdict),
        ("Copy the selected contender's settings", "", files.copy_settings),
    )
    items: Sequence[MenuItem] = (
        ("New study from clips or a timeline…", "Ctrl+N", files.new_from_source),
        ("New study from a plan…", "", files.new_from_plan),
        ("Open study…", "Ctrl+O", files.open_study),
        ("Open recent", ()),
        None,
        ("Put back what was removed last", "Ctrl+Z", files.this.put_back),
        ("Check the outputs now", "Ctrl+E", jobs.start_scoring),
        ("Check a sample of the outputs' frames", "Ctrl+Shift+E", jobs.sample_scoring),
        ("New sitting…", "", files.this.new_sitting),
        ("Rename this study…", "", files.this.rename),
        ("Lay beside other studies…", "", files.lay_beside),
        ("Unpack the outputs that it carries", "", files.unpack),
        ("Recover what can be read of a damaged one…", "", files.recover),
        None,
        ("Pass it on", passed_on),
        None,
        ("Quit", "Ctrl+Q", window.close),
    )
    made = _button(window, "Study ▾", "Study menu", items)
    menu = made.menu()
    lately = next(a.menu() for a in menu.actions() if a.text() == "Open recent") if menu else None
    if lately is not None:
        lately.aboutToShow.connect(lambda: _fill_recent(lately, files))
    return made


def _fill_recent(menu: QMenu, files: Files) -> None:
    menu.clear()
    found = recent()
    for number, path in enumerate(found, 1):
        # An ampersand in a name is no mnemonic.
        action = QAction(f"&{number % 10}  {path.name.replace('&', '&&')}", menu)
        action.setToolTip(str(path))
        action.triggered.connect(lambda _checked=False, path=path: files.open_path(path))
        menu.addAction(action)
    if not found:
        nothing = QAction("nothing yet", menu)
        nothing.setEnabled(False)
        menu.addAction(nothing)
    menu.setToolTipsVisible(True)


def help_menu(window: QWidget, guide: Guide) -> QToolButton:
    """What is on show, keys, method, formats, trust, about."""
    return _button(
        window,
        "Help ▾",
        "Help menu",
        (
            ("About what is on show", "F1", guide.show_here),
            ("Keys", "Shift+F1", guide.show_keys),
            None,
            ("Method: every number explained", "", lambda: guide.show_document("method")),
            ("Formats: every file explained", "", lambda: guide.show_document("formats")),
            ("Trust: what is run, and when it asks", "", lambda: guide.show_document("trust")),
            None,
            ("About Ovrik", "", guide.show_about),
        ),
    )


def _button(window: QWidget, text: str, name: str, items: Sequence[MenuItem]) -> QToolButton:
    made = QToolButton()
    made.setText(text)
    made.setAccessibleName(name)
    made.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
    made.setProperty("role", "menu")
    made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    made.setMenu(_menu(QMenu(made), window, items))
    return made


def _menu(menu: QMenu, window: QWidget, items: Sequence[MenuItem]) -> QMenu:
    for item in items:
        if item is None:
            menu.addSeparator()
        elif len(item) == 2:
            under = menu.addMenu(item[0])
            assert under is not None
            _menu(under, window, item[1])
        else:
            text, key, act = item
            action = QAction(text, window)
            action.setShortcut(QKeySequence(key))
            action.triggered.connect(lambda _checked=False, act=act: act())
            menu.addAction(action)
            window.addAction(action)
    return menu
