"""The strip at the foot: what is going on, how far it is, how long it takes, and Stop."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QWidget

from ovrik.desk.jobs.job import Job
from ovrik.desk.style import theme
from ovrik.desk.widgets.text import button, label, set_role
from ovrik.report.words.phrases import seconds_words

AT_REST = "Nothing is running. Ctrl+R times the line-up."


class JobStrip(QFrame):
    """Shows one job at a time, and what the last one came to."""

    stop_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setFixedHeight(theme.scaled(44))
        self.words = label("", elide=True)
        self.left = label("", "soft")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)  # it would stand half on one colour, half on another
        self.bar.setFixedWidth(theme.scaled(220))
        self.bar.setAccessibleName("Progress of the job")
        self.stop = button(
            "Stop", self.stop_wanted.emit, "stop", "End this job; finished work is kept", "Ctrl+."
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 10, 4)
        row.setSpacing(12)
        row.addWidget(self.words, 1)
        row.addWidget(self.left, 0, Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.bar)
        row.addWidget(self.stop)
        self.rest(AT_REST)

    def follow(self, job: Job) -> None:
        """Show this job from now on."""
        set_role(self.words, "")
        self.words.setText(job.name)
        self.left.setText("")
        self.bar.setValue(0)
        self.bar.show()
        self.stop.show()
        job.progressed.connect(self.report)

    def report(self, share: float, words: str, left_s: object) -> None:
        """Progress."""
        self.words.setText(words)
        self.bar.setRange(0, 0 if share < 0 else 1000)
        if share >= 0:
            self.bar.setValue(round(1000 * share))
        done = [f"{100 * share:.0f} % of all"] if share >= 0 else []
        left = [f"{seconds_words(left_s)} left"] if isinstance(left_s, float | int) else []
        self.left.setText(", ".join((*done, *left)))

    def say(self, words: str) -> None:
        """Words about the job in hand, which goes on."""
        self.words.setText(words)
        self.words.setToolTip(words)

    def rest(self, words: str, trouble: bool = False) -> None:
        """Nothing is running; say what the last job came to."""
        set_role(self.words, "trouble" if trouble else "soft")
        self.words.setText(words)
        self.words.setToolTip(words)
        self.left.setText("")
        self.bar.hide()
        self.stop.hide()
