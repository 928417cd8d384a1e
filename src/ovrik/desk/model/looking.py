"""How outputs are looked at: which of them, in what arrangement, how large, how fast."""

from dataclasses import dataclass

from psygnal import Signal

from ovrik.analysis.signals.loss_kinds import LOSS_KINDS

REFERENCE = 0
"""Stands for the reference where a contender's number would stand."""
MOST_PANES = 4
GAINS = (1, 2, 4, 8, 16, 32)
SPEEDS = (1.0, 0.5, 0.25)
AROUND_S = 1.0
"""A loop reaches so far to each side, seconds."""


@dataclass(frozen=True)
class Mode:
    """One arrangement. Fields: `key`; `title`; `hint`; `shortcut`."""

    key: str
    title: str
    hint: str
    shortcut: str


ONE, BESIDE, SPLIT, DIFFERENCE, LOSS = "one", "beside", "split", "difference", "loss"
MODES = (
    Mode(ONE, "One", "One picture; F flips to the other", "1"),
    Mode(BESIDE, "Side by side", "Two to four pictures, moved and zoomed together", "2"),
    Mode(SPLIT, "Split", "Two pictures in one, along a line to drag and turn", "3"),
    Mode(DIFFERENCE, "Difference", "What differs, around mid-grey, amplified", "4"),
    Mode(LOSS, "Loss map", "Where in the picture a kind of loss lies", "5"),
)


OWN_DISTANCE_MM = 600.0
"""From which a desk's screen is seen."""


@dataclass(frozen=True)
class Watching:
    """How an output will be watched. Fields: `key`; `title`; `width_mm` of the picture there; `distance_mm` of the
    eye."""

    key: str
    title: str
    width_mm: float
    distance_mm: float

    def pixels_wide(self, pitch_mm: float) -> float:
        """Width in pixels at which a screen with this pixel pitch, seen from `OWN_DISTANCE_MM`, shows the picture
        under the same angle."""
        return OWN_DISTANCE_MM * self.width_mm / self.distance_mm / pitch_mm


WATCHINGS = (
    Watching("phone", "As on a phone in the hand", 132, 320),
    Watching("laptop", "As on a laptop", 310, 550),
    Watching("television", "As on a television across the room", 1218, 2700),
)


class Looking:
    """Signals: `changed` whenever anything here does, but for playing; `playing_changed` with whether it plays."""

    changed = Signal()
    playing_changed = Signal(bool)

    def __init__(self) -> None:
        self.mode = ONE
        self.other = REFERENCE
        self.flipped = False
        self.beside: tuple[int, ...] = ()
        self.gain = 4
        self.loss = LOSS_KINDS[0].key
        self.speed = SPEEDS[0]
        self.loop = False
        self.playing = self.locked = False

    def panes(self, selection: int) -> tuple[int, ...]:
        """What is shown when this contender is selected: numbers of contenders, or `REFERENCE`."""
        if self.mode == ONE:
            return (self.other if self.flipped else selection,)
        if self.mode == BESIDE:
            more = [n for n in self.beside if n not in (selection, self.other)]
            return (self.other, selection, *more)[:MOST_PANES]
        return (self.other, selection)

    def set(self, **values: object) -> None:
        """Change some of it."""
        new = {name: value for name, value in values.items() if getattr(self, name) != value}
        for name, value in new.items():
            setattr(self, name, value)
        if new:
            self.changed.emit()

    def flip(self) -> None:
        """Show the other one."""
        self.set(flipped=not self.flipped)

    def toggle_beside(self, contender: int, wanted: bool) -> None:
        """Take one more into the row, or leave it out; the newest push out the oldest."""
        kept = tuple(n for n in self.beside if n != contender)
        self.set(beside=((*kept, contender) if wanted else kept)[-(MOST_PANES - 2) :])

    def set_playing(self, playing: bool) -> None:
        """Play or stand still; nothing plays while it is locked."""
        playing = playing and not self.locked
        if playing != self.playing:
            self.playing = playing
            self.playing_changed.emit(playing)

    def set_locked(self, locked: bool) -> None:
        """Whether nothing may play."""
        self.locked = locked
        if locked:
            self.set_playing(False)
