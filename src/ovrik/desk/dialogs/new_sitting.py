"""Asks what a new sitting is called, and which builds take others' places in it."""

from collections.abc import Mapping

from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from ovrik.desk.style import theme
from ovrik.desk.widgets.text import label
from ovrik.work.timing.new_sitting import may_replace

MOST_NAME = 60
ABOUT = (
    "Everything timed from now on belongs to the new sitting; what was timed before stays. Change nothing to see "
    "what this machine does from day to day, or put another build in a build's place."
)
SURER = "Time both in this sitting, shuffled together: surer than against an earlier day"


class NewSitting(QDialog):
    """`name`, `builds` and `together` hold what was chosen."""

    def __init__(
        self, there: Mapping[str, str], others: Mapping[str, str], parent: QWidget | None = None
    ) -> None:
        """`there`, builds of the line-up, and `others` that could take their places: what they are called, by key."""
        super().__init__(parent)
        self.setWindowTitle("New sitting")
        self.named = QLineEdit()
        self.named.setMaxLength(MOST_NAME)
        self.named.setPlaceholderText("its day and minute")
        self.named.setAccessibleName("Name of the sitting")
        self.boxes: dict[str, QComboBox] = {}
        form = QFormLayout()
        form.addRow("Name", self.named)
        for key, title in there.items():
            box = QComboBox()
            box.setAccessibleName(f"In the place of {title}")
            box.addItem(f"{title}, as it is now", "")
            for other, name in others.items():
                if may_replace(key, other):
                    box.addItem(name, other)
            self.boxes[key] = box
            form.addRow(f"{title}", box)
        self.both = QCheckBox(SURER)
        self.both.setEnabled(False)
        for box in self.boxes.values():
            box.currentIndexChanged.connect(lambda _n: self.both.setEnabled(bool(self.builds)))
        asked = QDialogButtonBox()
        begin = asked.addButton("Begin", QDialogButtonBox.ButtonRole.AcceptRole)
        asked.addButton("Not now", QDialogButtonBox.ButtonRole.RejectRole)
        asked.accepted.connect(self.accept)
        asked.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        about = label(ABOUT, "soft", wrap=True)
        about.setMinimumWidth(theme.scaled(460))
        column.addWidget(about)
        column.addLayout(form)
        column.addWidget(self.both)
        column.addWidget(asked)
        if begin is not None:
            begin.setDefault(True)

    @property
    def name(self) -> str:
        """What it is to be called, "" for its day."""
        return self.named.text().strip()

    @property
    def builds(self) -> dict[str, str]:
        """Which build takes which one's place."""
        return {key: box.currentData() for key, box in self.boxes.items() if box.currentData()}

    @property
    def together(self) -> bool:
        """Whether both are timed."""
        return bool(self.builds) and self.both.isChecked()
