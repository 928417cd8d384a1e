"""Scrutiny: is the output right, and does it look right?"""

from typing import Any

import numpy as np
from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from ovrik.desk.model.looking import REFERENCE, Looking
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.viewing.pictures import Pictures
from ovrik.desk.viewing.player import SOUND_RATE, PlayedSound
from ovrik.desk.viewing.viewer_drawing import Box
from ovrik.desk.widgets.pages import MARGINS, PagedStation, PageEntry
from ovrik.desk.widgets.text import label, sheet
from ovrik.errors import OvrikError
from ovrik.study.facts.notes import WHOLE, Pin, Spot
from ovrik.work.checking.moments import Telling

SIDE_PX = 356
HERE = __package__
SHEETS = (
    PageEntry("scores", "Scores", "Metrics, pooled", f"{HERE}.score_sheet.ScoreSheet"),
    PageEntry(
        "losses", "Losses", "Kinds of loss, each with its worst frame", f"{HERE}.score_sheet.LossSheet"
    ),
    PageEntry("points", "Checks", "Is it what was asked for?", f"{HERE}.score_sheet.PointsSheet"),
    PageEntry(
        "moments", "Moments", "Where to look: the frames that say most", f"{HERE}.moments_panel.MomentsPanel"
    ),
    PageEntry("notes", "Notes", "What people saw", f"{HERE}.pins_panel.PinsPanel"),
)
PAGES = (
    PageEntry(
        "look",
        "Look",
        "Outputs and reference, frame by frame",
        f"{HERE}.look_page.LookPage",
        ("model", "pictures", "looking", "side"),
    ),
    PageEntry(
        "blind",
        "Blind comparison",
        "Which is nearer to the reference, not knowing which is which",
        f"{HERE}.blind_page.BlindPage",
        ("model", "pictures"),
    ),
)


class ScrutinyStation(PagedStation):
    """Pages: looking, blind comparison.

    Signals: `reference_wanted` with a file to judge outputs against, or None for the programme; `moments_wanted` with
    a contender's number and that of another, or 0; `sound_wanted` with a file and a moment in it, seconds.
    """

    reference_wanted = pyqtSignal(object)
    moments_wanted = pyqtSignal(int, int)
    sound_wanted = pyqtSignal(object, float)

    def __init__(self, model: DeskModel, pictures: Pictures) -> None:
        super().__init__()
        self.model, self.pictures, self.looking = model, pictures, Looking()
        self._asked: tuple[object, ...] = ()
        self.sound = PlayedSound(self)
        self._samples: np.ndarray | None = None
        self._lay_out()
        self._connect()
        self.follow()

    def _side(self) -> QWidget:
        frame, column = sheet(10, 6)
        frame.setFixedWidth(theme.scaled(SIDE_PX))
        frame.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.head = label("", "head", wrap=True)
        column.addWidget(self.head)
        self.sheets = self.rows_of(SHEETS, main=False)
        column.addWidget(self.sheets, 1)
        return frame

    def _lay_out(self) -> None:
        self.side = self._side()
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.addWidget(self.rows_of(PAGES))
        self.viewer = self.look.viewer

    def meet(self, page: Any) -> None:
        """A page was made."""
        super().meet(page)
        if hasattr(page, "follow"):
            page.follow()

    def _connect(self) -> None:
        model = self.model
        self.moments.wanted.connect(self._ask_for_moments)
        self.moments.chosen.connect(self._look_at)
        self.notes.written.connect(self._pin)
        self.notes.chosen.connect(self._look_at_pin)
        self.notes.dropped.connect(self._drop_pin)
        self.look.boxes = self._boxes
        self.look.region_marked.connect(lambda area: self.notes.say_place(model.frame, area))
        model.evidence_changed.connect(self.follow)
        model.selected.connect(self.follow)
        model.frame_moved.connect(self._frame_moved)
        self.looking.changed.connect(self._other_changed)
        self.looking.playing_changed.connect(self._playing_changed)
        self.look.player.began.connect(self._sound_on)
        self.sheets.turned.connect(self._sheet_turned)
        self.pages.turned.connect(self._page_turned)

    # What is shown

    def follow(self, _id: int = 0) -> None:
        """Take in what is new."""
        chosen = self.model.summary
        self.head.setText(chosen.contender.label if chosen else "")
        self.sheets.tell("follow")
        self.pages.tell("follow")
        self.notes.say_place(self.model.frame, self.look.area)
        self._forget_moments()

    def _page_turned(self, number: int) -> None:
        if number:
            self.looking.set_playing(False)
        self.blind.here = Spot(self.model.frame, self.look.area)

    def _sheet_turned(self, number: int) -> None:
        if self.sheets.keys[number] == "moments" and not self.moments.found:
            self._ask_for_moments()

    # Where to look

    def _pair(self) -> tuple[object, ...]:
        s = self.model.summary
        other = self.model.evidence.of(self.looking.other) if self.looking.other != REFERENCE else None
        ids = tuple(one.score.id if one and one.score else 0 for one in (s, other))
        return (self.model.selection, self.looking.other, *ids)

    def _other_changed(self) -> None:
        if self._asked and self._asked != self._pair():
            self._forget_moments()

    def _forget_moments(self) -> None:
        if self._asked == self._pair():
            return
        self._asked = ()
        self.moments.show_found([])
        self.moments.say("")
        if self.sheets.key == "moments":
            self._ask_for_moments()

    def _ask_for_moments(self) -> None:
        s = self.model.summary
        if s is None or s.score is None or not s.score.metrics:
            self.moments.say("Nothing is scored yet: check the outputs first (Ctrl+E).")
            return
        if self._asked == self._pair():
            return
        self._asked = self._pair()
        self.moments.say("Looking for the frames that say most…")
        self.moments_wanted.emit(self.model.selection, self.looking.other)

    def take_moments(self, contender: int, other: int, found: list[Telling]) -> None:
        """The moments of a contender, beside another one, have been found."""
        self.pages.tell("take_moments", (contender, other), found)
        if (contender, other) == (self.model.selection, self.looking.other):
            self.moments.show_found(found)
            self.moments.say("" if found else "Nothing stands out in this output.")
            if found and self.sheets.key == "moments":
                self.look.show_now()

    def no_moments(self, words: str) -> None:
        """They could not be found."""
        self.pages.tell("no_moments", words)
        self._asked = ()
        self.moments.say(words)

    def _look_at(self, one: Telling) -> None:
        self.model.move(one.frame)
        self.look.mark(one.area)

    # Notes

    def _pin(self, words: str) -> None:
        try:
            self.model.pin(words, self.look.area)
        except OvrikError as exc:
            self.notes.place.setText(str(exc))

    def _look_at_pin(self, pin: Pin) -> None:
        self.model.select(pin.contender_id)
        self.model.move(pin.frame)
        self.look.mark(pin.area)

    def _drop_pin(self, pin: Pin) -> None:
        self.model.drop_pin(pin)

    def _boxes(self) -> list[Box]:
        """Regions on the frame on show: of notes, and the one that is marked."""
        frame, mine = self.model.frame, self.model.selection
        out = [
            Box(QRectF(*p.area), p.words)
            for p in self.model.evidence.pins
            if p.frame == frame and p.contender_id == mine and p.area != WHOLE
        ]
        if self.look.area != WHOLE:
            here = [(m.words, m.frame, m.area) for m in self.moments.found]
            here += [(p.words, p.frame, p.area) for p in self.model.evidence.pins]
            said = next((w for w, n, area in here if (n, area) == (frame, self.look.area)), "")
            out.append(Box(QRectF(*self.look.area), said, True))
        return out

    def play_sound(self, samples: np.ndarray) -> None:
        """Sound of the excerpt has been decoded: it begins where the picture is now."""
        self._samples = samples
        self._sound_on()

    def _frame_moved(self, frame: int) -> None:
        self.notes.say_place(frame, self.look.area)

    def _sound_on(self) -> None:
        at, wanted = self.look.player.position_s, self._samples
        if at is not None and wanted is not None and self.looking.playing:
            self.sound.play(wanted[round(at * SOUND_RATE) :], SOUND_RATE)
            self.look.frames.sound.setToolTip(
                self.sound.words or "With the sound of what is shown, at full speed"
            )

    def _playing_changed(self, on: bool) -> None:
        if not on:
            self.sound.stop()
            self._samples = None

    # The house

    @property
    def occupied(self) -> bool:
        """Whether something plays that must not be held up."""
        return self.looking.playing

    def set_busy(self, busy: bool, locked: bool) -> None:
        """Whether something is being timed, and whether nothing may be changed."""
        self.scores.set_locked(locked)
        self.notes.set_locked(self.model.study.read_only)
        self.looking.set_locked(busy)  # what plays would take the processor from what is timed

    @property
    def chart(self) -> object:
        """The chart of every frame."""
        return self.look.chart.chart

    def close_down(self) -> None:
        """End what goes on."""
        self.sound.stop()
        self.look.close_down()
