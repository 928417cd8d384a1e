"""Blind comparison: which of two is nearer to the reference, without knowing which is which."""

import getpass

from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QImage, QShowEvent
from PyQt6.QtWidgets import QComboBox, QLineEdit, QSpinBox, QStackedWidget, QVBoxLayout, QWidget

from ovrik.analysis.scores.blind import LEAST, MOST, OPEN, USUAL_MOST
from ovrik.desk.model.looking import REFERENCE as REFERENCE_PANE
from ovrik.desk.model.looking import WATCHINGS, Watching
from ovrik.desk.model.study import DeskModel
from ovrik.desk.viewing.pictures import Pictures
from ovrik.desk.viewing.viewer import ZOOMS, Viewer
from ovrik.desk.viewing.viewer_drawing import Pane
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, set_role
from ovrik.errors import OvrikError
from ovrik.study.facts.notes import REFERENCE, WHOLE, Blind, Spot
from ovrik.work.checking.blind import BlindSeries, power_words, told_words
from ovrik.work.checking.moments import Telling
from ovrik.work.evidence.shown_files import Looked, output_of, reference_of

SIZES = (*((f"{100 * z:.0f} %" if z else "Fit", z) for z in ZOOMS[:4]), *((w.title, w) for w in WATCHINGS))
HERE, TELLING = "The frame and region on show", "The telling moments"


class BlindPage(QWidget):
    """A form to begin with, the two pictures while it goes on, and what earlier ones came to.

    Signals: `moments_wanted` with a contender's number and that of another.
    """

    moments_wanted = pyqtSignal(int, int)

    def __init__(self, model: DeskModel, pictures: Pictures) -> None:
        super().__init__()
        self.model, self.pictures = model, pictures
        self.series: BlindSeries | None = None
        self.here = Spot(0)
        self._files: dict[str, Looked] = {}
        self._waiting: tuple[int, int] | None = None
        self._held = False
        self._on_show = 0
        self.viewer = Viewer("Left and right")
        self.viewer.held.connect(self._hold)
        self.stack = QStackedWidget()
        self.stack.addWidget(self._form())
        self.stack.addWidget(self._running())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.stack)
        pictures.ready.connect(self._ready)
        pictures.failed.connect(self._failed)

    def _form(self) -> QWidget:
        self.other = QComboBox()
        self.other.setAccessibleName("Compared with")
        self.who = QLineEdit(_own_name())
        self.who.setAccessibleName("Who looks")
        self.who.setMaximumWidth(220)
        self.most = QSpinBox()
        self.most.setRange(LEAST, MOST)
        self.most.setValue(USUAL_MOST)
        self.most.setAccessibleName("Trials at the most")
        self.most.setSingleStep(20)
        self.finds = label(power_words(USUAL_MOST), "soft", wrap=True)
        self.most.valueChanged.connect(lambda most: self.finds.setText(power_words(most)))
        self.watched = QComboBox()
        self.watched.addItems([name for name, _z in SIZES])
        self.watched.setAccessibleName("Watched at")
        self.spots = QComboBox()
        self.spots.addItems([TELLING, HERE])
        self.spots.setAccessibleName("Where to look")
        self.begin_button = button("Begin", self.begin, "main", "Two pictures, sides drawn anew each time")
        self.said = label("", wrap=True, copy=True)
        self.about = label(
            "Each time, choose the picture that is nearer to the reference; hold H to see the reference. It ends as "
            "soon as they are told apart, or can't be any more: somebody who only guesses seems to tell them apart "
            "in no more than 5 of 100 comparisons. Compared with the reference itself, it shows whether an output "
            "can be told from it at all.",
            "soft",
            wrap=True,
        )
        self.table = DeskTable(
            ("Who", "Outputs", "Watched at", "Trials", "Result"), "Blind comparisons", True
        )
        self.name = label("", "head")
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(Flow(10).add(self.name, together(label("against"), self.other)))
        column.addLayout(
            Flow(10).add(
                together(label("who looks"), self.who),
                together(label("watched at"), self.watched),
                together(label("where"), self.spots),
                together(label("trials at the most"), self.most),
                self.begin_button,
            )
        )
        column.addWidget(self.finds)
        column.addWidget(self.about)
        column.addWidget(self.said)
        column.addWidget(label("Comparisons on file", "head"))
        column.addWidget(self.table, 1)
        return page

    def _running(self) -> QWidget:
        self.trial = label("", "head")
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        hold = button(
            "Reference", lambda: None, hint="The reference while this, or H in the picture, is held down"
        )
        hold.pressed.connect(lambda: self._hold(True))
        hold.released.connect(lambda: self._hold(False))
        column.addWidget(self.viewer, 1)
        column.addLayout(
            Flow(8).add(
                button("Left is nearer", lambda: self.answer(True), "main", "to the reference", "1"),
                button("Right is nearer", lambda: self.answer(False), "main", "to the reference", "2"),
                hold,
                self.trial,
                None,
                button("Stop", self.stop, hint="End it before it is decided"),
            )
        )
        return page

    # The form

    def follow(self) -> None:
        """Take in what is new."""
        s = self.model.summary
        self.name.setText(s.contender.label if s else "")
        now = self.other.currentData()
        names = [("the reference itself", REFERENCE_PANE)]
        names += [
            (o.contender.label, o.contender.contender_id)
            for o in self.model.evidence.summaries
            if o.contender.contender_id != self.model.selection
        ]
        self.other.clear()
        for name, number in names:
            self.other.addItem(name, number)
        self.other.setCurrentIndex(max(self.other.findData(now), 0))
        self._fill_table()

    def _fill_table(self) -> None:
        rows = []
        for blind in reversed(self.model.evidence.blinds):
            one, other = self._name(blind.one), self._name(blind.other)
            said = told_words(blind, one, other)
            rows.append(
                [
                    Cell(blind.viewer),
                    Cell(f"{one} against {other}"),
                    Cell(blind.watching),
                    Cell(str(len(blind.choices)), right=True),
                    Cell(said, said),
                ]
            )
        self.table.fill(rows, range(1, len(rows) + 1))

    def _name(self, sha256: str) -> str:
        if sha256 == REFERENCE:
            return "the reference"
        for s in self.model.evidence.summaries:
            if any(r.output_sha256 == sha256 for r in s.runs):
                return s.contender.label
        return "an output that is gone"

    def begin(self) -> None:
        """Find where to look, then begin."""
        if self.spots.currentText() == HERE:
            self.start([self.here])
            return
        self._waiting = (self.model.selection, self.other.currentData() or 0)
        self._say("Looking for the moments that say most…")
        self.moments_wanted.emit(*self._waiting)

    def take_moments(self, pair: tuple[int, int], found: list[Telling]) -> None:
        """Moments of a contender, beside another, were found."""
        if pair == self._waiting:
            self._waiting = None
            self.start([Spot(t.frame, t.area) for t in found])

    def no_moments(self, words: str) -> None:
        """They could not be."""
        if self._waiting:
            self._waiting = None
            self._say(words, True)

    def start(self, spots: list[Spot]) -> None:
        """Begin with these."""
        try:
            self.series = self._series(tuple(dict.fromkeys(spots)))
        except OvrikError as exc:
            self._say(str(exc), True)
            return
        self._say("")
        self.stack.setCurrentIndex(1)
        self._next()
        self.viewer.setFocus()

    def _series(self, spots: tuple[Spot, ...]) -> BlindSeries:
        e, study = self.model.evidence, self.model.study
        if study.read_only:
            raise OvrikError("This study is read-only", "Copy it to another folder")
        s, other = e.of(self.model.selection), e.of(self.other.currentData() or 0)
        reference = reference_of(self.model.study, s, e)
        mine = output_of(study, s, e) if s else None
        theirs = output_of(study, other, e) if other else reference
        if mine is None or theirs is None:
            raise OvrikError("One of the two has no output on disk", "Time it to make one")
        if not reference.path.exists():
            raise OvrikError("The reference is not there yet", "It is made when outputs are checked")
        key = theirs.checksum if other else REFERENCE
        self._files = {mine.checksum: mine, key: theirs, REFERENCE: reference}
        for looked in self._files.values():
            self.pictures.copy_soon(looked.path)
        blind = Blind(
            one=mine.checksum,
            other=key,
            reference=reference.checksum,
            viewer=self.who.text().strip() or "somebody",
            watching=self.watched.currentText(),
            spots=spots,
            most=self.most.value(),
        )
        return BlindSeries(blind, lambda b: study.keep_blind(b, e.programme, e.facts.excerpt))

    def _say(self, words: str, trouble: bool = False) -> None:
        self.said.setText(words)
        self.said.setVisible(bool(words))
        set_role(self.said, "trouble" if trouble else "")

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while the page was not on show is shown now."""
        super().showEvent(event)
        self._show()

    # While it goes on

    def _next(self) -> None:
        assert self.series is not None
        # Nothing is shown until all of the trial is there, so that no answer is for what was shown before.
        self._on_show = 0
        self.viewer.show_picture(None, "")
        self.trial.setText(f"Trial {self.series.trial.number} of {self.series.blind.most} at the most")
        self._show()

    def _show(self) -> None:
        if self.series is None or not self.isVisible():
            return
        trial = self.series.trial
        sides = [self._files[key] for key in (trial.left, trial.right)]
        reference = self._files[REFERENCE]
        frame = trial.spot.frame
        images = [self.pictures.kept(f.path, f.at(frame)) for f in sides]
        behind = self.pictures.kept(reference.path, reference.at(frame))
        if behind is None or any(i is None for i in images):
            return
        if self._held:
            self.viewer.show_panes([Pane(behind, "Reference"), Pane(behind, "Reference")])
        else:
            self.viewer.show_panes([Pane(images[0], "Left"), Pane(images[1], "Right")])
        self._on_show = trial.number
        self._resize(trial.spot)

    def _failed(self, path: str, words: str) -> None:
        if self.series is not None and any(str(f.path) == path for f in self._files.values()):
            self.series.stop()
            self._over()
            self._say(words, True)

    def _ready(self, _path: str, _frame: int, _image: QImage) -> None:
        self._show()

    def _resize(self, spot: Spot) -> None:
        wanted = SIZES[self.watched.currentIndex()][1]
        if isinstance(wanted, Watching):
            self.viewer.zoom_to_width(wanted.pixels_wide)
        elif isinstance(wanted, float):
            self.viewer.set_zoom(wanted)
        if spot.area != WHOLE:
            self.viewer.look_at(QRectF(*spot.area))

    def _hold(self, down: bool) -> None:
        self._held = down
        self._show()

    def answer(self, left: bool) -> None:
        """The left one, or the right one, is nearer."""
        if self.series is None or self._held or self._on_show != self.series.trial.number:
            return
        found = self.series.answer(left)
        if found.answer == OPEN:
            self._next()
        else:
            self._over()

    def stop(self) -> None:
        """End it before it is decided."""
        if self.series is not None:
            self.series.stop()
            self._over()

    def _over(self) -> None:
        assert self.series is not None
        blind, self.series = self.series.blind, None
        self.stack.setCurrentIndex(0)
        self._say(told_words(blind, self._name(blind.one), self._name(blind.other)))
        self.model.refresh()


def _own_name() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return ""
