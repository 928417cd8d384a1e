"""The viewer's two rows of controls: what is shown and how, and which frame."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.desk.model.looking import (
    BESIDE,
    DIFFERENCE,
    GAINS,
    LOSS,
    MODES,
    ONE,
    REFERENCE,
    SPEEDS,
    WATCHINGS,
    Looking,
)
from ovrik.desk.model.study import DeskModel
from ovrik.desk.style import theme
from ovrik.desk.viewing.viewer import ZOOMS
from ovrik.desk.widgets.flow import Flow, together
from ovrik.desk.widgets.text import LiveText, button

ALL_KINDS = "all"


class ArrangementBar(QWidget):
    """How pictures are arranged, what they are compared with, and how large they are.

    Signals: `zoomed` with a zoom of the viewer; `watched` with a way of watching, or None; `fill_wanted` with whether
    it is to be on another screen; `held` while the other picture is to be seen.
    """

    zoomed = pyqtSignal(float)
    watched = pyqtSignal(object)
    fill_wanted = pyqtSignal(bool)
    held = pyqtSignal(bool)

    def __init__(self, model: DeskModel, looking: Looking) -> None:
        super().__init__()
        self.model, self.looking = model, looking
        self.modes, self.mode_buttons = QButtonGroup(self), list[QPushButton]()
        for number, mode in enumerate(MODES):
            made = button(mode.title, partial(self._arrange, mode.key), hint=mode.hint, key=mode.shortcut)
            made.setCheckable(True)
            self.modes.addButton(made, number)
            self.mode_buttons.append(made)  # the group does not keep them
        self.other = QComboBox()
        self.other.setAccessibleName("Compared with")
        self.other.setToolTip("What the selected output is compared with")
        self.other.activated.connect(lambda i: looking.set(other=self.other.itemData(i)))
        self.more = QToolButton()
        self.more.setText("More ▾")
        self.more.setToolTip("Up to two more outputs in the row")
        self.more.setAccessibleName("More outputs beside these")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setProperty("role", "menu")
        self.menu = QMenu(self.more)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.more.setMenu(self.menu)
        self.gain = QComboBox()
        self.gain.addItems([f"×{g}" for g in GAINS])
        self.gain.setAccessibleName("Amplified")
        self.gain.setToolTip("How much the difference is amplified")
        self.gain.activated.connect(lambda i: looking.set(gain=GAINS[i]))
        self.kind = QComboBox()
        self.kind.addItems([*(k.title for k in LOSS_KINDS), "All kinds"])
        self.kind.setAccessibleName("Kind of loss")
        keys = [*(k.key for k in LOSS_KINDS), ALL_KINDS]
        self.kind.activated.connect(lambda i: looking.set(loss=keys[i]))
        self._kinds = keys
        self.zoom = QComboBox()
        self.zoom.addItems(["Fit", *(f"{100 * z:.0f} %" for z in ZOOMS[1:])])
        self.zoom.addItems([w.title for w in WATCHINGS])
        self.zoom.setAccessibleName("Zoom")
        for box, widest in ((self.other, 168), (self.kind, 108), (self.zoom, 90)):
            box.setMaximumWidth(theme.scaled(widest))
            box.setMinimumContentsLength(6)
            view = box.view()
            if view is not None:
                view.setMinimumWidth(theme.scaled(250))
        self.zoom.activated.connect(self._zoom_chosen)
        fill = button("Fill", lambda: self.fill_wanted.emit(False), hint="The viewer alone", key="F11")
        second = button(
            "2nd screen",
            lambda: self.fill_wanted.emit(True),
            hint="The viewer on another screen",
            key="Shift+F11",
        )
        self.flip = button("Flip", self._flip, hint="Show the other one", key="F")
        hold = button("Hold", lambda: None, hint="The other one while this, or H in the viewer, is held down")
        hold.pressed.connect(lambda: self.held.emit(True))
        hold.released.connect(lambda: self.held.emit(False))
        self.setObjectName("bar")
        flow = Flow(4).add(*self.mode_buttons, self.flip, hold, self.other)
        flow.add(self.more, self.gain, self.kind, None, self.zoom, fill, second)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(flow)
        looking.changed.connect(self.follow)
        self.follow()

    def _arrange(self, mode: str) -> None:
        self.looking.set(mode=mode, flipped=False)
        self.follow()

    def _flip(self) -> None:
        if self.looking.mode != ONE:
            self.looking.set(mode=ONE)
        self.looking.flip()

    def _zoom_chosen(self, at: int) -> None:
        if at < len(ZOOMS):
            self.watched.emit(None)
            self.zoomed.emit(ZOOMS[at])
        else:
            self.watched.emit(WATCHINGS[at - len(ZOOMS)])

    def show_zoom(self, zoom: float) -> None:
        """The viewer zoomed."""
        if zoom in ZOOMS:
            self.zoom.setCurrentIndex(ZOOMS.index(zoom))

    def follow(self) -> None:
        """Show how things are arranged."""
        view = self.looking
        at = next(n for n, m in enumerate(MODES) if m.key == view.mode)
        self.mode_buttons[at].setChecked(True)
        self.more.setVisible(view.mode == BESIDE)
        self.gain.setVisible(view.mode == DIFFERENCE)
        self.kind.setVisible(view.mode == LOSS)
        self.gain.setCurrentIndex(GAINS.index(view.gain))
        self.kind.setCurrentIndex(self._kinds.index(view.loss))
        self._fill_others()

    def _fill_others(self) -> None:
        mine = self.model.selection
        names = [("against the reference", REFERENCE)]
        names += [
            (f"against {s.contender.label}", s.contender.contender_id) for s in self.model.evidence.summaries
        ]
        names = [(name, number) for name, number in names if number != mine]
        if self.looking.other == mine:
            self.looking.other = REFERENCE
        if names != [(self.other.itemText(i), self.other.itemData(i)) for i in range(self.other.count())]:
            self.other.clear()
            for name, number in names:
                self.other.addItem(name, number)
        self.other.setCurrentIndex(max(self.other.findData(self.looking.other), 0))

    def _fill_menu(self) -> None:
        self.menu.clear()
        panes = (self.model.selection, self.looking.other)
        for s in self.model.evidence.summaries:
            number = s.contender.contender_id
            if number in panes:
                continue
            action = self.menu.addAction(s.contender.label)
            if action is None:
                continue
            action.setCheckable(True)
            action.setChecked(number in self.looking.beside)
            action.triggered.connect(lambda on, n=number: self.looking.toggle_beside(n, on))


class FrameBar(QWidget):
    """Which frame, and playing.

    Signals: `step_wanted` by so many frames; `shot_wanted`, one way or the other; `worst_wanted`.
    """

    step_wanted = pyqtSignal(int)
    shot_wanted = pyqtSignal(int)
    worst_wanted = pyqtSignal()

    def __init__(self, looking: Looking, frames: int) -> None:
        super().__init__()
        self.looking = looking
        self.here = LiveText(wide=f"frame {frames} of {frames}")
        self.play = button("Play", self._play, hint="Play or stand still", key="P")
        self.speed = QComboBox()
        self.speed.addItems(["speed ×1", "speed ×½", "speed ×¼"])
        self.speed.setAccessibleName("Speed")
        self.speed.setToolTip("How fast it is played")
        self.speed.activated.connect(lambda i: looking.set(speed=SPEEDS[i]))
        self.loop = QCheckBox("loop 2 s")
        self.loop.setToolTip("Over and over, one second to each side of here (L)")
        self.loop.clicked.connect(lambda on: looking.set(loop=on))
        self.sound = QCheckBox("sound")
        self.sound.setToolTip("With the sound of what is shown, at full speed")
        step, shot = self.step_wanted.emit, self.shot_wanted.emit
        self.setObjectName("bar")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        flow = Flow(5).add(
            together(
                button("«", lambda: shot(-1), hint="The shot before", key="Ctrl+Left"),
                button("‹", lambda: step(-1), hint="One frame back"),
                self.here,
                button("›", lambda: step(1), hint="One frame forward"),
                button("»", lambda: shot(1), hint="The next shot", key="Ctrl+Right"),
            ),
            button(
                "Worst", self.worst_wanted.emit, hint="Go to the frame with the lowest score", key="Ctrl+W"
            ),
            self.play,
            self.speed,
            self.loop,
            self.sound,
        )
        column.addLayout(flow)
        looking.changed.connect(self.follow)
        looking.playing_changed.connect(self._playing)
        self.follow()

    def _play(self) -> None:
        self.looking.set_playing(not self.looking.playing)

    def _playing(self, on: bool) -> None:
        self.play.setText("Pause" if on else "Play")

    def follow(self) -> None:
        """Show what is set."""
        self.speed.setCurrentIndex(SPEEDS.index(self.looking.speed))
        self.loop.setChecked(self.looking.loop)
