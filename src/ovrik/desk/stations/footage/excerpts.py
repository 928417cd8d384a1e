"""The excerpt, or several: chosen on the strip, typed to the frame, or proposed from complexity."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QInputDialog, QMenu, QSpinBox, QVBoxLayout, QWidget

from ovrik.analysis.signals.complexity import likeness, proposals
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.viewing.strip import Strip
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.errors import OvrikError
from ovrik.quality.scores.complexity_sampled import is_sampled
from ovrik.study.programme.excerpt import Excerpt

USUAL_S = 8.0


class ExcerptPanel(QWidget):
    """Fields and buttons above the strip, and how the excerpt compares below it."""

    measure_wanted = pyqtSignal()
    frame_wanted = pyqtSignal(int)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.strip = Strip()
        self.strip.frame_wanted.connect(self.frame_wanted)
        self.strip.excerpt_wanted.connect(self.choose)
        self.note = label("", "note", wrap=True)
        self.like = label("", "soft", elide=True)
        self.span = label("", "soft", elide=True)
        self.start = self._spin("First frame of the excerpt")
        self.length = self._spin("Frames in the excerpt")
        self.start.editingFinished.connect(self._typed)
        self.length.editingFinished.connect(self._typed)
        self.names = QComboBox()
        self.names.setAccessibleName("Excerpts kept by name")
        self.names.activated.connect(self._take_named)
        self.keep = button("Keep as…", self._keep, hint="Keep this excerpt under a name, to time several")
        self.forget = button("Forget", model.drop_excerpt, hint="Forget the name; its runs stay on file")
        self.propose = button(
            "Propose ▾", self._propose, hint="Calm, busy and typical excerpts, by complexity"
        )
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        frame, column = sheet(spacing=6)
        whole.addWidget(frame)
        column.addLayout(self._names_row())
        column.addWidget(self.strip)
        column.addLayout(self._frames_row())
        column.addWidget(self.note)
        model.evidence_changed.connect(self.follow)
        self.follow()

    @staticmethod
    def _spin(name: str) -> QSpinBox:
        made = QSpinBox()
        made.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        made.setAccessibleName(name)
        made.setKeyboardTracking(False)
        made.setFixedWidth(theme.scaled(72))
        return made

    def _names_row(self) -> Flow:
        self.names.setMinimumWidth(theme.scaled(130))
        return Flow().add(
            label("Excerpt", "head"), self.names, self.keep, self.forget, self.like, self.propose
        )

    def _frames_row(self) -> Flow:
        row = Flow().add(
            label("from frame"), self.start, label("for"), self.length, label("frames"), self.span
        )
        for text, act, hint, key in (
            (
                "Start here",
                lambda: self.strip.set_start(self.strip.frame),
                "Start the excerpt at the frame shown",
                "[",
            ),
            (
                "End here",
                lambda: self.strip.set_end(self.strip.frame),
                "End the excerpt at the frame shown",
                "]",
            ),
            ("Whole programme", self._whole, "Time all of it", ""),
        ):
            row.addWidget(button(text, act, hint=hint, key=key))
        return row

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        excerpt, frames, rate = e.facts.excerpt, e.programme.frames, float(e.programme.rate)
        self.strip.show_programme(e.programme, excerpt, e.excerpts, self.model.curve)
        self.strip.show_thumbnails(self.model.study.thumbnails())
        for spin, low, high, value in (
            (self.start, 0, frames - 2, excerpt.start_frame),
            (self.length, 2, frames, excerpt.frames),
        ):
            spin.blockSignals(True)
            spin.setRange(low, high)
            spin.setValue(value)
            spin.blockSignals(False)
        self.names.clear()
        self.names.addItems([*(n.name for n in e.excerpts), *([] if e.excerpt_name else ["no name"])])
        self.names.setCurrentText(e.excerpt_name or "no name")
        self.forget.setEnabled(bool(e.excerpt_name))
        self.span.setText(
            f"{excerpt.start_frame / rate:.3f} s to {excerpt.end_frame / rate:.3f} s, "
            f"{excerpt.frames / rate:.3f} s long"
        )
        self.like.setText(self._likeness(excerpt, frames))
        if e.set_aside:
            self.say(
                f"{e.set_aside} runs belong to another excerpt or programme: they stay on file and "
                "count again when it is chosen again.",
                "note",
            )
        else:
            self.note.hide()

    def _likeness(self, excerpt: Excerpt, frames: int) -> str:
        share = f"{100 * excerpt.frames / frames:.0f} % of the programme"
        if excerpt.frames == frames:
            return "The whole programme"
        if self.model.curve is None:
            return share
        found = likeness(self.model.curve, excerpt.start_frame, excerpt.frames)
        how = " (sampled)" if is_sampled(self.model.curve, self.model.evidence.programme) else ""
        return f"{share}, {found.words}{how}"

    def say(self, text: str, role: str) -> None:
        """A note under the strip."""
        set_role(self.note, role)
        self.note.setText(text)
        self.note.show()

    def choose(self, excerpt: Excerpt) -> None:
        """Time this segment from now on."""
        try:
            self.model.set_excerpt(excerpt)
        except OvrikError as exc:
            self.follow()
            self.say(str(exc), "warning")

    def _typed(self) -> None:
        start = self.start.value()
        self.choose(Excerpt(start, min(self.length.value(), self.model.evidence.programme.frames - start)))

    def _whole(self) -> None:
        self.choose(Excerpt(0, self.model.evidence.programme.frames))

    def _take_named(self) -> None:
        for e in self.model.evidence.excerpts:
            if e.name == self.names.currentText():
                self.choose(e.excerpt)
                self.frame_wanted.emit(e.excerpt.start_frame)

    def _keep(self) -> None:
        name, wanted = QInputDialog.getText(self, "Keep the excerpt", "Name:")
        if wanted and name.strip():
            self.model.keep_excerpt(name.strip())

    def _propose(self) -> None:
        """Offer segments, once complexity is measured."""
        if self.model.curve is None:
            self.measure_wanted.emit()
            return
        self.offer()

    def found(self) -> list[tuple[str, Excerpt]]:
        """What is proposed: words and segment. As long as the present excerpt, unless that is the whole."""
        e = self.model.evidence
        if self.model.curve is None:
            return []
        frames = e.facts.excerpt.frames
        if frames == e.programme.frames:
            frames = max(2, min(round(USUAL_S * e.programme.rate), frames // 3))
        return [
            (f"{p.name}: {p.why}", Excerpt(p.start, p.frames))
            for p in proposals(self.model.curve, e.programme.frames, frames)
        ]

    def offer(self) -> None:
        """The menu of proposals; the chosen one is kept by its name."""
        menu = QMenu(self)
        for words, excerpt in self.found():
            action = menu.addAction(words)
            if action is not None:
                action.triggered.connect(lambda _c=False, w=words, x=excerpt: self.take(w.split(":")[0], x))
        menu.exec(self.propose.mapToGlobal(self.propose.rect().bottomLeft()))

    def take(self, name: str, excerpt: Excerpt) -> None:
        """Choose a proposal and keep it by its name."""
        self.choose(excerpt)
        self.model.keep_excerpt(name)
        self.frame_wanted.emit(excerpt.start_frame)
