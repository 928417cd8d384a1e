"""What the programme is, and what references take on the disk."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.text import button, emptied, label, scrolling
from ovrik.errors import OvrikError
from ovrik.quality.reference.key import references_folder
from ovrik.quality.reference.made import cache_use, clear_cache
from ovrik.report.words.numbers import size_words
from ovrik.report.words.rows import programme_rows
from ovrik.study.contender.as_table import parse_size
from ovrik.study.programme.programme import AS_IT_IS, FILL, FITS, INSIDE

SIZE_PX = 110
TITLES = {INSIDE: "clips inside it", FILL: "clips fill it", AS_IT_IS: "clips as they are"}


class ProgrammeFacts(QWidget):
    """Rows of name and value, and what opens, finds and writes."""

    source_wanted = pyqtSignal()
    clips_wanted = pyqtSignal()
    timeline_wanted = pyqtSignal()

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.rows = QGridLayout()
        self.rows.setHorizontalSpacing(12)
        self.rows.setVerticalSpacing(5)
        self.rows.setColumnStretch(1, 1)
        self.rows.setContentsMargins(0, 0, 6, 0)
        inside = QWidget()
        held = QVBoxLayout(inside)
        held.setContentsMargins(0, 0, 0, 0)
        held.addLayout(self.rows)
        held.addStretch(1)
        self.find_clips = button(
            "Find clips…", self.clips_wanted.emit, "main", "Look for missing clips in a folder"
        )
        head = Flow().add(
            button("Open…", self.source_wanted.emit, hint="A clip, several clips, or a timeline"),
            button("Write timeline…", self.timeline_wanted.emit, hint="As .otio or .edl"),
            None,
            self.find_clips,
        )
        self.frame_size, self.fit = QLineEdit(), QComboBox()
        self.frame_size.setAccessibleName("Size of the frame, in pixels")
        self.frame_size.setToolTip(
            "Width and height of the frame that the programme is put together in, such as 1280x720"
        )
        self.frame_size.setMaximumWidth(theme.scaled(SIZE_PX))
        self.frame_size.editingFinished.connect(self._resize)
        for fit in FITS:
            self.fit.addItem(TITLES[fit], fit)
        self.fit.setAccessibleName("How clips of another shape come into the frame")
        self.fit.setToolTip("How clips of another shape come into the frame")
        self.fit.activated.connect(self._resize)
        self.trouble = label("", "trouble", wrap=True)
        self.trouble.hide()
        framed = Flow().add(label("Frame", "soft"), self.frame_size, self.fit)
        self.cache = label("", "soft", elide=True)
        self.clear = button(
            "Clear", self._clear, hint="Remove all references; they are made again when needed"
        )
        foot = QHBoxLayout()
        foot.addWidget(self.cache, 1)
        foot.addWidget(self.clear)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(head)
        column.addLayout(framed)
        column.addWidget(self.trouble)
        column.addWidget(scrolling(inside), 1)
        column.addLayout(foot)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        programme = self.model.evidence.programme
        emptied(self.rows)
        for n, (name, value) in enumerate(programme_rows(programme)):
            said: QLabel = label(value, wrap=True, copy=True)
            self.rows.addWidget(label(name, "soft"), n, 0, Qt.AlignmentFlag.AlignTop)
            self.rows.addWidget(said, n, 1)
        self.frame_size.setText(f"{programme.width}x{programme.height}")
        self.fit.setCurrentIndex(FITS.index(programme.fit))
        self.find_clips.setVisible(any(not Path(c.path).exists() for c in programme.clips))
        self._show_cache()

    def _resize(self) -> None:
        programme = self.model.evidence.programme
        try:
            made = programme.sized(*parse_size(self.frame_size.text()), self.fit.currentData())
        except OvrikError as exc:
            self.trouble.setText(str(exc))
            self.trouble.show()
            return
        self.trouble.hide()
        self.model.set_programme(made)

    def _show_cache(self) -> None:
        use = cache_use()
        plural = "s" * (use.files != 1)
        self.cache.setText(
            f"{use.files} reference{plural} in the cache: {size_words(use.bytes)}"
            if use.files
            else "No reference in the cache"
        )
        self.cache.setToolTip(str(references_folder()))
        self.clear.setEnabled(use.files > 0)

    def _clear(self) -> None:
        clear_cache()
        self._show_cache()
