"""What is being timed now, large; or what the next rounds would take."""

from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from ovrik.desk.style import marks, theme
from ovrik.desk.widgets.text import LiveText, button, label
from ovrik.report.words.phrases import left_words
from ovrik.report.words.progress import rest_words, waiting_words, where_words
from ovrik.work.timing.fairness import Waiting
from ovrik.work.timing.series import TimingUpdate

MARK_PX = 20


class Mark(QWidget):
    """A contender's mark by itself."""

    def __init__(self) -> None:
        super().__init__()
        self.contender_id = 0
        self.setFixedSize(theme.scaled(MARK_PX + 6), theme.scaled(MARK_PX + 6))

    def show_of(self, contender_id: int) -> None:
        """Draw that of another contender, if it is another."""
        if contender_id != self.contender_id:
            self.contender_id = contender_id
            self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw it."""
        if self.contender_id:
            centre = QPointF(self.width() / 2, self.height() / 2)
            marks.paint(QPainter(self), centre, theme.scaled(MARK_PX), self.contender_id)


class NowBand(QWidget):
    """The current run with its mark, label, share, frames, rates and time left over a bar that grows. Each text is
    drawn alone, for this happens while that run is timed.

    Signal: `rest_ended`, the user would rather not wait."""

    rest_ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.waiting: Waiting | None = None
        self.mark = Mark()
        self.figure, self.now = label("", "head"), LiveText(14, 600, "ink")
        self.plan = LiveText()
        self.doing, self.rates = LiveText(), LiveText()
        self.percent = LiveText(14, 600, "ink", wide="100 % of this run")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName("Progress of this run")
        self.go_on = button(
            "Go on now", self.rest_ended.emit, hint="End this rest: the run says what was not back"
        )
        first = QHBoxLayout()
        first.setSpacing(10)
        for part, stretch in (
            (self.mark, 0),
            (self.figure, 0),
            (self.plan, 9),
            (self.now, 2),
            (self.percent, 0),
            (self.bar, 3),
        ):
            first.addWidget(part, stretch)
        first.addWidget(self.go_on)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(first)
        column.addWidget(self.doing)
        column.addWidget(self.rates)
        self.show_plan("", "")

    def show_plan(self, figure: str, words: str) -> None:
        """Nothing runs: what is on file, and what the rounds asked for would take."""
        self._show(running=False)
        self.go_on.hide()
        self.figure.setText(figure)
        self.plan.setText(words)

    def _show(self, running: bool) -> None:
        of_run: tuple[QWidget, ...] = (self.mark, self.now, self.bar, self.doing, self.rates, self.percent)
        of_plan: tuple[QWidget, ...] = (self.figure, self.plan)
        for part in of_run:
            part.setVisible(running)
        for part in of_plan:
            part.setVisible(not running)

    def show_run(self, update: TimingUpdate) -> None:
        """The current run as it is now."""
        p = update.progress
        share = min(p.frame / update.frames, 1.0) if p else float(bool(update.ended))
        self._show(running=True)
        self.mark.show_of(update.planned.contender_id)
        self.now.setText(update.preparing or update.label)
        self.bar.setValue(round(1000 * share))
        self.percent.setText(f"{100 * share:.0f} % of this run")
        self.rates.setText(f"frame {p.frame} of {update.frames}: {_rates(update)}" if p else "")
        self.go_on.setVisible(update.waiting is not None)
        self.waiting = update.waiting
        said = [where_words(update), waiting_words(update.waiting) if update.waiting else ""]
        where = ", ".join(filter(None, [*said, f"run {update.number} of {update.total}"]))
        more = f"; {rest_words(update.rest)}" if update.rest else ""
        self.doing.setText(f"{where}: {left_words(update.left)}{more}")


LIVE = (
    ("cpu", "processors {:.0f} %"),
    ("temperature", "{:.0f} °C"),
    ("watts", "{:.0f} W"),
    ("encoder load [%]", "encoder {:.0f} %"),
    ("encoder 1 load [%]", "unit 1 {:.0f} %"),
    ("encoder 2 load [%]", "unit 2 {:.0f} %"),
)


def _rates(update: TimingUpdate) -> str:
    """Frames per second now and on average, and what is at work."""
    p = update.progress
    mean = p.frame / p.at_s if p and p.at_s > 0 else 0.0
    now = f"{update.now['fps']:.0f} fps now, " if "fps" in update.now else ""
    return ", ".join(
        [f"{now}{mean:.0f} on average", *(text.format(update.now[n]) for n, text in LIVE if n in update.now)]
    )
