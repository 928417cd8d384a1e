"""Footage: what the programme is, how it is treated, and which segment of it is timed."""

from pathlib import Path

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.footage.excerpts import ExcerptPanel
from ovrik.desk.style import theme
from ovrik.desk.viewing.pictures import Pictures
from ovrik.desk.viewing.viewer import Viewer
from ovrik.desk.widgets.pages import MARGINS, PagedStation, PageEntry
from ovrik.desk.widgets.text import button, sheet
from ovrik.errors import OvrikError
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import GAP

STILL_AFTER_MS = 250
"""How long the playhead must rest before a treated frame is made: that takes a second."""


HERE = __package__
PAGES = (
    PageEntry("facts", "Programme", "Show programme", f"{HERE}.programme_facts.ProgrammeFacts"),
    PageEntry("treatments", "Treatments", "Show treatments", f"{HERE}.treatments.TreatmentsPanel"),
)


class FootageStation(PagedStation):
    """Picture beside facts or treatments above, the strip and the excerpt below."""

    source_wanted = pyqtSignal()
    clips_wanted = pyqtSignal()
    timeline_wanted = pyqtSignal()
    measure_wanted = pyqtSignal()
    still_wanted = pyqtSignal(int)

    def __init__(self, model: DeskModel, pictures: Pictures) -> None:
        super().__init__()
        self.model, self.pictures = model, pictures
        self.frame = model.evidence.facts.excerpt.start_frame
        self.viewer = Viewer("Picture of the programme")
        self.viewer.step_wanted.connect(lambda by: self.show_frame(self.frame + by))
        self.excerpts = ExcerptPanel(model)
        self.excerpts.measure_wanted.connect(self.measure_wanted)
        self.excerpts.frame_wanted.connect(self.show_frame)
        self.strip, self.note = self.excerpts.strip, self.excerpts.note
        self.start, self.length = self.excerpts.start, self.excerpts.length
        self.treated = button(
            "Treated", self._show_again, hint="Show the picture as it will be exported", key="T"
        )
        self.treated.setCheckable(True)
        self._stills: dict[tuple[str, int], QImage] = {}
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(STILL_AFTER_MS)
        self._rest.timeout.connect(self._request_still)
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.setSpacing(8)
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addWidget(self.viewer, 3)
        top.addWidget(self._side(), 2)
        column.addWidget(self.pages.bar)
        column.addLayout(top, 1)
        column.addWidget(self.excerpts)
        pictures.ready.connect(self._picture_ready)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def _side(self) -> QWidget:
        frame, column = sheet()
        frame.setMinimumWidth(theme.scaled(360))
        frame.setMaximumWidth(theme.scaled(440))
        row = self.rows_of(PAGES)
        row.row.add(None, self.treated)
        column.addWidget(row)
        return frame

    def follow(self) -> None:
        """Take in what is new."""
        programme = self.model.evidence.programme
        self.treated.setEnabled(bool(programme.every_treatment))
        self.show_frame(min(self.frame, programme.frames - 1))

    def _show_again(self) -> None:
        self.show_frame(self.frame)

    def show_frame(self, frame: int) -> None:
        """Show a frame of the programme."""
        programme = self.model.evidence.programme
        self.frame = max(0, min(frame, programme.frames - 1))
        self.strip.show_frame(self.frame)
        shot = programme.shot_at(self.frame)
        self.treatments.show_shot(shot)
        where = f"shot {shot + 1} · " if len(programme.shots) > 1 else ""
        caption = f"{where}frame {self.frame} · {programme.time_of(self.frame):.3f} s"
        self._rest.stop()
        if self.treated.isChecked() and self.treated.isEnabled():
            kept = self._stills.get((programme.checksum, self.frame))
            if kept is not None:
                self.viewer.show_picture(kept, f"{caption} · treated")
                return
            self._rest.start()
            caption += " · treating…"
        clip, number = programme.source_of(self.frame)
        if clip == GAP:
            self.viewer.show_picture(None, caption, "Black: a gap in the timeline")
            return
        path = Path(programme.clips[clip].path)
        if not path.exists():
            self.viewer.show_picture(self._thumbnail(), caption, "")
            self.excerpts.say(f"{path} hasn't been found yet: this is a thumbnail.", "note")
            return
        image = self.pictures.kept(path, number)
        if image is not None:
            self.viewer.show_picture(image, caption)
        else:
            self.viewer.recaption(caption)

    def _request_still(self) -> None:
        self.still_wanted.emit(self.frame)

    def take_still(self, checksum: str, frame: int, image: QImage) -> None:
        """A treated frame was made."""
        if len(self._stills) > 40:
            self._stills.clear()
        self._stills[checksum, frame] = image
        if frame == self.frame and checksum == self.model.evidence.programme.checksum:
            self.show_frame(frame)

    def take_thumbnails(self, model: DeskModel) -> None:
        """Thumbnails were made for this model's study."""
        if model is self.model:
            self.strip.show_thumbnails(model.study.thumbnails())

    def _thumbnail(self) -> QImage | None:
        return self.strip.nearest(self.frame)

    def _picture_ready(self, path: str, frame: int, image: QImage) -> None:
        programme = self.model.evidence.programme
        clip, number = programme.source_of(self.frame)
        if (
            clip != GAP
            and (path, frame) == (programme.clips[clip].path, number)
            and ("treated" not in self.viewer.caption)
        ):
            self.viewer.show_picture(image, self.viewer.caption)

    def choose(self, excerpt: Excerpt) -> None:
        """Time this segment from now on."""
        try:
            self.model.set_excerpt(excerpt)
        except OvrikError as exc:
            self.follow()
            self.excerpts.say(str(exc), "warning")
