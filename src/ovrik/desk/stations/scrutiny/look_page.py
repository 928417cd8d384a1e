"""The viewer's page: outputs and reference at the same frame, always locked."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QImage, QKeySequence, QShortcut, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.model.looking import (
    AROUND_S,
    DIFFERENCE,
    GAINS,
    LOSS,
    ONE,
    REFERENCE,
    SPLIT,
    Looking,
    Watching,
)
from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.scrutiny.full_view import FullView
from ovrik.desk.stations.scrutiny.look_bars import ArrangementBar, FrameBar
from ovrik.desk.stations.scrutiny.score_chart import ScoreChart
from ovrik.desk.viewing.derived import Derived
from ovrik.desk.viewing.pictures import Pictures
from ovrik.desk.viewing.player import AHEAD, Player
from ovrik.desk.viewing.viewer import Viewer
from ovrik.desk.viewing.viewer_drawing import Box, Pane
from ovrik.desk.widgets.text import LiveText
from ovrik.study.facts.notes import WHOLE, Area
from ovrik.work.evidence.shown_files import Looked, output_of, reference_of

if TYPE_CHECKING:
    from ovrik.quality.scores.loss_map import LossPair
    from ovrik.quality.viewing.screen import Seen

NO_REFERENCE = (
    "The reference is not there yet: it is made when outputs are checked, "
    "and for the demo as soon as its footage is ready."
)
NO_OUTPUT = "This contender has no output on disk. Time it to make one."
POINT = "Point at the picture to read the file's own numbers"
CHART_EVERY = 6
"""Frames between two moves of the chart's line while it plays: drawing it anew costs more than the picture does."""
BEHIND = 3
"""Frames that are kept ready behind the one on show."""


class LookPage(QWidget):
    """Viewer, its controls, and the chart of every frame.

    Signals: `region_marked` with an area of the picture; `sound_wanted` with a file and the moment in it, seconds, at
    which the excerpt begins.
    """

    region_marked = pyqtSignal(object)
    sound_wanted = pyqtSignal(object, float)

    def __init__(self, model: DeskModel, pictures: Pictures, looking: Looking, side: QWidget) -> None:
        super().__init__()
        self.model, self.pictures, self.looking = model, pictures, looking
        self.area: Area = WHOLE
        self.boxes: Callable[[], list[Box]] = lambda: []
        self.derived, self.player = Derived(self), Player(self)
        self.viewer = Viewer("Reference and output")
        self.arrangement, self.frames = (
            ArrangementBar(model, looking),
            FrameBar(looking, model.evidence.facts.excerpt.frames),
        )
        self.chart = ScoreChart(model)
        self.values = LiveText()
        self.values.setText(POINT)
        self.watching: Watching | None = None
        self._files: dict[tuple[int, int], Looked] = {}
        self._direction, self._was = 1, model.frame
        self._lay_out(side)
        self.full = FullView(self._home, self.viewer, self._keys)
        self._connect()

    def _lay_out(self, side: QWidget) -> None:
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.viewer, 1)
        left.addWidget(self.values)
        left.addWidget(self.frames)
        self._home = left
        top = QHBoxLayout()
        top.setSpacing(12)
        top.addLayout(left, 1)
        top.addWidget(side)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        column.addWidget(self.arrangement)
        column.addLayout(top, 7)
        column.addWidget(self.chart, 2)

    def _connect(self) -> None:
        model, looking = self.model, self.looking
        self.viewer.step_wanted.connect(self.step)
        self.viewer.zoom_changed.connect(self.arrangement.show_zoom)
        self.viewer.held.connect(self._hold)
        self.viewer.pointed.connect(self._pointed)
        self.viewer.region.connect(self._marked)
        self.arrangement.zoomed.connect(self.viewer.set_zoom)
        self.arrangement.watched.connect(self.watch_as)
        self.arrangement.fill_wanted.connect(self.fill)
        self.frames.step_wanted.connect(self.step)
        self.frames.shot_wanted.connect(self.go_to_shot)
        self.frames.worst_wanted.connect(self.go_to_worst)
        self.arrangement.held.connect(self._hold)
        self.chart.box.activated.connect(lambda _i: self.show_now())
        self.pictures.ready.connect(self._ready)
        self.pictures.failed.connect(self._failed)
        self.derived.ready.connect(self._derived)
        self.player.frame.connect(model.move)
        self.player.stopped.connect(lambda: looking.set_playing(False))
        looking.changed.connect(self.show_now)
        looking.playing_changed.connect(self._set_playing)
        model.frame_moved.connect(self._moved)
        for key, act in self._more_keys():
            QShortcut(QKeySequence(key), self).activated.connect(act)

    def _more_keys(self) -> list[tuple[str, Callable[[], object]]]:
        """Keys that have no button of their own."""
        return [("L", self._loop), ("G", self._gain)]

    def _loop(self) -> None:
        self.looking.set(loop=not self.looking.loop)

    def _gain(self) -> None:
        at = GAINS.index(self.looking.gain)
        self.looking.set(mode=DIFFERENCE, gain=GAINS[(at + 1) % len(GAINS)])

    def showEvent(self, event: QShowEvent | None) -> None:
        """What came while the page was not on show is shown now."""
        super().showEvent(event)
        self.show_now()

    # What is shown

    def follow(self) -> None:
        """Take in what is new."""
        self._files.clear()
        self.arrangement.follow()
        self.chart.draw()
        self.show_now()

    def looked(self, number: int) -> Looked | None:
        """The file of a contender, or the reference's; None where it is not there."""
        key = (number, self.model.selection)
        if key not in self._files:
            found = self._find(number)
            if found is None:
                return None  # it may be made meanwhile
            self._files[key] = found
            self.pictures.copy_soon(found.path)
        return self._files[key]

    def _find(self, number: int) -> Looked | None:
        e = self.model.evidence
        if number == REFERENCE:
            found = reference_of(self.model.study, self.model.summary, e)
            return found if found.path.exists() else None
        s = e.of(number)
        return output_of(self.model.study, s, e) if s else None

    def _wanted_panes(self) -> tuple[int, ...]:
        return self.looking.panes(self.model.selection)

    def _both_sides(self) -> tuple[int, ...]:
        """What a flip or a change of arrangement may want next."""
        return tuple(dict.fromkeys((*self._wanted_panes(), self.looking.other, self.model.selection)))

    def show_now(self) -> None:
        """Show what is wanted, as soon as all of it is there; until then what was shown stays."""
        frame, looking = self.model.frame, self.looking
        self.frames.here.setText(f"frame {frame} of {self.model.evidence.facts.excerpt.frames}")
        panes, waiting = [], False
        for number in self._wanted_panes():
            looked = self.looked(number)
            if looked is None:
                panes.append(
                    Pane(None, self._caption(number), NO_REFERENCE if number == REFERENCE else NO_OUTPUT)
                )
                continue
            image = self.pictures.kept(looked.path, looked.at(frame))
            waiting |= image is None
            panes.append(Pane(image, self._caption(number)))
        self._look_ahead()
        if waiting:
            if self.viewer.image is None:
                self.viewer.recaption(panes[-1].caption)
            return
        self.viewer.show_boxes(self.boxes())
        if looking.mode == DIFFERENCE and all(p.image for p in panes):
            self._show_difference()
            return
        self._show_loss_map(panes)
        self.viewer.show_panes(panes[-1:] if looking.mode == LOSS else panes, looking.mode == SPLIT)
        self._resize_as_watched()

    def _seen(self, number: int) -> "Seen | None":
        looked = self.looked(number)
        found = self.pictures.at_hand(looked.path, looked.at(self.model.frame)) if looked else None
        return found[1] if found else None

    def _show_difference(self) -> None:
        other, mine = self._wanted_panes()
        key = ("difference", self.model.frame, other, mine, self.looking.gain)
        made = self.derived.kept(key)
        self.viewer.show_loss(None)
        caption = (
            f"{self._name(mine)} minus {self._name(other)}, ×{self.looking.gain} · frame {self.model.frame}"
        )
        if isinstance(made, QImage):
            self.viewer.show_panes([Pane(made, caption)])
            return
        one, two = self._seen(other), self._seen(mine)
        if one is None or two is None:
            return
        if one.pixels.shape != two.pixels.shape:
            self.viewer.show_panes([Pane(None, caption, "The two are not of one size")])
            return
        self.derived.difference(key, one, two, self.looking.gain)

    def _show_loss_map(self, panes: list[Pane]) -> None:
        if self.looking.mode != LOSS or self.looking.playing or any(p.image is None for p in panes):
            self.viewer.show_loss(None)
            return
        frame, kind = self.model.frame, self.looking.loss
        key = ("loss", frame, self.model.selection, kind)
        made = self.derived.kept(key)
        self.viewer.show_loss(made if isinstance(made, np.ndarray) else None)
        if isinstance(made, np.ndarray):
            return
        pair, before = self._pair_at(frame), self._pair_at(frame - 1) if frame else None
        if pair is not None:
            self.derived.loss(key, lambda: _loss_map(pair, before, kind))

    def _pair_at(self, frame: int) -> "LossPair | None":
        """Reference and output at a frame, if both are at hand."""
        found = []
        for number in (REFERENCE, self.model.selection):
            looked = self.looked(number)
            there = self.pictures.at_hand(looked.path, looked.at(frame)) if looked else None
            if there is None:
                return None
            found.append(there[1].frame)
        return found[0], found[1]

    def _name(self, number: int) -> str:
        if number == REFERENCE:
            return "Reference"
        s = self.model.evidence.of(number)
        return s.contender.label if s else ""

    def _caption(self, number: int) -> str:
        frame = self.model.frame
        kind = "" if number == REFERENCE or self.looking.mode != ONE else "Output: "
        found = self._seen(number)
        said = f" · {found.said}" if found and found.said else ""
        return f"{kind}{self._name(number)} · frame {frame}{self._score_here(number)}{said}"

    def _score_here(self, number: int) -> str:
        s = self.model.evidence.of(number) if number != REFERENCE else None
        if s is None:
            return ""
        values, series = self.chart.values(s), self.chart.series
        if self.model.frame >= len(values) or not np.isfinite(values[self.model.frame]):
            return ""
        return f" · {series.axis} {values[self.model.frame]:.{series.digits}f}"

    def _look_ahead(self) -> None:
        frame, last = self.model.frame, self.model.evidence.facts.excerpt.frames - 1
        way = self._direction
        reach = max(1, min(AHEAD, self.pictures.room(len(self._both_sides())) - BEHIND))
        order = [
            frame,
            *(frame + way * n for n in range(1, reach + 1)),
            *(frame - way * n for n in range(1, BEHIND)),
        ]
        shown = self._wanted_panes()
        # The other side of a flip is wanted at this frame and the next, and not while it plays.
        flip = [] if self.looking.playing else [n for n in self._both_sides() if n not in shown]
        files = [f for n in shown if (f := self.looked(n))]
        others = [f for n in flip if (f := self.looked(n))]
        first = [(f.path, f.at(frame)) for f in others]
        rest = [(f.path, f.at(n)) for n in order if 0 <= n <= last for f in files]
        self.pictures.ahead(
            [*first, *rest, *((f.path, f.at(n)) for n in order[1:4] for f in others if n <= last)]
        )

    def _derived(self, _key: object, _made: object) -> None:
        # A method, since Qt lets go of it with the page: a lambda would be called when the page is gone.
        self.show_now()

    def _ready(self, path: str, _frame: int, _image: QImage) -> None:
        if (
            self.isVisible()
            and not self.looking.playing
            and any(f.path == Path(path) for n in self._wanted_panes() if (f := self.looked(n)))
        ):
            self.show_now()

    def _failed(self, path: str, words: str) -> None:
        if any(f.path == Path(path) for n in self._wanted_panes() if (f := self.looked(n))):
            self.viewer.show_picture(None, self._caption(self._wanted_panes()[-1]), words)

    # Going about

    def step(self, by: int) -> None:
        """Some frames on, or back."""
        self.model.move(self.model.frame + by)

    def _moved(self, frame: int) -> None:
        self._direction = 1 if frame >= self._was else -1
        self._was = frame
        if not self.looking.playing or frame % CHART_EVERY == 0:
            self.chart.playhead.setPos(frame)
        self.show_now()

    def go_to_shot(self, way: int) -> None:
        """To the first frame of the next or of this or the last shot."""
        e = self.model.evidence
        starts = [n - e.facts.excerpt.start_frame for n in e.programme.starts]
        starts = [0, *(n for n in starts if 0 < n < e.facts.excerpt.frames)]
        now = self.model.frame
        found = [n for n in starts if n > now] if way > 0 else [n for n in reversed(starts) if n < now]
        if found:
            self.model.move(found[0])

    def go_to_worst(self) -> None:
        """To the frame where the chart's measure is at its worst."""
        s = self.model.summary
        at = self.chart.series.worst(self.chart.values(s)) if s else None
        if at is not None:
            self.model.move(at)

    def _hold(self, down: bool) -> None:
        if self.looking.mode == ONE:
            self.looking.set(flipped=down)

    def mark(self, area: Area) -> None:
        """Mark a region, and bring it to the middle when zoomed."""
        self.area = area
        self.viewer.look_at(QRectF(*area))
        self.region_marked.emit(area)
        self.show_now()

    def _marked(self, area: QRectF) -> None:
        small = area.width() < 0.01 or area.height() < 0.01
        self.area = WHOLE if small else (area.x(), area.y(), area.width(), area.height())
        self.region_marked.emit(self.area)
        self.show_now()

    def _pointed(self, pane: int, x: int, y: int) -> None:
        panes = self._wanted_panes()
        number = panes[min(pane, len(panes) - 1)] if self.looking.mode != LOSS else panes[-1]
        found = self._seen(number) if pane >= 0 and self.looking.mode != DIFFERENCE else None
        if found is None:
            self.values.setText(POINT)
            return
        from ovrik.quality.viewing.screen import numbers_at

        said = "  ".join(f"{name} {value}" for name, value in numbers_at(found, x, y))
        bits = found.frame.format.components[0].bits
        self.values.setText(f"{self._name(number)}, x {x}, y {y}:  {said}  ({bits} bit)")

    # Playing

    def _set_playing(self, on: bool) -> None:
        self.viewer.moving = on
        if not on:
            self.player.stop()
            self.chart.playhead.setPos(self.model.frame)
            self.show_now()
            return
        e, frame = self.model.evidence, self.model.frame
        rate, last = float(e.programme.rate), e.facts.excerpt.frames - 1
        first = 0
        if self.looking.loop:
            reach = round(AROUND_S * rate)
            first, last = max(0, frame - reach), min(last, frame + reach)
        self._direction = 1
        self._look_ahead()
        head = max(1, min(AHEAD, self.pictures.room(len(self._both_sides())) - BEHIND) // 2)
        self.player.start(
            frame, first, last, rate * self.looking.speed, self.looking.loop, self._at_hand, head
        )
        if self.frames.sound.isChecked() and self.looking.speed == 1:
            looked = self.looked(self._wanted_panes()[-1])
            if looked:
                self.sound_wanted.emit(looked.path, float(looked.at(0) / (e.programme.rate * looked.pace)))

    def _at_hand(self, frame: int) -> bool:
        files = [f for n in self._wanted_panes() if (f := self.looked(n))]
        return all(self.pictures.at_hand(f.path, f.at(frame)) for f in files)

    # Size

    def watch_as(self, watching: Watching | None) -> None:
        """Show pictures as large as they will look where they are watched."""
        self.watching = watching
        self._resize_as_watched()

    def _resize_as_watched(self) -> None:
        if self.watching is not None:
            self.viewer.zoom_to_width(self.watching.pixels_wide)

    def fill(self, other_screen: bool) -> None:
        """The viewer alone on a screen, or back in its place."""
        self.full.toggle(self, other_screen)

    def _keys(self) -> list[tuple[str, Callable[[], object]]]:
        """What the buttons do that are not there when the viewer is alone."""
        looking = self.looking
        modes = [(str(n + 1), b.click) for n, b in enumerate(self.arrangement.mode_buttons)]
        return [
            *modes,
            ("F", self.arrangement.flip.click),
            ("P", lambda: looking.set_playing(not looking.playing)),
            ("Ctrl+Left", lambda: self.go_to_shot(-1)),
            ("Ctrl+Right", lambda: self.go_to_shot(1)),
            ("Ctrl+W", self.go_to_worst),
            *self._more_keys(),
        ]

    def close_down(self) -> None:
        """End what goes on."""
        self.player.stop()
        self.full.go_back()
        self.derived.close()


def _loss_map(pair: "LossPair", before: "LossPair | None", kind: str) -> np.ndarray:
    """The map of one frame."""
    from ovrik.quality.scores.loss_map import strength_of

    return strength_of(pair, before, kind)
