"""Passing a study on: what goes with it, and what a report is made of."""

from dataclasses import dataclass

from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import label
from ovrik.errors import Ask
from ovrik.report.forms.export import WholeStudy
from ovrik.report.words.numbers import size_words
from ovrik.store.tables.carried import OUTPUT
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.checking.report_moments import lead_picture, report_moments
from ovrik.work.evidence.sending import SendingLoad


def whole_to_pass(model: DeskModel, should_stop: Ask, with_moments: bool) -> WholeStudy:
    """All that is passed on of what is on show; may be called in any thread."""
    study, evidence = model.study, model.evidence
    sittings = model.sittings or gather_sittings(study, evidence)
    moments = report_moments(study, evidence, should_stop) if with_moments else ()
    lead = lead_picture(study, evidence) if with_moments else b""
    return WholeStudy(study, evidence, model.over, sittings, moments, lead=lead)


@dataclass(frozen=True)
class Wanted:
    """What goes with a study to send. Fields: `outputs`, `references`, whether the files go too; `sealed`, whether it
    is to be read only; `private`, whether folders are named."""

    outputs: bool
    references: bool
    sealed: bool
    private: bool


class SendDialog(QDialog):
    """Asks what goes with the study, and says how large that is."""

    def __init__(self, load: SendingLoad, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Study to send")
        self._load = load
        count = sum(f.kind == OUTPUT for f in load.files)
        own, other = (load.bytes(k, not k) - load.study for k in (True, False))
        self.outputs = QCheckBox(f"With its {count} outputs, {size_words(own)}")
        self.references = QCheckBox(f"With what they are judged against, {size_words(other)}")
        self.sealed = QCheckBox("To be read, not to be gone on with")
        self.private = QCheckBox("Name the folders of files too")
        self.how_large = label("", "head")
        self.table = DeskTable(("File", "Goes as", "Size"), "Files that go with it")
        column = QVBoxLayout(self)
        column.setSpacing(8)
        about = (
            "One file that opens anywhere. Without its outputs all numbers are there, but nothing to look at."
        )
        told = label(about, "soft", wrap=True)
        told.setMinimumWidth(theme.scaled(420))
        column.addWidget(told)
        for box in (self.outputs, self.references, self.sealed, self.private):
            box.toggled.connect(lambda _on: self._say())
            column.addWidget(box)
        column.addWidget(self.table, 1)
        column.addWidget(self.how_large)
        asked = QDialogButtonBox()
        asked.addButton("Choose a name…", QDialogButtonBox.ButtonRole.AcceptRole)
        asked.addButton("Not now", QDialogButtonBox.ButtonRole.RejectRole)
        asked.accepted.connect(self.accept)
        asked.rejected.connect(self.reject)
        column.addWidget(asked)
        self._say()

    def _say(self) -> None:
        wanted = self.outputs.isChecked(), self.references.isChecked()
        size, chosen = self._load.bytes(*wanted), self._load.chosen(*wanted)
        self.table.fill(
            [[Cell(f.name), Cell(f.kind), Cell(size_words(f.bytes), right=True)] for f in chosen],
            range(len(chosen)),
        )
        self.table.setVisible(bool(chosen))
        self.how_large.setText(f"It will take about {size_words(size)}.")

    @property
    def wanted(self) -> Wanted:
        """What was chosen."""
        boxes = (self.outputs, self.references, self.sealed, self.private)
        return Wanted(*(box.isChecked() for box in boxes))
