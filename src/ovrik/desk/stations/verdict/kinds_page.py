"""Over several kinds of footage: which there are and how much they count, a verdict for each, and one over all."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QGridLayout, QPushButton, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, emptied, label, sheet
from ovrik.errors import OvrikError
from ovrik.report.words.numbers import ANSWERS, number, ratio_words, unlike
from ovrik.report.words.progress import changes_words
from ovrik.report.words.reasons import first_reason
from ovrik.report.words.verdict import lead_over, why_not_over
from ovrik.report.words.whole_cost import cost_title
from ovrik.study.question.footage_kind import MOST_WEIGHT, FootageKind
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.evidence.summary import Summary

ONE_ONLY = (
    "One setting for all footage? Keep several kinds of it here: a calm interview, fast sport, heavy effects. The "
    "line-up is then timed on all of them in the same shuffled rounds (Timing, “on all footage”)."
)
NOT_YET = "Fewer than two kinds were timed: Timing, “on all footage”."
STANDING = {"choice": "✓ the choice", "tie": "✓ ties", "slower": "✓ acceptable", "unsure": "✓ open"}


class KindsPage(QWidget):
    """Follows the model. Signal: `footage_wanted` for a clip or timeline as another kind."""

    footage_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._stamp: object = None
        self.sentence, self.changes = (
            label("", "sentence", wrap=True, copy=True),
            label("", wrap=True, copy=True),
        )
        self.weights: dict[str, QDoubleSpinBox] = {}
        self._locked = False
        self.kinds = QGridLayout()
        self.kinds.setHorizontalSpacing(10)
        self.kinds.setVerticalSpacing(4)
        self.kinds.setColumnStretch(1, 1)
        self.table = DeskTable(["Contender"], "Times on each kind of footage", last_fills=True)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.trouble = label("", "trouble", wrap=True)
        self.trouble.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        frame, inner = sheet()
        inner.addWidget(self.sentence)
        inner.addWidget(self.changes)
        inner.addLayout(self.kinds)
        inner.addWidget(self.trouble)
        column.addWidget(frame)
        frame, inner = sheet()
        self.what = label("", "head")
        inner.addWidget(self.what)
        inner.addWidget(self.table, 1)
        column.addWidget(frame, 1)
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        e, over = self.model.evidence, self.model.over
        if (e.stamp, over) == self._stamp:
            return
        self._stamp = (e.stamp, over)
        begun = over is not None and over.begun
        self.sentence.setText(
            lead_over(over) if over and begun else NOT_YET if len(e.kinds) > 1 else ONE_ONLY
        )
        said = changes_words(over) if over and begun else ""
        why = why_not_over(over) if over and begun else ""
        changes = f"The winner changes with the footage: {said}." if said else ""
        self.changes.setText(" ".join(filter(None, (changes, why))))
        self.changes.setVisible(bool(self.changes.text()))
        until = cost_title(e)
        self.what.setText(f"{until}, on each in seconds; over all their weighted geometric mean")
        self._list_kinds(e.kinds)
        self._fill(over)

    def lock(self, locked: bool, _fixed: bool = False) -> None:
        """Let nothing be changed while a job runs, or in a study that can't be written."""
        self._locked = locked
        for n in range(self.kinds.count()):
            item = self.kinds.itemAt(n)
            widget = item.widget() if item else None
            if isinstance(widget, QPushButton | QDoubleSpinBox):
                widget.setEnabled(not locked and not widget.property("now"))

    def _list_kinds(self, kinds: tuple[FootageKind, ...]) -> None:
        emptied(self.kinds)
        self.weights.clear()
        e = self.model.evidence
        for row, kind in enumerate(kinds):
            now = kind.programme == e.programme.checksum and kind.excerpt == e.facts.excerpt
            field = QDoubleSpinBox()
            field.setRange(0.0, MOST_WEIGHT)
            field.setDecimals(2)
            field.setValue(kind.weight)
            field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            field.setKeyboardTracking(False)
            field.setAccessibleName(f"Weight of {kind.name}")
            field.setFixedWidth(theme.scaled(70))
            field.valueChanged.connect(partial(self._weigh, kind))
            self.weights[kind.name] = field
            show = button(
                "shown" if now else "Show", partial(self.model.choose_kind, kind), "", f"Work on {kind.name}"
            )
            show.setProperty("now", now)
            show.setAccessibleName(f"Show {kind.name}")
            forget = button(
                "Forget", partial(self.model.drop_kind, kind), "", f"Forget {kind.name}; its runs stay"
            )
            forget.setAccessibleName(f"Forget {kind.name}")
            about = (
                f"{kind.programme_name}, {kind.excerpt.frames} frames from frame {kind.excerpt.start_frame}"
            )
            parts = (
                label(kind.name, "head"),
                label(about, "soft", elide=True),
                label("weight", "soft"),
                field,
                show,
                forget,
            )
            for place, part in enumerate(parts):
                self.kinds.addWidget(part, row, place)
        add = button(
            "Add footage…",
            self.footage_wanted.emit,
            "main",
            "A clip, clips in order, or a timeline, as another kind",
        )
        self.kinds.addWidget(add, len(kinds), 4, 1, 2)
        self.lock(self._locked)
        for column, wide in ((0, 90), (2, 0)):
            self.kinds.setColumnMinimumWidth(column, theme.scaled(wide))

    def _weigh(self, kind: FootageKind, weight: float) -> None:
        try:
            self.model.set_weight(kind, weight)
            self.trouble.hide()
        except OvrikError as exc:
            self.trouble.setText(str(exc))
            self.trouble.show()

    def _fill(self, over: OverKinds | None) -> None:
        if over is None:
            self.table.set_headings(["Contender"])
            self.table.fill([], [])
            return
        self.table.set_headings(
            ["Contender", *(k.name for k in over.kinds), "Over all", "Speed (95 %)", "Over all"]
        )
        faster = {f.contender_id: first_reason([f.reason] if f.reason else []) for f in over.verdict.faster}
        order = sorted(range(len(over.each[0].summaries)), key=lambda n: over.usual_s(n) or float("inf"))
        rows, keys = [], []
        for n in order:
            s = over.each[0].summaries[n]
            every = [e.of(s.contender.contender_id) for e in over.each]
            said = over.verdict.place(s.contender.contender_id).answer or ""
            failed = [
                f"{k.name}: {first_reason(x.reasons)}"
                for k, x in zip(over.kinds, every, strict=True)
                if x and x.reasons
            ]
            words = STANDING.get(said) or (f"✕ {failed[0]}" if failed else ANSWERS["unsure"] if said else "–")
            rows.append(
                [
                    Cell(s.contender.label, "", bold=True, mark=s.contender.contender_id),
                    *(_time(x, over.seconds(k, s.contender.contender_id)) for k, x in enumerate(every)),
                    Cell(number(over.usual_s(n)), "the weighted geometric mean", bold=True, right=True),
                    Cell(
                        ratio_words(over.ratios.get(s.contender.contender_id)) + unlike(s),
                        "; ".join(filter(None, ("against the baseline, over all", s.apart.warning))),
                        right=True,
                    ),
                    Cell(
                        words,
                        "\n".join([*failed, faster.get(s.contender.contender_id, "")]).strip(),
                        "act" if said in ("choice", "tie") else "trouble" if failed else "",
                    ),
                ]
            )
            keys.append(s.contender.contender_id)
        self.table.fill(rows, keys, self.model.selection)
        self.table.first_gives_way(170)

    def _selected(self, chosen: int) -> None:
        blocked = self.table.blockSignals(True)
        self.table.choose(chosen)
        self.table.blockSignals(blocked)


def _time(s: Summary | None, seconds: float | None) -> Cell:
    if s is None or seconds is None:
        return Cell("–", right=True)
    mark = "✓" if s.acceptable else "✕" if s.reasons else "?"
    hint = first_reason(s.reasons) if s.reasons else "acceptable" if s.acceptable else "not judged yet"
    return Cell(f"{seconds:.2f} {mark}", hint, "trouble" if s.reasons else "", right=True)
