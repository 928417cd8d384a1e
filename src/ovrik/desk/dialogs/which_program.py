"""Which program is going to export, asked as a folder is armed; and whether to begin with a trial."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QLineEdit, QVBoxLayout, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label
from ovrik.outside.programs import Running, running
from ovrik.study.contender.contender import Contender

HEADINGS = ("Program", "Process", "In this folder", "Window, or command")
UNSEEN = "another machine's, or none of these"
ABOUT = (
    "What it does before its first byte is seen only of a program that is named. Those that are at work in this "
    "folder or have a window come first; type to find another one."
)
KEY_ABOUT = (
    "The trial is not kept. It says how exactly this program can be timed here, and shows what it does at its start, "
    "so that the exports after it need no key. The key is Ctrl+Alt+S in any window where this desktop offers that, "
    "and Mark start here."
)


class WhichProgram(QDialog):
    """A table of programs that run, the likely ones first. `pid` that was chosen, None for one that is not seen;
    `first`, whose exports what is written comes before, None where it is exports themselves."""

    def __init__(
        self,
        folder: Path,
        outside: Sequence[Contender] = (),
        before: int | None = None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Which program exports?")
        self.programs = running(folder)
        self.wanted = QLineEdit()
        self.wanted.setAccessibleName("Find a program")
        self.wanted.setPlaceholderText("find a program by name, window or process")
        self.wanted.setClearButtonEnabled(True)
        self.table = DeskTable(HEADINGS, "Programs that run", True)
        self.makes = QComboBox()
        self.makes.setAccessibleName("What it writes into the folder")
        self.makes.addItem("exports of the line-up", None)
        for contender in outside:
            self.makes.addItem(f"what comes first for {contender.label}", contender)
        self.trial = QCheckBox("Begin with a trial export, and press the start key as you begin it")
        self.trial.setChecked(before is None)
        self.arm = button("Arm", self.accept, "main")
        self.arm.setDefault(True)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addWidget(label(f"Exports into {folder}", copy=True, wrap=True))
        column.addWidget(label(ABOUT, "soft", wrap=True))
        column.addWidget(self.wanted)
        column.addWidget(self.table, 1)
        column.addLayout(Flow(8).add(label("It writes", "soft"), self.makes))
        column.addWidget(self.trial)
        column.addWidget(label(KEY_ABOUT, "soft", wrap=True))
        column.addLayout(Flow(8).add(None, button("Cancel", self.reject), self.arm))
        self.resize(theme.scaled(760), theme.scaled(460))
        self.wanted.textChanged.connect(lambda _text: self._show())
        self.table.cellDoubleClicked.connect(lambda _r, _c: self.accept())
        self._show(before)
        self.table.setFocus(Qt.FocusReason.OtherFocusReason)

    @property
    def pid(self) -> int | None:
        """The process that was chosen."""
        row = self.table.currentRow()
        return (self.table.keys[row] or None) if 0 <= row < len(self.table.keys) else None

    @property
    def first(self) -> Contender | None:
        """Whose exports come after what is written."""
        chosen = self.makes.currentData()
        return chosen if isinstance(chosen, Contender) else None

    def _show(self, before: int | None = None) -> None:
        wanted = self.wanted.text().strip().lower()
        shown = [p for p in self.programs if _fits(p, wanted)]
        chosen = before if any(p.pid == before for p in shown) else None
        if chosen is None:
            chosen = next((p.pid for p in shown if p.likely or wanted), 0)
        unseen = [
            Cell(UNSEEN, tone="soft"),
            None,
            None,
            Cell("only bounds are known of it without the start key"),
        ]
        rows = [
            [
                Cell(p.name, bold=p.likely),
                Cell(str(p.pid), right=True),
                Cell("has files open" if p.here else ""),
                Cell(p.title or p.command, hint=p.command, tone="" if p.title else "soft"),
            ]
            for p in shown
        ]
        self.table.fill([*rows, unseen], [*(p.pid for p in shown), 0], chosen)


def _fits(program: Running, wanted: str) -> bool:
    said = (program.name, program.title, program.command, str(program.pid))
    return any(wanted in text.lower() for text in said)
