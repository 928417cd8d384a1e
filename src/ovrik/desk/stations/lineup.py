"""Line-up: what varies and what is held, and the settings of the selected contender."""

import shlex
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QHBoxLayout, QMessageBox, QPlainTextEdit, QVBoxLayout, QWidget

from ovrik.desk.model import DeskModel
from ovrik.desk.stations.recipe_form import RecipeForm
from ovrik.desk.widgets.table import Cell, Table
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.export.command import export_command
from ovrik.machine.described import approve, approved
from ovrik.study.contender import FACTOR_TITLES, FACTORS, Contender, output_name
from ovrik.study.described import Description
from ovrik.study.recipe import recipe
from ovrik.work.evidence import Summary


class LineupStation(QWidget):
    """The table of factors above, the form and the command below."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        headings = ["Contender", *(FACTOR_TITLES[f] for f in FACTORS), "Here"]
        self.table = Table(headings, "Line-up: what differs from the baseline", last_fills=True)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.held = label("", "soft", wrap=True)
        self.form = RecipeForm(model)
        self.form.edited.connect(self._show_plans)
        self.note = label("", "note", wrap=True)
        self.keep = button("Keep changes", self._keep, "main", "Put these settings in the line-up")
        self.undo = button("Undo", self._undo, hint="Back to the settings in the line-up")
        self.approve = button("Approve command…", self._approve, hint="Look at what it would run")
        self.command = QPlainTextEdit()
        self.command.setReadOnly(True)
        self.command.setAccessibleName("Full command")
        self.command.setTabChangesFocus(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        column.addWidget(self._grid())
        column.addWidget(self._editor(), 1)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow_selection)
        self.follow()

    def _grid(self) -> QWidget:
        frame, column = sheet()
        row = QHBoxLayout()
        row.addWidget(label("What differs from the baseline", "head"))
        row.addStretch(1)
        row.addWidget(button("Add", self._add, hint="Add a contender like the baseline", key="Ctrl+Shift+N"))
        row.addWidget(
            button("Copy", self._copy, hint="Copy the selected one, to change one thing", key="Ctrl+D")
        )
        row.addWidget(button("Drop", self._drop, hint="Take it out; its runs stay on file", key="Ctrl+Del"))
        row.addWidget(
            button("Make baseline", self._baseline, hint="Compare the others with it", key="Ctrl+B")
        )
        column.addLayout(row)
        column.addWidget(self.table, 1)
        column.addWidget(self.held)
        return frame

    def _editor(self) -> QWidget:
        frame, column = sheet()
        both = QHBoxLayout()
        both.setSpacing(18)
        both.addWidget(self.form, 3)
        right = QVBoxLayout()
        row = QHBoxLayout()
        row.addWidget(label("Full command", "head"))
        row.addStretch(1)
        row.addWidget(button("Copy command", self._copy_command, hint="As text, for use elsewhere"))
        right.addLayout(row)
        right.addWidget(self.command, 1)
        both.addLayout(right, 2)
        column.addLayout(both, 1)
        foot = QHBoxLayout()
        foot.addWidget(self.note, 1)
        foot.addWidget(self.approve)
        foot.addWidget(self.undo)
        foot.addWidget(self.keep)
        column.addLayout(foot)
        return frame

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        base = e.of(e.facts.baseline_id or 0)
        rows = [self._row(s, base) for s in e.summaries]
        self.table.fill(rows, [s.contender.id for s in e.summaries], self.model.selection)
        self.table.fit(11)
        self.held.setText(self._held_words(base))
        self.follow_selection()

    def _row(self, s: Summary, base: Summary | None) -> list[Cell]:
        mine = s.contender.factors()
        same = base.contender.factors() if base else mine
        is_base = base is not None and s.contender.id == base.contender.id
        cells = [Cell(s.contender.label, bold=True, mark=s.contender.id)]
        for factor in FACTORS:
            other = mine[factor] != same[factor]
            cells.append(Cell(mine[factor], f"baseline: {same[factor]}" if other else "", bold=other,
                              tone="" if other or is_base else "soft"))  # fmt: skip
        why = self.model.barred.get(s.contender.id, "")
        cells.append(Cell(f"✕ {why}" if why else "✓ runs", why, "trouble" if why else "act"))
        return cells

    def _held_words(self, base: Summary | None) -> str:
        chosen = self.model.summary
        if base is None or chosen is None or chosen is base:
            return "The baseline is what the others are compared with."
        mine, other = chosen.contender.factors(), base.contender.factors()
        differ = [FACTOR_TITLES[f].lower() for f in FACTORS if mine[f] != other[f]]
        held = [FACTOR_TITLES[f].lower() for f in FACTORS if mine[f] == other[f]]
        lead = f"{chosen.contender.label} differs from {base.contender.label} in "
        many = f"{len(differ)} things: " if len(differ) > 1 else ""
        return (f"{lead}{many}{', '.join(differ) or 'nothing'}. "
                f"Held the same: {', '.join(held) or 'nothing'}.")  # fmt: skip

    def follow_selection(self, _id: int = 0) -> None:
        """Show the selected contender's settings."""
        blocked = self.table.blockSignals(True)
        self.table.choose(self.model.selection)
        self.table.blockSignals(blocked)
        e = self.model.evidence
        self.held.setText(self._held_words(e.of(e.facts.baseline_id or 0)))
        chosen = self.model.summary
        waiting = self._waiting()
        self.approve.setVisible(waiting is not None)
        self.form.setEnabled(chosen is not None and chosen.contender.build not in self.model.programs)
        if chosen:
            self.form.show_contender(chosen.contender)
        self._show_plans()

    def _show_plans(self) -> None:
        chosen = self.model.summary
        if chosen is None:
            self.keep.setEnabled(False)
            return
        wanted = self.form.contender()
        new = not wanted.same_thing(chosen.contender) or wanted.label != chosen.contender.label
        faults = self.form.faults()
        self.keep.setEnabled(new and not faults)
        self.undo.setEnabled(new)
        self.command.setPlainText(self._command(wanted))
        if faults:
            self._say("; ".join(faults), "warning")
        elif not wanted.same_thing(chosen.contender) and chosen.runs:
            self._say("This contender was timed with other settings. Keeping these takes a new one in "
                      "its place; the old one's runs stay on file.", "note")  # fmt: skip
        elif chosen.contender.id in self.model.barred:
            self._say(f"It can't run here: {self.model.barred[chosen.contender.id]}", "warning")
        else:
            self._say("", "soft")

    def _say(self, text: str, role: str) -> None:
        set_role(self.note, role)
        self.note.setText(text)

    def _command(self, wanted: Contender) -> str:
        e = self.model.evidence
        build = self.model.builds.get(wanted.build)
        program = build.path if build and build.path else wanted.build
        output = Path(self.model.study.outputs / output_name(wanted))
        described = self.model.programs.get(wanted.build)
        if described:
            return shlex.join(described.command(described.program, e.footage, e.facts.excerpt, output))
        return shlex.join(
            export_command(
                program,
                e.footage,
                e.facts.excerpt,
                wanted.recipe,
                output,
                build.options if build else ("stats_period",),
            )
        )

    def _copy_command(self) -> None:
        board = QGuiApplication.clipboard()
        if board:
            board.setText(self.command.toPlainText())

    def _keep(self) -> None:
        self.model.change(self.form.contender())

    def _waiting(self) -> Description | None:
        """The selected contender's described program, if its command still waits for approval."""
        chosen = self.model.summary
        described = self.model.programs.get(chosen.contender.build) if chosen else None
        return described if described and not approved(described) else None

    def _approve(self) -> None:
        """Show the command; run it from now on only if the user says so."""
        described = self._waiting()
        if described is None:
            return
        asked = QMessageBox(self)
        asked.setWindowTitle("Approve a command")
        asked.setText(f"{described.title} came with a plan or a study. It would run this program with your "
                      "rights. Approve it only if you know what it does.")  # fmt: skip
        asked.setInformativeText(described.shown())
        yes = asked.addButton("Approve and use", QMessageBox.ButtonRole.AcceptRole)
        no = asked.addButton("Don't run it", QMessageBox.ButtonRole.RejectRole)
        asked.setDefaultButton(no)
        asked.exec()
        if asked.clickedButton() is yes:
            approve(described)
            self.model.refresh()

    def _undo(self) -> None:
        self.follow_selection()

    def _add(self) -> None:
        e = self.model.evidence
        base = e.of(e.facts.baseline_id or 0)
        self.model.add(Contender(base.contender.build if base else "bundled",
                                 base.contender.recipe if base else recipe("libx264")))  # fmt: skip
        self.form.setFocus(Qt.FocusReason.OtherFocusReason)

    def _copy(self) -> None:
        chosen = self.model.summary
        if chosen:
            self.model.add(Contender(chosen.contender.build, chosen.contender.recipe))

    def _drop(self) -> None:
        if self.model.summary:
            self.model.drop(self.model.selection)

    def _baseline(self) -> None:
        if self.model.summary:
            self.model.set_baseline(self.model.selection)
