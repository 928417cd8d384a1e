"""Any two contenders against one another, in a line."""

from PyQt6.QtWidgets import QComboBox, QWidget

from ovrik.desk.model import DeskModel
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import label
from ovrik.report.words import ANSWERS, ratio_words, saved_words, together_words
from ovrik.work.pairs import compare


class PairLine(QWidget):
    """Two choices and what comes of them; the second follows what is selected in the roster."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.first, self.second = QComboBox(), QComboBox()
        self.first.setAccessibleName("Compared with")
        self.second.setAccessibleName("This contender")
        self.result = label("", elide=True)
        row = Flow()
        row.setContentsMargins(0, 4, 0, 0)
        self.setLayout(
            row.add(label("Any pair", "head"), self.second, label("against"), self.first, self.result)
        )
        for box in (self.first, self.second):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(19)
            box.activated.connect(lambda _n: self.show_pair())
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self._selected)
        self.follow()

    def follow(self) -> None:
        """Take in what is new; what was chosen stays."""
        timed = [s.contender for s in self.model.evidence.summaries if s.counted]
        base = self.model.evidence.facts.baseline_id or 0
        others = [c.id for c in timed if c.id != base]
        chosen = self.model.selection if self.model.selection in others else next(iter(others), 0)
        for box, usual in ((self.first, base), (self.second, chosen)):
            now = box.currentData() or usual
            box.clear()
            for c in timed:
                box.addItem(c.label, c.id)
            box.setCurrentIndex(max(0, box.findData(now)))
        self.show_pair()

    def _selected(self, contender_id: int) -> None:
        at = self.second.findData(contender_id)
        if at >= 0:
            self.second.setCurrentIndex(at)
            self.show_pair()

    def show_pair(self) -> None:
        """Say how the second compares with the first."""
        one, other = self.first.currentData() or 0, self.second.currentData() or 0
        found = compare(self.model.evidence, one, other) if one != other else None
        if found is None:
            self.result.setText("Choose two that were timed")
            self.result.setToolTip("")
            return
        unlike = f" ≠{len(found.apart.differ)}" if found.apart.warning else ""
        said = f"{ANSWERS[found.answer]}{unlike}: {ratio_words(found.ratio)}, {saved_words(found.ratio)}"
        self.result.setText(said)
        rounds = found.ratio.pairs if found.ratio else 0
        self.result.setToolTip(
            f"{said}\nThe quotient of their usual times; {rounds} rounds shared. "
            f"{together_words(found.among, self.model.evidence.looks)} "
            f"{found.apart.warning}"
        )
