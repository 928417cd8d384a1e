"""Contenders one by one: the table of factors, and the form of the selected one."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QMessageBox, QToolButton, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.lineup.command_window import CommandWindow
from ovrik.desk.stations.lineup.factor_table import FactorTable
from ovrik.desk.stations.lineup.recipe_form import RecipeForm
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.errors import OvrikError
from ovrik.machine.builds.approvals import Claim
from ovrik.study.contender.contender import Contender, contender_difference
from ovrik.study.contender.follow_source import following
from ovrik.study.contender.grid import passing
from ovrik.study.contender.losses import recipe_losses
from ovrik.study.encoder.recipe import FOLLOWS, recipe
from ovrik.study.files.text_file import visible
from ovrik.work.evidence.summary import Summary
from ovrik.work.lineup.approvals_wanted import allow, waiting

FORM_PX = 348


class ContendersPage(QWidget):
    """The table of factors with the whole height, the form of the selected one beside it."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.table = FactorTable(model)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter: x265 -slow")
        self.filter.setAccessibleName("Filter the line-up")
        self.filter.setClearButtonEnabled(True)
        for clear in self.filter.findChildren(QToolButton):
            clear.setAccessibleName("Clear the filter")
        self.filter.textChanged.connect(lambda _t: self.follow())
        self.against = QComboBox()
        self.against.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.against.setMinimumContentsLength(15)
        self.against.setAccessibleName("Compare the selected contender with")
        self.against.activated.connect(lambda _n: self._show_difference())
        self.differ, self.held = label("", "soft", wrap=True), label("", "soft", wrap=True)
        self.form = RecipeForm(model)
        self.form.edited.connect(self._show_plans)
        self.note = label("", "note", wrap=True)
        self.keep = button("Keep changes", self._keep, "main", "Put these settings in the line-up")
        self.undo = button("Undo", self._undo, hint="Back to the settings in the line-up")
        self.approve = button("Approve command…", self._approve, hint="See what it would run")
        self.command_window = CommandWindow(self)
        self.command = self.command_window.text
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(self._grid(), 1)
        row.addWidget(self._editor())
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow_selection)
        self.follow()

    def _grid(self) -> QWidget:
        frame, column = sheet()
        self.filter.setFixedWidth(theme.scaled(136))
        row = Flow()
        for text, act, hint, key in (
            ("Add", self._add, "Add a copy of the baseline", "Ctrl+Shift+N"),
            ("Copy", self._copy, "Duplicate the selected contender", "Ctrl+D"),
            ("Remove", self._drop, "Take it out of the line-up; its runs stay on file", "Ctrl+Del"),
            ("↑", lambda: self._shift(-1), "Move it up", "Ctrl+Up"),
            ("↓", lambda: self._shift(1), "Move it down", "Ctrl+Down"),
            ("Make baseline", self._baseline, "Compare the others with this one", "Ctrl+B"),
        ):
            row.addWidget(button(text, act, hint=hint, key=key))
        row.add(None, self.filter)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        column.addWidget(self.held)
        column.addWidget(self.differ)
        foot = QHBoxLayout()
        foot.addWidget(label("The selected one against", "soft"))
        foot.addWidget(self.against, 1)
        column.addLayout(foot)
        return frame

    def _editor(self) -> QWidget:
        frame, column = sheet()
        frame.setFixedWidth(theme.scaled(FORM_PX))
        self.head = label("", "head", elide=True)
        self.see = button("Command…", self._see_command, hint="The full command, to read and copy")
        column.addWidget(self.head)
        column.addWidget(self.form, 1)
        column.addWidget(self.note)
        column.addLayout(Flow().add(self.see, self.approve, None, self.undo, self.keep))
        return frame

    def _see_command(self) -> None:
        self.command_window.show()
        self.command_window.raise_()

    # Showing

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        base = e.of(e.facts.baseline_id or 0)
        self.table.show_who(self._passes)
        held = "; ".join([*self.table.held, "all else at its default"])
        self.held.setText(f"The same in all: {held}.")
        chosen = self.against.currentData() or (base.contender.contender_id if base else 0)
        self.against.clear()
        for s in e.summaries:
            self.against.addItem(
                s.contender.label + (" (baseline)" if s is base else ""), s.contender.contender_id
            )
        self.against.setCurrentIndex(max(0, self.against.findData(chosen)))
        self.follow_selection()

    def _passes(self, s: Summary) -> bool:
        return passing(self.filter.text())(" ".join([s.contender.label, *s.contender.factors().values()]))

    def _show_difference(self) -> None:
        chosen, other = self.model.summary, self.model.evidence.of(self.against.currentData() or 0)
        self.differ.setVisible(chosen is not None and other is not None and chosen is not other)
        if chosen is None or other is None or chosen is other:
            return
        found = contender_difference(other.contender, chosen.contender)
        names = ", ".join(f"{title.lower()} ({a} → {b})" for title, a, b in found.differ)
        many = f"{len(found.differ)} things: " if not found.one else ""
        warning = "" if found.one else " A difference in time has no single cause."
        self.differ.setText(
            f"{chosen.contender.label} differs from {other.contender.label} in {many}"
            f"{names or 'nothing'}.{warning}"
        )

    def follow_selection(self, _id: int = 0) -> None:
        """Show the selected contender's settings."""
        blocked = self.table.blockSignals(True)
        self.table.choose(self.model.selection)
        self.table.blockSignals(blocked)
        self._show_difference()
        chosen = self.model.summary
        self.approve.setVisible(bool(self._waiting()))
        self.form.setEnabled(chosen is not None and _in_the_form(chosen.contender, self.model))
        self.head.setText(chosen.contender.label if chosen else "")
        if chosen:
            self.form.show_contender(chosen.contender)
        self._show_plans()

    def _show_plans(self) -> None:
        chosen = self.model.summary
        if chosen is None:
            self.keep.setEnabled(False)
            return
        if chosen.contender.outside:
            for part in (self.keep, self.undo):
                part.setEnabled(False)
            self.command.setPlainText("There is no command: another program exports it.")
            self._say("Its exports are timed by watching their files: Timing, Other programs.", "note")
            return
        wanted = self.form.contender()
        new = not wanted.same_thing(chosen.contender) or wanted.label != chosen.contender.label
        faults = self.form.faults()
        self.keep.setEnabled(new and not faults)
        self.undo.setEnabled(new)
        self.command.setPlainText(self._command(wanted) if not faults else "")
        if faults:
            self._say("; ".join(faults), "warning")
        elif not wanted.same_thing(chosen.contender) and self.model.study.has_evidence(
            chosen.contender.contender_id
        ):
            self._say(
                "This contender was timed or tried with other settings. Keeping these takes a new one in "
                "its place; the old one's runs stay on file.",
                "note",
            )
        elif wanted.same_thing(chosen.contender) and chosen.contender.contender_id in self.model.barred:
            self._say(f"It can't run here: {self.model.barred[chosen.contender.contender_id]}", "warning")
        elif why := self._reason(wanted):
            self._say(why, "warning")
        else:
            self._say(self._losses(wanted), "note")

    def _reason(self, wanted: Contender) -> str:
        """What speaks against the settings in the form, as far as is known of their build."""
        judge = self.model.judge
        if judge is None or wanted.build not in judge.builds:
            return ""
        why = judge.reason(wanted)
        return f"It can't run here: {why}" if why else ""

    def _losses(self, wanted: Contender) -> str:
        """What these settings lose of the source, and what their device is known to do differently."""
        judge = self.model.judge
        found = list(recipe_losses(self.model.evidence.programme, wanted.recipe))
        lost = f"Of the source: {'; '.join(found)}." if found else ""
        known = judge.differing(wanted) if judge is not None and wanted.build in judge.builds else []
        return " ".join([lost, *(f"{words[:1].upper()}{words[1:]}." for words in known)]).strip()

    def _say(self, text: str, role: str) -> None:
        set_role(self.note, role if text else "soft")
        self.note.setText(text)

    def _command(self, wanted: Contender) -> str:
        try:
            return self.model.command_of(wanted)
        except OvrikError as exc:
            return f"There is no command: {exc}"

    # Changing

    def _keep(self) -> None:
        self.model.change(self.form.contender())

    def _waiting(self) -> list[Claim]:
        """What the selected contender would run that the user has not allowed yet."""
        chosen = self.model.summary
        return waiting([chosen.contender]) if chosen else []

    def _approve(self) -> None:
        """Show the command; run it from now on only if the user says so."""
        for claim in self._waiting():
            if not self._allowed(claim):
                break
        self.model.refresh()

    def _allowed(self, claim: Claim) -> bool:
        asked = QMessageBox(self)
        asked.setWindowTitle("Approve a command")
        asked.setTextFormat(Qt.TextFormat.PlainText)
        asked.setText(
            f"{visible(claim.title)} came with a plan or a study. It would run this program with your "
            "rights. Approve it only if you know what it does."
        )
        asked.setInformativeText(claim.shown())
        yes = asked.addButton("Approve and use", QMessageBox.ButtonRole.AcceptRole)
        no = asked.addButton("Don't run it", QMessageBox.ButtonRole.RejectRole)
        asked.setDefaultButton(no)
        asked.exec()
        if asked.clickedButton() is not yes:
            return False
        allow(claim)
        return True

    def _undo(self) -> None:
        self.follow_selection()

    def _add(self) -> None:
        e = self.model.evidence
        base = e.of(e.facts.baseline_id or 0)
        first = following(Contender("bundled", recipe("libx264", pixel_format=FOLLOWS)), e.programme)
        self.model.add(base.contender.unnamed() if base else first)
        self.form.setFocus(Qt.FocusReason.OtherFocusReason)

    def _copy(self) -> None:
        chosen = self.model.summary
        if chosen:
            self.model.add(chosen.contender.unnamed())

    def _drop(self) -> None:
        if self.model.summary:
            self.model.drop(self.model.selection)

    def _shift(self, by: int) -> None:
        if self.model.summary:
            self.model.shift(self.model.selection, by)

    def _baseline(self) -> None:
        if self.model.summary:
            self.model.set_baseline(self.model.selection)


def _in_the_form(c: Contender, model: DeskModel) -> bool:
    """Whether a contender's settings can be changed here: those of described and of other programs stand
    elsewhere."""
    return c.build not in model.programs and not c.outside
