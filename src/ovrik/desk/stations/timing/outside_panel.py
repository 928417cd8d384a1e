"""Exports of other programs: which is next, what to check before it, and the watch that times it."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from ovrik.desk.dialogs.old_table import OldTable
from ovrik.desk.dialogs.which_program import WhichProgram
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label, set_role
from ovrik.errors import OvrikError
from ovrik.report.words.watched import kept_words, trial_words
from ovrik.study.contender.contender import Contender
from ovrik.work.outside.exports import CHECKS, Card, next_card
from ovrik.work.outside.watching import Orders, Watched

CONTAINERS = ("mp4", "mov", "mkv", "webm")


class OutsidePanel(QWidget):
    """A contender of another program is added above; the watch and its card stand below.

    Signals: `watch_wanted` with folder, process or None, orders, and the contender before whose exports comes what is
    written, or None; `stop_wanted`.
    """

    watch_wanted = pyqtSignal(object, object, object, object)
    stop_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model, self.orders, self._armed = model, Orders(), False
        self._pid: int | None = None
        self.program, self.version, self.settings = QLineEdit(), QLineEdit(), QLineEdit()
        self.container, self.owner = QComboBox(), QComboBox()
        self.container.addItems(CONTAINERS)
        self.add = button("Add", self._add, hint="Add it to the line-up")
        self.folder = QLineEdit()
        self.choose = button("Choose…", self._choose)
        self.arm = button("Arm", self._arm, "main", "Time what is exported into this folder from now on")
        self.key = button("Mark start", self._press, hint="The export begins at this moment")
        self.ticks = [QCheckBox(words) for words in CHECKS]
        self.card, self.state = label("", wrap=True, copy=True), label("", "soft", wrap=True)
        self.last, self._kept = 0, ""
        self.give = button("Move", self._move, hint="Give the last export to this contender")
        self.bring = button(
            "Bring in a table…", self._bring, hint="Times that were kept elsewhere; they are shown first"
        )
        self._lay_out()
        for tick in self.ticks:
            tick.toggled.connect(lambda _on: self._tick())
        model.evidence_changed.connect(self.follow)
        self.follow()

    def _lay_out(self) -> None:
        named = (
            (self.program, "Other program", "program"),
            (self.version, "Its version", "version"),
            (self.settings, "Its settings", "acceleration=on, preset=fast"),
            (self.folder, "Folder it exports into", "the folder it exports into"),
        )
        for field, name, hint in named:
            field.setAccessibleName(name)
            field.setPlaceholderText(hint)
        for field, width in ((self.program, 170), (self.version, 84)):
            field.setFixedWidth(theme.scaled(width))
            field.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        for box, name in ((self.container, "Container"), (self.owner, "Contender of the last export")):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(12)
        self.container.setMinimumContentsLength(5)
        self.owner.setMinimumContentsLength(32)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        new = label("New contender", "soft")
        column.addLayout(
            Flow(8).add(new, self.program, self.version, self.settings, self.container, self.add)
        )
        where = (self.folder, self.choose, self.arm, self.key)
        column.addLayout(Flow(8).add(label("Watch", "soft"), *where))
        column.addWidget(self.card)
        column.addLayout(Flow(12).add(label("Before it:", "soft"), *self.ticks))
        column.addWidget(self.state)
        column.addLayout(
            Flow(8).add(label("The last export is of", "soft"), self.owner, self.give, None, self.bring)
        )
        column.addStretch(1)

    def follow(self) -> None:
        """Take in what is new."""
        mine = self._mine()
        now = self.owner.currentData()
        self.owner.clear()
        for c in mine:
            self.owner.addItem(c.label, c.contender_id)
        self.owner.setCurrentIndex(max(0, self.owner.findData(now)))
        for part in (self.owner, self.give):
            part.setEnabled(bool(self.last))
        self.arm.setEnabled(bool(mine) or self._armed)
        if not mine:
            self.card.setText("Add what another program exports; then arm the folder it exports into.")
        elif not self._armed:
            self._show_card(next_card(self.model.evidence))

    def _mine(self) -> list[Contender]:
        return [s.contender for s in self.model.evidence.summaries if s.contender.outside]

    def _show_card(self, card: Card) -> None:
        settings = ", ".join(f"{k} {v}" for k, v in card.settings)
        self.card.setText(f"Next: {card.contender.label} ({settings}). Name the output {card.name}")

    def _add(self) -> None:
        pairs = [p.partition("=") for p in self.settings.text().split(",") if p.strip()]
        wrong = [
            name.strip() for name, equals, value in pairs if not (equals and name.strip() and value.strip())
        ]
        if wrong:
            self._say(f"“{wrong[0]}” is not NAME=VALUE", trouble=True)
            return
        settings = {name.strip(): value.strip() for name, _equals, value in pairs}
        try:
            self.model.add_outside(
                self.program.text(), self.version.text(), settings, self.container.currentText()
            )
        except OvrikError as exc:
            self._say(str(exc), trouble=True)

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder that the other program exports into")
        if name:
            self.folder.setText(name)

    def _bring(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(
            self, "Table of times", "", "Tables (*.csv *.tsv *.txt);;All files (*)"
        )
        if not name:
            return
        try:
            OldTable(self.model, Path(name), self).exec()
        except OvrikError as exc:
            self._say(str(exc), trouble=True)

    def _arm(self) -> None:
        if self._armed:
            self.stop_wanted.emit()
            return
        if not self.folder.text().strip():
            self._say("Choose the folder that the other program exports into", trouble=True)
            return
        folder = Path(self.folder.text().strip()).expanduser()
        asked = WhichProgram(folder, self._mine(), self._pid, self)
        if not asked.exec():
            return
        self.orders = Orders(
            tuple(t.text() for t in self.ticks if t.isChecked()), trial=asked.trial.isChecked()
        )
        self._armed, self._pid, self._kept = True, asked.pid, ""
        self.watch_wanted.emit(folder, self._pid, self.orders, asked.first)

    def _press(self) -> None:
        self.orders.press()

    def _tick(self) -> None:
        self.orders.ticked = tuple(t.text() for t in self.ticks if t.isChecked())

    def _move(self) -> None:
        try:
            self.model.move_run(self.last, self.owner.currentData())
        except OvrikError as exc:
            self._say(str(exc), trouble=True)

    def show_watched(self, seen: Watched) -> None:
        """Show the card of the next export, and what goes on."""
        self._show_card(seen.card)
        if seen.run is not None:
            self.last = seen.run.id
            self._kept = f"{seen.words}: {kept_words(seen.run)}. "
            self.owner.setCurrentIndex(max(0, self.owner.findData(seen.run.contender_id)))
            for tick in self.ticks:
                tick.setChecked(False)
        elif seen.ended and seen.tried is None:
            self._kept = f"{seen.words}. "
        if seen.tried is not None:
            self._kept = f"{trial_words(seen.tried, self._pid is not None)} "
        # What was kept last stays to be read while the next one is waited for.
        self._say(self._kept + ("" if seen.run or seen.ended else seen.words))

    def set_busy(self, busy: bool, locked: bool) -> None:
        """Whether a long job is running, and whether nothing may be begun."""
        if not busy:
            self._armed = False
        self.arm.setText("Disarm" if self._armed else "Arm")
        self.arm.setEnabled(self._armed or (not locked and self.owner.count() > 0))
        self.key.setEnabled(self._armed)
        for part in (self.folder, self.choose, self.add, self.bring):
            part.setEnabled(not locked)

    def _say(self, words: str, trouble: bool = False) -> None:
        set_role(self.state, "trouble" if trouble else "soft")
        self.state.setText(words)
