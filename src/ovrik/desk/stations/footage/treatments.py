"""Treatments: a ready set, or one's own, over the whole programme or on a shot."""

from dataclasses import replace

from PyQt6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QListWidget, QMenu, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.parameters import ParameterForm
from ovrik.desk.widgets.text import button, label, scrolling, set_role
from ovrik.errors import OvrikError
from ovrik.machine.devices.trial import WORKS
from ovrik.quality.reference.device_forms import known_form
from ovrik.study.programme.programme import GAP, Programme
from ovrik.study.programme.ready_set import READY_SETS, set_of, with_set
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.programme.treatment_kinds import KINDS, PLACE_TITLES, SOFTWARE
from ovrik.study.programme.whole_treatments import treated_over_all, with_over_all

OWN_SET = "custom"
ROW_PX, MOST_ROWS = 24, 4


class TreatmentsPanel(QWidget):
    """The list, the form of the chosen one, and where it can be done."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.shot = 0
        self.sets = QComboBox()
        self.sets.addItems([*READY_SETS, OWN_SET])
        self.sets.setAccessibleName("Ready set of treatments")
        self.sets.activated.connect(self._take_set)
        self.whole = button("Whole", lambda: self._scope(True), hint="Treat the whole programme")
        self.one = button(
            "Shot", lambda: self._scope(False), hint="Treat the shot that is under the playhead"
        )
        scope = QButtonGroup(self)
        for made in (self.whole, self.one):
            made.setCheckable(True)
            scope.addButton(made)
        self.whole.setChecked(True)
        self.list = QListWidget()
        self.list.setAccessibleName("Treatments in the order in which they are applied")
        self.list.currentRowChanged.connect(lambda _row: self._show_chosen())
        self.form = ParameterForm()
        self.form.edited.connect(self._edited)
        self.where = label("", "soft", wrap=True)
        self.trouble = label("", "warning", wrap=True)
        self.trouble.hide()
        self.add = button("Add ▾", self._offer, hint="Add a treatment")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        top = QHBoxLayout()
        top.addWidget(label("Ready set", "soft"))
        top.addWidget(self.sets, 1)
        column.addLayout(top)
        row = Flow(4).add(
            self.whole,
            self.one,
            None,
            self.add,
            button("↑", lambda: self._shift(-1), hint="Apply it earlier"),
            button("↓", lambda: self._shift(1), hint="Apply it later"),
            button("Remove", self._remove, hint="Remove the selected treatment"),
        )
        column.addLayout(row)
        column.addWidget(self.list)
        inside = QWidget()
        below = QVBoxLayout(inside)
        below.setContentsMargins(0, 0, 6, 0)
        for part in (self.trouble, self.form, self.where):
            below.addWidget(part)
        below.addStretch(1)
        column.addWidget(scrolling(inside), 1)
        model.evidence_changed.connect(self.follow)
        self.follow()

    # What is shown

    @property
    def programme(self) -> Programme:
        """The programme as it stands."""
        return self.model.evidence.programme

    @property
    def treatments(self) -> tuple[Treatment, ...]:
        """Those of the whole, or of the shot."""
        p = self.programme
        return (
            treated_over_all(p)
            if self.whole.isChecked()
            else p.shots[min(self.shot, len(p.shots) - 1)].treatments
        )

    def follow(self) -> None:
        """Take in what is new."""
        self.sets.setCurrentText(set_of(self.programme) or OWN_SET)
        shot = self.programme.shots[min(self.shot, len(self.programme.shots) - 1)]
        self.one.setText(f"Shot {self.shot + 1}")
        self.one.setToolTip(shot.name or "The shot that is under the playhead")
        row = self.list.currentRow()
        blocked = self.list.blockSignals(True)
        self.list.clear()
        for t in self.treatments:
            self.list.addItem(t.words)
        self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
        self.list.setFixedHeight(6 + theme.scaled(ROW_PX) * min(max(self.list.count(), 1), MOST_ROWS))
        self.list.blockSignals(blocked)
        self._show_chosen()

    def show_shot(self, number: int) -> None:
        """The playhead is in another shot."""
        if number != self.shot:
            self.shot = number
            self.follow()

    def _scope(self, _whole: bool) -> None:
        self.list.setCurrentRow(0)
        self.follow()

    @property
    def chosen(self) -> Treatment | None:
        """The selected treatment."""
        row = self.list.currentRow()
        return self.treatments[row] if 0 <= row < len(self.treatments) else None

    def _show_chosen(self) -> None:
        t = self.chosen
        self.form.show_treatment(t)
        none = "No treatment here: the cut is exported as it is." if not self.treatments else ""
        self.where.setText(self._where(t) if t else none)

    def _where(self, t: Treatment) -> str:
        """Which implementations there are, and whether each gave software's picture with these very values."""
        said = [f"✓ {PLACE_TITLES[SOFTWARE]}" + ("" if t.form(SOFTWARE).deep else " (in 8 bits)")]
        judge = self.model.judge
        build = judge.builds.get("bundled") if judge else None
        tried = judge.trials.get("bundled", []) if judge else []
        for form in t.forms:
            if form.place == SOFTWARE:
                continue
            title = PLACE_TITLES[form.place]
            if build is None or any(f not in build.filters for f in form.filters):
                said.append(f"✕ {title}: not in the bundled build")
                continue
            opened = next((x for x in tried if (x.path, x.place) == (form.place, "device")), None)
            made = known_form(build, self.programme, t, form.place)
            if opened and opened.answer != WORKS:
                said.append(f"✕ {title}: {opened.reason}")
            elif made is None:
                said.append(f"? {title}: tried with these values before it is timed")
            else:
                said.append(f"✕ {made.differs}" if made.differs else f"✓ {title}")
        if len(said) == 1:
            said.append("no form for a device")
        every = " It stands on every shot." if self.whole.isChecked() and not t.facts.whole else ""
        return f"{t.facts.about}{every} Here: {'; '.join(said)}."

    # What is changed

    def _put(self, made: tuple[Treatment, ...]) -> None:
        p = self.programme
        if self.whole.isChecked():
            try:
                self._use(with_over_all(p, made))
            except OvrikError as exc:
                self._fail(exc)
        else:
            self._use(p.with_shot(self.shot, replace(p.shots[self.shot], treatments=made)))

    def _use(self, programme: Programme) -> None:
        self.trouble.hide()
        self.model.set_programme(programme)

    def _fail(self, exc: OvrikError) -> None:
        set_role(self.trouble, "warning")
        self.trouble.setText(str(exc))
        self.trouble.show()

    def _take_set(self) -> None:
        name = self.sets.currentText()
        if name in READY_SETS:
            self.list.setCurrentRow(0)
            self._use(with_set(self.programme, name))

    def _offer(self) -> None:
        menu = QMenu(self)
        for kind in KINDS.values():
            action = menu.addAction(kind.title)
            if action is not None:
                by_shot = "" if kind.whole or not self.whole.isChecked() else " Put on every shot."
                action.setToolTip(f"{kind.about}{by_shot}")
                action.triggered.connect(lambda _c=False, key=kind.key: self.add_kind(key))
        menu.exec(self.add.mapToGlobal(self.add.rect().bottomLeft()))

    def add_kind(self, key: str) -> None:
        """Add a treatment with its usual values, and choose it."""
        if not self.whole.isChecked() and self.programme.shots[self.shot].clip == GAP:
            self._fail(OvrikError("This shot is black", "Choose another shot"))
            return
        given = {"text": self.programme.name.rsplit(".", 1)[0]} if key == "title" else {}
        self._put((*self.treatments, treatment(key, given)))
        self.list.setCurrentRow(self.list.count() - 1)
        self.list.setFocus()

    def _edited(self) -> None:
        row, t = self.list.currentRow(), self.chosen
        if t is None:
            return
        try:
            made = treatment(t.kind, self.form.values())
        except OvrikError as exc:
            self._fail(exc)
            return
        if made != t:
            self._put((*self.treatments[:row], made, *self.treatments[row + 1 :]))

    def _shift(self, by: int) -> None:
        row, listed = self.list.currentRow(), list(self.treatments)
        to = row + by
        if 0 <= row < len(listed) and 0 <= to < len(listed):
            listed.insert(to, listed.pop(row))
            self.list.setCurrentRow(to)
            self._put(tuple(listed))
            self.list.setCurrentRow(to)

    def _remove(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.treatments):
            self._put((*self.treatments[:row], *self.treatments[row + 1 :]))
