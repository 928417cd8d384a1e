"""The choice, large, and a line each for what was faster, what ties and what would change it."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import mark_picture
from ovrik.desk.widgets.text import button, emptied, label
from ovrik.report.words.choice import ChoiceShown, Line

MARK_PX = 22


class ChoicePanel(QWidget):
    """Takes a `Choice`. Signal: `more_wanted` for all of what a line says in short."""

    more_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.shown: ChoiceShown | None = None
        self.mark, self.title = QLabel(), label("", "choice", wrap=True, copy=True)
        self.claim = label("", "soft", wrap=True, copy=True)
        self._figures, self._lines = Flow(22), QGridLayout()
        self._texts: list[QLabel] = []
        self._values: list[tuple[QLabel, QLabel]] = []
        self._lines.setColumnStretch(1, 1)
        self._lines.setHorizontalSpacing(12)
        self._lines.setVerticalSpacing(2)
        top = self.top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self.mark, 0, Qt.AlignmentFlag.AlignTop)
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(self.title)
        names.addWidget(self.claim)
        top.addLayout(names, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(top)
        column.addLayout(self._figures)
        column.addLayout(self._lines)

    def show_choice(self, choice: ChoiceShown) -> None:
        """Say who it is; what has not changed stays as it is."""
        before, self.shown = self.shown, choice
        if before == choice:
            return
        self.title.setText(choice.title)
        self.claim.setText(choice.claim)
        self.claim.setVisible(bool(choice.claim))
        if before is None or before.contender_id != choice.contender_id:
            self.mark.setVisible(bool(choice.contender_id))
            if choice.contender_id:
                self.mark.setPixmap(mark_picture(choice.contender_id, theme.scaled(MARK_PX)))
        if before is None or before.figures != choice.figures:
            self._show_figures(choice.figures)
        if before is None or before.lines != choice.lines:
            self._say(choice.lines)

    def _show_figures(self, figures: tuple[tuple[str, str], ...]) -> None:
        if len(figures) != len(self._values):
            emptied(self._figures)
            self._values = []
            for _figure in figures:
                made, head, value = _figure_widget()
                self._figures.addWidget(made)
                self._values.append((head, value))
        for (head, value), (name, said) in zip(self._values, figures, strict=True):
            head.setText(name)
            value.setText(said)
            value.setAccessibleName(f"{name}: {said}")

    def _say(self, lines: tuple[Line, ...]) -> None:
        if len(lines) == len(self._texts) and [x.head for x in lines] == [
            t.accessibleName() for t in self._texts
        ]:
            for text, line in zip(self._texts, lines, strict=True):
                text.setText(_short(line))
            return
        emptied(self._lines)
        self._texts.clear()
        for row, line in enumerate(lines):
            head, text = label(line.head, "head"), label(_short(line), wrap=True, copy=True)
            text.setAccessibleName(line.head)
            self._lines.addWidget(head, row, 0, Qt.AlignmentFlag.AlignTop)
            self._lines.addWidget(text, row, 1)
            self._texts.append(text)
            if line.more:
                all_ = button(
                    f"all {len(line.items)}", self.more_wanted.emit, "link", f"Read all of “{line.head}”"
                )
                all_.setAccessibleName(f"All {len(line.items)} of {line.head}")
                self._lines.addWidget(all_, row, 2, Qt.AlignmentFlag.AlignTop)

    @property
    def lines(self) -> dict[str, str]:
        """What is said, by its head."""
        return {t.accessibleName(): t.text() for t in self._texts}


def _short(line: Line) -> str:
    # A contender's label stays as it is written.
    begun = f"A{line.short[1:]}" if line.short.startswith(("a ", "an ")) else line.short
    return begun + ("" if begun.endswith(".") else ".")


def _figure_widget() -> tuple[QWidget, QLabel, QLabel]:
    """A heading over a value, and both labels."""
    made, head, value = QWidget(), label("", "soft"), label("", "figure", copy=True)
    column = QVBoxLayout(made)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    column.addWidget(head)
    column.addWidget(value)
    return made, head, value
