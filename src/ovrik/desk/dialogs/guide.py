"""Help: the documents that ship with Ovrik, the keys, and what it is made of."""

from collections.abc import Callable
from importlib import metadata
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QSplitter,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

import ovrik
from ovrik import __version__
from ovrik.desk.dialogs.guide_table import KEYS, PLACES
from ovrik.desk.style import theme
from ovrik.desk.widgets.text import button, label

TITLES = {"method": "Method", "formats": "Formats", "trust": "Trust"}
LIBRARIES = (
    ("PyQt6", "GPL-3.0"),
    ("PyQt6-Qt6", "LGPL-3.0"),
    ("numpy", "BSD-3-Clause"),
    ("scipy", "BSD-3-Clause"),
    ("av", "BSD-3-Clause, with FFmpeg under LGPL-2.1 or later"),
    ("imageio-ffmpeg", "BSD-2-Clause, with FFmpeg under GPL-3.0"),
    ("pyqtgraph", "MIT"),
    ("pydantic", "MIT"),
    ("psutil", "BSD-3-Clause"),
    ("nvidia-ml-py", "BSD-3-Clause"),
    ("watchdog", "Apache-2.0"),
    ("OpenTimelineIO", "Apache-2.0"),
    ("Jinja2", "BSD-3-Clause"),
    ("weasyprint", "BSD-3-Clause"),
    ("odfpy", "Apache-2.0 or GPL-2.0"),
    ("jeepney", "MIT"),
    ("platformdirs", "MIT"),
    ("psygnal", "BSD-3-Clause"),
    ("tomli-w", "MIT"),
    ("shtab", "Apache-2.0"),
)
"""What is used, with the licence that each states."""


def document(name: str) -> str:
    """One of the documents, as Markdown: from the package, or from the checkout that is used in place."""
    package = Path(ovrik.__file__).parent
    for folder in (package / "help", package.parents[1] / "docs"):
        if (folder / f"{name}.md").is_file():
            return (folder / f"{name}.md").read_text("utf-8")
    return f"The document is not there. It belongs into {package / 'help'}: install Ovrik anew."


def headings(text: str) -> list[str]:
    """The second- and third-level headings of a document, in order."""
    return [h.strip("# ") for h in text.splitlines() if h.startswith(("## ", "### "))]


class Guide:
    """The help of one window."""

    def __init__(self, window: QWidget, place: Callable[[], str]) -> None:
        """`place` says what is on show, by the names of `PLACES`."""
        self._window, self._place = window, place
        self.shown: GuideReader | None = None

    def show_here(self) -> None:
        """The section about what is on show."""
        name, heading = PLACES.get(self._place(), PLACES[""])
        self.show_document(name, heading)

    def show_document(self, name: str, heading: str = "") -> None:
        """A document, at a heading."""
        self._show(TITLES[name], document(name), heading)

    def show_keys(self) -> None:
        """Every key."""
        parts = ["# Keys"]
        for title, rows in KEYS:
            parts += [f"## {title}", "| key | what it does |", "|---|---|"]
            parts += [f"| {key} | {what} |" for key, what in rows]
            parts.append("")
        self._show("Keys", "\n".join(parts))

    def show_about(self) -> None:
        """Version, licence, and what it is made of."""
        lines = [
            f"# Ovrik {__version__}",
            "Finds the fastest acceptable way to export a film on this workstation, with the evidence.",
            "",
            "Free software under the GNU General Public License, version 3 or later, without any warranty. The "
            "typeface is Hanken Grotesk, under the SIL Open Font License 1.1.",
            "",
            "## Made with",
            "| library | version | licence |",
            "|---|---|---|",
        ]
        lines += [f"| {name} | {_version(name)} | {licence} |" for name, licence in LIBRARIES]
        self._show("About Ovrik", "\n".join(lines))

    def _show(self, title: str, text: str, heading: str = "") -> None:
        if self.shown is None:
            self.shown = GuideReader(self._window)
        self.shown.read(title, text, heading)
        self.shown.show()
        self.shown.raise_()
        self.shown.activateWindow()


def _version(name: str) -> str:
    try:
        return metadata.version(name)
    except metadata.PackageNotFoundError:
        return "not found"


class GuideReader(QDialog):
    """A document with its headings beside it, and a field to search it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.resize(theme.scaled(960), theme.scaled(680))
        self.list = QListWidget()
        self.list.setAccessibleName("Headings")
        self.list.currentTextChanged.connect(lambda text: self.go(text.strip()))
        self.text = QTextBrowser()
        self.text.setAccessibleName("Text")
        self.text.setOpenLinks(False)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Search")
        self.field.setAccessibleName("Search the text")
        self.field.returnPressed.connect(self.find_next)
        self.said = label("", "soft")
        bar = QHBoxLayout()
        bar.addWidget(self.field, 1)
        bar.addWidget(button("Find", self.find_next, hint="The next place"))
        bar.addWidget(self.said)
        bar.addWidget(button("Close", self.close))
        both = QSplitter()
        both.addWidget(self.list)
        both.addWidget(self.text)
        both.setStretchFactor(1, 1)
        both.setSizes([theme.scaled(220), theme.scaled(740)])
        column = QVBoxLayout(self)
        column.addLayout(bar)
        column.addWidget(both, 1)

    def read(self, title: str, text: str, heading: str = "") -> None:
        """Show a text, at a heading."""
        self.setWindowTitle(f"{title} – Ovrik")
        self.text.setMarkdown(text)
        self.said.setText("")
        blocked = self.list.blockSignals(True)
        self.list.clear()
        under = {line[4:].strip() for line in text.splitlines() if line.startswith("### ")}
        self.list.addItems([f"    {h}" if h in under else h for h in headings(text)])
        self.list.blockSignals(blocked)
        wanted = f"    {heading}" if heading in under else heading
        found = self.list.findItems(wanted, Qt.MatchFlag.MatchExactly) if heading else []
        if found:
            self.list.setCurrentItem(found[0])
        else:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def go(self, heading: str) -> None:
        """Bring a heading to the top."""
        document = self.text.document()
        block = document.begin() if document else None
        while block is not None and block.isValid():
            if block.blockFormat().headingLevel() in (2, 3) and block.text().strip() == _plain(heading):
                cursor = QTextCursor(block)
                self.text.setTextCursor(cursor)
                # Texts of a window that is just being shown are laid out when it has its size.
                QTimer.singleShot(0, self._to_the_top)
                return
            block = block.next()

    def _to_the_top(self) -> None:
        """Scroll so far that the line with the cursor is the first."""
        bar = self.text.verticalScrollBar()
        if bar is not None:
            bar.setValue(bar.value() + self.text.cursorRect().top() - 4)

    def find_next(self) -> None:
        """The next place where the words stand, from the top again after the last."""
        words = self.field.text()
        if not words:
            return
        if self.text.find(words):
            self.said.setText("")
            return
        self.text.moveCursor(QTextCursor.MoveOperation.Start)
        self.said.setText("from the top" if self.text.find(words) else "not found")


def _plain(heading: str) -> str:
    """A heading without the marks of Markdown."""
    return heading.replace("`", "").replace("*", "")
