"""How runs are made: what each begins with, how many there are, and what counts as disturbed."""

import os
from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import label
from ovrik.study.question.conduct import CACHE_STATES, COLD, WARM, Conduct

CACHE_WORDS = {
    "as it is": "as found",
    COLD: "cold: the first export of the day",
    WARM: "warm: exporting again",
}


class ConductForm(QWidget):
    """Fields of a study's conduct; each change is kept at once and holds for the runs that follow."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.cache = QComboBox()
        for state in CACHE_STATES:
            self.cache.addItem(CACHE_WORDS[state], state)
        self.rest = QCheckBox("wait for load, temperature and clock to settle, for at most")
        self.rest_limit = self._seconds(3600, " s")
        self.nice = QSpinBox()
        self.nice.setRange(0, 19)
        self.cores = QLineEdit()
        self.cores.setPlaceholderText(f"all {os.cpu_count()}; or 0,1")
        self.aside = QCheckBox("set aside what is not acceptable, after its first run")
        self.warm_all = QCheckBox("warm up every contender, not only devices")
        self.most_rounds, self.first_times = QSpinBox(), QSpinBox()
        self.most_rounds.setRange(3, 50)
        self.first_times.setRange(1, 9)
        self.first_times.setToolTip(
            "Pre-renders and analyses, once a round: so that their times have intervals"
        )
        self.most_minutes = self._seconds(10_000, " min")
        self.most_minutes.setSpecialValueText("no limit")
        self.drop = QCheckBox("leave out what can no longer win")
        self.share = self._seconds(100, " %")
        self.again = QCheckBox("and repeat it at the end of its round")
        self.left = QCheckBox("remove files left by interrupted runs")
        self.sync = QCheckBox("sync the disks before each run")
        self.forms = QCheckBox("reject a device whose treatments differ from software's")
        self.outputs = QLineEdit()
        self.outputs.setPlaceholderText("beside the study")
        self.outputs.setToolTip("An existing folder on the drive to write to")
        for spin in (self.nice, self.most_rounds, self.first_times):
            spin.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            spin.setKeyboardTracking(False)
        self._lay_out()
        self.cache.activated.connect(lambda _n: self._keep())
        for box in self._boxes():
            box.toggled.connect(lambda _on: self._keep())
        spins = (self.nice, self.most_rounds, self.first_times)
        for field in (self.rest_limit, *spins, self.most_minutes, self.share):
            field.valueChanged.connect(lambda _v: self._keep())
        for line in (self.cores, self.outputs):
            line.editingFinished.connect(self._keep)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def _boxes(self) -> tuple[QCheckBox, ...]:
        return (self.rest, self.aside, self.warm_all, self.drop, self.again, self.left, self.sync, self.forms)

    @staticmethod
    def _seconds(most: float, unit: str) -> QDoubleSpinBox:
        made = QDoubleSpinBox()
        made.setRange(0, most)
        made.setDecimals(0)
        made.setSuffix(unit)
        made.setKeyboardTracking(False)
        made.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        return made

    def _lay_out(self) -> None:
        named = (
            (self.cache, "Page cache"),
            (self.nice, "Niceness"),
            (self.cores, "Cores"),
            (self.rest_limit, "Longest wait"),
            (self.most_rounds, "Most rounds"),
            (self.first_times, "How often what comes first is timed"),
            (self.most_minutes, "Most minutes"),
            (self.share, "Disturbed above"),
            (self.outputs, "Folder of outputs"),
        )
        for field, name in named:
            field.setAccessibleName(name)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        others = "Mark a run as disturbed when other programs use more of the processors than"
        for parts in (
            (label("Source in the page cache", "soft"), self.cache),
            (label("Niceness, cores", "soft"), self.nice, self.cores),
            (label("Times that what comes first is made", "soft"), self.first_times),
            (self.rest, self.rest_limit),
            (
                label("Until decided: at most", "soft"),
                self.most_rounds,
                label("rounds,", "soft"),
                self.most_minutes,
            ),
            (label("To decide the choice:", "soft"), self.aside, self.warm_all),
            (label("To decide all comparisons with the baseline:", "soft"), self.drop),
            (label(others, "soft", wrap=True), self.share, self.again),
            (label("Outputs in", "soft"), self.outputs),
            (self.left, self.sync, self.forms),
        ):
            column.addLayout(Flow(10).add(*parts))
        column.addStretch(1)

    def follow(self) -> None:
        """Take in what is new."""
        c = self.model.evidence.facts.conduct
        fields = (
            *self._boxes(),
            self.cache,
            self.rest_limit,
            self.nice,
            self.most_rounds,
            self.first_times,
            self.most_minutes,
            self.share,
        )
        for box in fields:
            box.blockSignals(True)
        self.cache.setCurrentIndex(max(0, self.cache.findData(c.cache)))
        self.rest.setChecked(c.rest)
        self.rest_limit.setValue(c.rest_limit_s)
        self.nice.setValue(c.nice)
        self.cores.setText(",".join(map(str, c.cores)))
        self.outputs.setText(c.outputs)
        self.aside.setChecked(c.set_aside)
        self.warm_all.setChecked(c.warm_all)
        self.most_rounds.setValue(c.most_rounds)
        self.first_times.setValue(c.first_times)
        self.most_minutes.setValue(c.most_minutes)
        self.drop.setChecked(c.drop_hopeless)
        self.share.setValue(100 * c.disturbed_share)
        self.again.setChecked(c.repeat_disturbed)
        self.left.setChecked(c.remove_left)
        self.sync.setChecked(c.sync)
        self.forms.setChecked(c.refuse_forms)
        for box in fields:
            box.blockSignals(False)

    def conduct(self) -> Conduct:
        """What the fields say; cores that this machine has not are left out."""
        words = [w.strip() for w in self.cores.text().split(",")]
        cores = tuple(sorted({int(w) for w in words if w.isdigit() and int(w) < (os.cpu_count() or 1)}))
        place = self.outputs.text().strip()
        kept = place if not place or Path(place).is_dir() else self.model.evidence.facts.conduct.outputs
        return replace(
            self.model.evidence.facts.conduct,
            cache=self.cache.currentData(),
            rest=self.rest.isChecked(),
            rest_limit_s=self.rest_limit.value(),
            nice=self.nice.value(),
            cores=cores,
            set_aside=self.aside.isChecked(),
            warm_all=self.warm_all.isChecked(),
            most_rounds=self.most_rounds.value(),
            first_times=self.first_times.value(),
            most_minutes=self.most_minutes.value(),
            drop_hopeless=self.drop.isChecked(),
            disturbed_share=max(self.share.value(), 1) / 100,
            repeat_disturbed=self.again.isChecked(),
            outputs=kept and str(Path(kept).resolve()),
            remove_left=self.left.isChecked(),
            sync=self.sync.isChecked(),
            refuse_forms=self.forms.isChecked(),
        )

    def _keep(self) -> None:
        self.model.set_conduct(self.conduct())
