"""Footage: what the clip is, and which stretch of it is timed."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSpinBox, QVBoxLayout, QWidget

from ovrik.desk.model import DeskModel
from ovrik.desk.pictures import Pictures
from ovrik.desk.widgets.strip import Strip
from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.desk.widgets.viewer import Viewer
from ovrik.errors import OvrikError
from ovrik.report.facts import footage_rows
from ovrik.study.excerpt import Excerpt


class FootageStation(QWidget):
    """Picture and facts above, the strip and the excerpt below."""

    clip_wanted = pyqtSignal()

    def __init__(self, model: DeskModel, pictures: Pictures) -> None:
        super().__init__()
        self.model, self.pictures = model, pictures
        self.frame = model.evidence.facts.excerpt.start_frame
        self.viewer = Viewer("Picture of the footage")
        self.viewer.step_wanted.connect(lambda by: self.show_frame(self.frame + by))
        self.strip = Strip()
        self.strip.frame_wanted.connect(self.show_frame)
        self.strip.excerpt_wanted.connect(self.choose)
        self.note = label("", "note", wrap=True)
        self.start, self.length = (
            self._spin("First frame of the excerpt"),
            self._spin("Frames in the excerpt"),
        )
        self.start.editingFinished.connect(self._typed)
        self.length.editingFinished.connect(self._typed)
        self.span = label("", "soft")
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addWidget(self.viewer, 3)
        top.addWidget(self._facts(), 2)
        column.addLayout(top, 1)
        column.addWidget(self._excerpt())
        pictures.ready.connect(self._picture_ready)
        model.evidence_changed.connect(self.follow)
        self.follow()

    @staticmethod
    def _spin(name: str) -> QSpinBox:
        made = QSpinBox()
        made.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        made.setAccessibleName(name)
        made.setKeyboardTracking(False)
        made.setMinimumWidth(84)
        return made

    def _facts(self) -> QWidget:
        frame, column = sheet()
        head = QHBoxLayout()
        head.addWidget(label("Clip", "head"), 1)
        head.addWidget(button("Choose clip…", self.clip_wanted.emit, hint="Open another clip"))
        column.addLayout(head)
        self.rows = QGridLayout()
        self.rows.setHorizontalSpacing(12)
        self.rows.setVerticalSpacing(6)
        self.rows.setColumnStretch(1, 1)
        column.addLayout(self.rows)
        column.addStretch(1)
        return frame

    def _excerpt(self) -> QWidget:
        frame, column = sheet()
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(label("Excerpt", "head"))
        row.addSpacing(8)
        row.addWidget(label("from frame"))
        row.addWidget(self.start)
        row.addWidget(label("for"))
        row.addWidget(self.length)
        row.addWidget(label("frames"))
        row.addWidget(self.span, 1)
        row.addWidget(button("Start here", lambda: self.strip.set_start(self.frame),
                             hint="The excerpt begins with the shown frame", key="["))  # fmt: skip
        row.addWidget(button("End here", lambda: self.strip.set_end(self.frame),
                             hint="The excerpt ends with the shown frame", key="]"))  # fmt: skip
        row.addWidget(button("Whole clip", self._whole, hint="Time all of it"))
        column.addLayout(row)
        column.addWidget(self.strip)
        column.addWidget(self.note)
        return frame

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        excerpt = e.facts.excerpt
        self._fill_rows(footage_rows(e.footage))
        self.strip.show_footage(e.footage.frames, float(e.footage.rate), excerpt)
        self.strip.show_thumbnails(self.model.study.thumbnails())
        for spin, low, high, value in (
            (self.start, 0, e.footage.frames - 2, excerpt.start_frame),
            (self.length, 2, e.footage.frames, excerpt.frames),
        ):
            spin.blockSignals(True)
            spin.setRange(low, high)
            spin.setValue(value)
            spin.blockSignals(False)
        rate = float(e.footage.rate)
        self.span.setText(f"{excerpt.start_frame / rate:.3f} s to {excerpt.end_frame / rate:.3f} s, "
                          f"{excerpt.frames / rate:.3f} s long")  # fmt: skip
        if e.set_aside:
            self._say(f"{e.set_aside} runs belong to another excerpt or clip: they stay on file and "
                      "count again when it is chosen again.", "note")  # fmt: skip
        else:
            self.note.hide()
        self.show_frame(min(self.frame, e.footage.frames - 1))

    def _say(self, text: str, role: str) -> None:
        set_role(self.note, role)
        self.note.setText(text)
        self.note.show()

    def _fill_rows(self, rows: list[tuple[str, str]]) -> None:
        while self.rows.count():
            item = self.rows.takeAt(0)
            widget = item.widget() if item else None
            if widget:
                widget.deleteLater()
        for n, (name, value) in enumerate(rows):
            told: QLabel = label(value, wrap=True, copy=True)
            self.rows.addWidget(label(name, "soft"), n, 0, Qt.AlignmentFlag.AlignTop)
            self.rows.addWidget(told, n, 1)

    def show_frame(self, frame: int) -> None:
        """Show a frame of the clip."""
        footage = self.model.evidence.footage
        self.frame = max(0, min(frame, footage.frames - 1))
        self.strip.show_frame(self.frame)
        caption = f"frame {self.frame} · {footage.time_of(self.frame):.3f} s"
        path = Path(footage.path)
        if not path.exists():
            self.viewer.show_picture(self._thumbnail(), caption, "")
            self._say(f"{path} is not there (yet): the picture is a thumbnail.", "note")
            return
        image = self.pictures.kept(path, self.frame)
        if image is not None:
            self.viewer.show_picture(image, caption)
        else:
            self.viewer.caption = caption

    def _thumbnail(self) -> QImage | None:
        known = self.model.study.thumbnails()
        if not known:
            return None
        nearest = min(known, key=lambda n: abs(n - self.frame))
        return QImage.fromData(known[nearest])

    def _picture_ready(self, path: str, frame: int, image: QImage) -> None:
        if path == self.model.evidence.footage.path and frame == self.frame:
            self.viewer.show_picture(image, self.viewer.caption)

    def choose(self, excerpt: Excerpt) -> None:
        """Time this stretch from now on."""
        try:
            self.model.set_excerpt(excerpt)
        except OvrikError as exc:
            self.follow()
            self._say(str(exc), "warning")

    def _typed(self) -> None:
        start = self.start.value()
        self.choose(Excerpt(start, min(self.length.value(), self.model.evidence.footage.frames - start)))

    def _whole(self) -> None:
        self.choose(Excerpt(0, self.model.evidence.footage.frames))
