"""Four plain questions that a new study begins with, on one page."""

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDialog,
    QLineEdit,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.errors import OvrikError
from ovrik.study.programme.programme import Programme
from ovrik.work.lineup.first_line_up import (
    CODECS,
    CONTAINERS_HELD,
    DEPTHS,
    FourAnswers,
    first_line_up,
    own_place,
    purposes,
)

WIDE_PX = 620
UNDECIDED = ("no limits yet", "Only its checks: limits are set in Verdict")
AT_FIRST = ("h264", "hevc", "av1")


class NewStudy(QDialog):
    """Follows the programme that was read.

    Attributes: `programme`, None until one is; `answers` and `named` as the fields have them. Signal: `begun`, when
    it is to be made."""

    begun = pyqtSignal()

    def __init__(self, choose: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("New study – Ovrik")
        self.programme: Programme | None = None
        self.setMinimumWidth(theme.scaled(WIDE_PX))
        self.choose = button(
            "Choose clips or a timeline…", choose, hint="One clip, clips in their order, or a timeline"
        )
        self.read = label("Nothing is chosen yet.", "soft", wrap=True)
        self.purposes, self._purposes = QButtonGroup(self), ("", *purposes())
        self.codecs = {key: QCheckBox(codec.title) for key, codec in CODECS.items()}
        self.presets = QCheckBox("a faster and a slower preset of each")
        self.devices = QCheckBox("treatments by OpenCL too")
        self.bits, self.container = QComboBox(), QComboBox()
        self.title = QLineEdit()
        self.said = label("", "soft", wrap=True)
        self.begin = button("Begin", self.begun.emit, "main")
        self.begin.setDefault(True)
        self._lay_out()
        self._follow()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setSpacing(10)
        column.addWidget(self._question("1  Which footage?", Flow(10).add(self.choose), self.read))
        ready = Flow(14)
        for number, (name, about) in enumerate((UNDECIDED, *purposes().items())):
            made = QRadioButton(name)
            made.setToolTip(about)
            made.setChecked(number == 0)
            self.purposes.addButton(made, number)
            ready.addWidget(made)
        column.addWidget(self._question("2  What is it for?", ready))
        for key, box in self.codecs.items():
            box.setChecked(key in AT_FIRST)
        column.addWidget(
            self._question(
                "3  What may vary?",
                Flow(14).add(*self.codecs.values()),
                Flow(14).add(self.presets, self.devices),
            )
        )
        for words, depth in DEPTHS.items():
            self.bits.addItem(words, depth)
        for words, container in CONTAINERS_HELD.items():
            self.container.addItem(words, container)
        self.bits.setAccessibleName("Bit depth that must hold")
        self.container.setAccessibleName("Container that must hold")
        column.addWidget(
            self._question(
                "4  What must hold?",
                Flow(8).add(label("Bit depth"), self.bits, label("Container"), self.container),
            )
        )
        self.title.setAccessibleName("Name of the study")
        self.title.setPlaceholderText("as the footage")
        self.title.setMinimumWidth(theme.scaled(220))
        frame, inner = sheet()
        inner.addLayout(Flow(8).add(label("Its name", "head"), self.title))
        inner.addWidget(self.said)
        column.addWidget(frame)
        column.addLayout(Flow(8).add(None, button("Not now", self.reject), self.begin))
        for group in (*self.codecs.values(), self.presets, self.devices):
            group.toggled.connect(lambda _on: self._follow())
        for chooser in (self.bits, self.container):
            chooser.currentIndexChanged.connect(lambda _n: self._follow())
        self.title.textChanged.connect(lambda _t: self._follow())

    @staticmethod
    def _question(title: str, *parts: Flow | QWidget) -> QWidget:
        frame, inner = sheet()
        inner.addWidget(label(title, "head"))
        for part in parts:
            inner.addWidget(part) if isinstance(part, QWidget) else inner.addLayout(part)
        return frame

    @property
    def answers(self) -> FourAnswers:
        """As the fields have them."""
        return FourAnswers(
            purpose=self._purposes[max(self.purposes.checkedId(), 0)],
            codecs=tuple(key for key, box in self.codecs.items() if box.isChecked()),
            presets=self.presets.isChecked(),
            devices=self.devices.isChecked() and self.devices.isEnabled(),
            depth=self.bits.currentData() or 0,
            container=self.container.currentData() or "",
        )

    @property
    def named(self) -> str:
        """What the study is to be called."""
        stem = self.programme.name.rsplit(".", 1)[0] if self.programme else ""
        return self.title.text().strip() or stem or "study"

    def show_programme(self, programme: Programme) -> None:
        """Clips or a timeline were read."""
        self.programme = programme
        seconds = programme.frames / float(programme.rate)
        self.read.setText(
            f"{programme.name}: {programme.width} × {programme.height}, {float(programme.rate):g} fps, "
            f"{seconds:.1f} s, {len(programme.shots)} shot{'s' * (len(programme.shots) != 1)}"
            + (f". Left out: {'; '.join(programme.left_out)}" if programme.left_out else "")
        )
        self._follow()

    def _follow(self) -> None:
        """Say what the answers come to."""
        self.devices.setEnabled(bool(self.programme and self.programme.every_treatment))
        self.begin.setEnabled(False)
        set_role(self.said, "soft")
        if self.programme is None:
            self.said.setText("The study is saved beside the footage, and can be renamed later.")
            return
        try:
            made = first_line_up(self.answers, self.programme)
            place = own_place(self.programme, self.named)
        except OvrikError as exc:
            set_role(self.said, "trouble")
            self.said.setText(str(exc))
            return
        count = f"{len(made)} contender{'s' * (len(made) != 1)}: {'; '.join(c.label for c in made)}"
        self.said.setText(f"{count}. Saved as {place.name} in {place.parent}; it can be renamed later.")
        self.begin.setEnabled(True)
