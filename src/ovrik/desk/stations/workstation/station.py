"""The workstation: what this machine is, whether it is ready, its builds, and what they can use."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.dialogs.log_window import LogWindow
from ovrik.desk.style import theme
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.pages import MARGINS, Pages
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, emptied, label, set_role, sheet
from ovrik.machine.builds.build import Build
from ovrik.machine.devices.paths import CODEC_TITLES, PATHS, PIXEL_FORMATS
from ovrik.machine.devices.trial import (
    FAILS,
    FALLS_BACK,
    NOT_KNOWN,
    TRIED_PLACES,
    UNTRIED,
    WORKS,
    WRONG,
    Trial,
)
from ovrik.machine.workstation.facts import TABLE
from ovrik.report.words.rows import DRIVE_SOURCE, build_rows, drive_words, machine_rows, trial_words
from ovrik.study.contender.contender import build_words
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.work.prepare.drives import Drive
from ovrik.work.prepare.machine_look import Look

TONES = {
    WORKS: "act",
    FAILS: "soft",
    FALLS_BACK: "trouble",
    WRONG: "trouble",
    UNTRIED: "soft",
    NOT_KNOWN: "soft",
}
NOTHING = (FAILS, UNTRIED)
BITS = dict(zip(PIXEL_FORMATS, ("8 bit", "10 bit"), strict=True))


class WorkstationPanel(QWidget):
    """Two pages: the machine, and its builds with the grid of accelerations."""

    first_shown = pyqtSignal()
    look_wanted = pyqtSignal()
    probe_wanted = pyqtSignal()
    program_wanted = pyqtSignal()
    version_wanted = pyqtSignal()
    beside_wanted = pyqtSignal()

    def __init__(self, back: Callable[[], None]) -> None:
        super().__init__()
        self.look: Look | None = None
        self.facts, self.drive = _grid(), _grid()
        self.against, self.now = label("", "note", wrap=True), label("", "soft", wrap=True)
        self.beside = button(
            "Side by side…",
            self.beside_wanted.emit,
            hint="This machine's fingerprint beside those of the study's runs",
        )
        self.ready = QVBoxLayout()
        self.builds = DeskTable(("Build", "Version", "Made for", "Encoders"), "Builds on this machine", True)
        self.builds.itemSelectionChanged.connect(self._build_chosen)
        self.which = QComboBox()
        self.which.setAccessibleName("Build whose accelerations are shown")
        self.which.setMinimumWidth(theme.scaled(150))
        self.which.activated.connect(lambda _i: self._fill_grid())
        self.only = QCheckBox("only those that do something here")
        self.only.toggled.connect(lambda _on: self._fill_grid())
        self.grid = DeskTable(
            ("Acceleration", "Place", "What", *BITS.values()), "Accelerations and their answers", True
        )
        self.grid.itemSelectionChanged.connect(self._cell_chosen)
        self.why = label("", "soft", wrap=True, copy=True)
        self.log = button("Log…", self._show_log, hint="All that the build said when this was tried")
        self.log.setEnabled(False)
        self._rows: list[dict[str, Trial]] = []
        self._said = "", ""
        self._lay_out(back)

    def _lay_out(self, back: Callable[[], None]) -> None:
        self.pages = Pages(
            (
                ("Machine", self._machine_page(), "What this machine is, and whether it is ready for timing"),
                ("Builds and devices", self._builds_page(), "Builds on this machine, and what they can use"),
            )
        )
        self.pages.turn_by_keys()
        self.pages.row.add(
            None,
            button("Look again", self.look_wanted.emit, hint="Read everything again", key="F5"),
            button("Back to the study", back, key="Esc"),
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(*MARGINS)
        column.addWidget(self.pages)
        self.ready.addWidget(label("Reading the machine…", "soft"))

    def _machine_page(self) -> QWidget:
        """What the machine is on the left; readiness and drives on the right."""
        machine, inner = sheet(12, 5)
        inner.addWidget(label("Machine", "head"))
        inner.addLayout(self.facts)
        for part in (self.now, self.against, self.beside):
            inner.addWidget(part)
        inner.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(12)
        for title, inside in (("Ready for timing?", self.ready), ("Drives of study and footage", self.drive)):
            frame, inner = sheet(12, 5)
            inner.addWidget(label(title, "head"))
            inner.addLayout(inside)
            right.addWidget(frame)
        right.addStretch(1)
        made = QWidget()
        both = QHBoxLayout(made)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(12)
        both.addWidget(machine, 1)
        both.addLayout(right, 1)
        return made

    def _builds_page(self) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(12)
        column.addWidget(self._builds_sheet())
        column.addWidget(self._grid_sheet(), 1)
        return made

    def _builds_sheet(self) -> QWidget:
        frame, inner = sheet(10, 5)
        row = QHBoxLayout()
        row.addWidget(label("Builds", "head"), 1)
        row.addWidget(button("Add a program…", self.program_wanted.emit, hint="Choose a program file"))
        row.addWidget(
            button(
                "Fetch a version…",
                self.version_wanted.emit,
                hint="Fetch a version of the bundled program with pip",
            )
        )
        inner.addLayout(row)
        inner.addWidget(self.builds)
        return frame

    def _grid_sheet(self) -> QWidget:
        frame, inner = sheet(10, 5)
        hint = "Try each on known frames and compare with software"
        try_them = button("Try them", self.probe_wanted.emit, "main", hint)
        inner.addLayout(Flow().add(label("Accelerations", "head"), self.which, self.only, None, try_them))
        inner.addWidget(self.grid, 1)
        below = QHBoxLayout()
        below.addWidget(self.why, 1)
        below.addWidget(self.log)
        inner.addLayout(below)
        return frame

    def showEvent(self, event: QShowEvent | None) -> None:
        """The machine is read when somebody wants to see it."""
        super().showEvent(event)
        if self.look is None:
            self.first_shown.emit()

    def show_found(self, found: Look) -> None:
        """Show what was read."""
        self.look = found
        rows = machine_rows(found.machine)
        lasting = [*rows[: len(TABLE)], rows[-1]]  # the drives have a panel of their own
        _fill(self.facts, [(name, value, f"read from {source}") for name, value, source in lasting])
        self._compare(found.differs)
        self.now.setText("Now: " + ", ".join(f"{v.name} {v.value:.0f} {v.unit}" for v in found.sensors[:4]))
        self.now.setVisible(bool(found.sensors))
        _fill(
            self.drive,
            [(d.title, _unbroken(drive_words(d.facts, d.trouble)), _where(d)) for d in found.drives],
        )
        emptied(self.ready)
        for finding in found.findings:
            self.ready.addWidget(
                label(f"{finding.what}. {finding.effect}. {finding.remedy}.", "warning", wrap=True)
            )
        if not found.findings:
            self.ready.addWidget(label("✓ Ready: nothing found that would spoil timing.", "note", wrap=True))
        self.builds.fill(
            [_build_cells(b, found.trials) for b in found.builds], range(1, len(found.builds) + 1), 1
        )
        self.builds.fit(6)
        chosen = self.which.currentData()
        self.which.clear()
        for build in found.builds:
            if not build.problem:
                self.which.addItem(f"{build.short}{' (simulated)' if build.simulated else ''}", build.key)
        self.which.setCurrentIndex(max(0, self.which.findData(chosen)))
        self._fill_grid()

    def _compare(self, differs: list[str] | None) -> None:
        """Say how this machine stands to the one that the study's last run was made on."""
        self.against.setVisible(differs is not None)
        set_role(self.against, "warning" if differs else "note")
        self.against.setText(
            f"The study's last run was made elsewhere. {'; '.join(differs)}."
            if differs
            else "Unchanged since the study's last run."
        )

    def _build_chosen(self) -> None:
        if self.look and self.builds.chosen:
            build = self.look.builds[self.builds.chosen - 1]
            if build.problem:
                self.grid.setCurrentCell(-1, -1)
                self.why.setText(f"{build.key}: {build.trouble}.")
                self._said = build.key, build.log or "it said nothing"
                self.log.setEnabled(True)
                return
            at = self.which.findData(build.key)
            if at >= 0 and at != self.which.currentIndex():
                self.which.setCurrentIndex(at)
                self._fill_grid()

    def _fill_grid(self) -> None:
        trials = [t for t in self.look.trials if t.build == self.which.currentData()] if self.look else []
        rows: dict[tuple[str, ...], dict[str, Trial]] = {}
        alive = {t.path for t in trials if t.answer not in NOTHING}
        for trial in sorted(trials, key=lambda t: (t.path not in alive, *_order(t))):
            rows.setdefault((trial.path, trial.place, trial.what, trial.number), {})[trial.pixel_format] = (
                trial
            )
        if self.only.isChecked():
            rows = {k: r for k, r in rows.items() if any(t.answer not in NOTHING for t in r.values())}
        self._rows = list(rows.values())
        self.grid.fill([_trial_cells(r) for r in self._rows], range(1, len(self._rows) + 1), 1)
        if not trials:
            self.why.setText("Not tried yet: “Try them” takes about ten seconds a build.")
        else:
            self._cell_chosen()

    def _cell_chosen(self) -> None:
        self.log.setEnabled(False)
        if not 1 <= self.grid.chosen <= len(self._rows):
            self.why.setText("Nothing here runs on a device." if self.look and self.look.trials else "")
            return
        row = self._rows[self.grid.chosen - 1]
        first = next(iter(row.values()))
        parts = [f"{BITS.get(p, 'device')}: {t.reason or t.answer}" for p, t in row.items()]
        if first.device:
            really = ", which is really the processor" if first.processor else ""
            parts.append(f"The device calls itself {first.device}{really}")
        set_role(self.why, "soft")
        self.why.setText(". ".join(parts) + ".")
        self.log.setEnabled(True)

    def _show_log(self) -> None:
        """What was chosen last: a trial, or a build that gave no answer."""
        if not self.grid.chosen:
            self.shown_log = LogWindow(*self._said, self)
            self.shown_log.show()
            return
        row = self._rows[self.grid.chosen - 1]
        first = next(iter(row.values()))
        said = [(f"{BITS.get(p, p)}: {t.answer}" if p else t.answer, t.log) for p, t in row.items()]
        text = "\n\n".join(f"{head}\n{chr(10).join(log) or 'it said nothing'}" for head, log in said)
        what = next(p.title for p in PATHS if p.key == first.path)
        self.shown_log = LogWindow(
            f"{self.which.currentText()}: {what}, {first.place} {first.what}", text, self
        )
        self.shown_log.show()


def _unbroken(words: str) -> str:
    """With a word joiner in its units, so that none is parted at its stroke."""
    return words.replace("MB/s", "MB/\u2060s")


def _where(drive: Drive) -> str:
    folder = f"{drive.facts.folder}\n" if drive.facts else ""
    return f"{folder}read from {DRIVE_SOURCE}"


def _order(trial: Trial) -> tuple[int, int, str]:
    keys = [p.key for p in PATHS]
    return keys.index(trial.path), TRIED_PLACES.index(trial.place), trial.what


def _trial_cells(row: dict[str, Trial]) -> list[Cell]:
    first = next(iter(row.values()))
    title = next(p.title for p in PATHS if p.key == first.path)
    what = CODEC_TITLES.get(first.what, first.what)
    cells = [
        Cell(title, bold=first.place == "device"),
        Cell(first.place),
        Cell(_device_words(first) if first.place == "device" else what),
    ]
    if first.place == "device":
        return [*cells, Cell(trial_words(first), first.reason, TONES[first.answer]), Cell("")]
    for pixel_format in PIXEL_FORMATS:
        trial = row.get(pixel_format)
        cells.append(Cell(trial_words(trial), trial.reason, TONES[trial.answer]) if trial else Cell("–"))
    return cells


def _device_words(trial: Trial) -> str:
    """Which of a path's devices it is, where there are several."""
    return f"device {trial.number}" if trial.number else "the device itself"


def _build_cells(build: Build, trials: Sequence[Trial]) -> list[Cell]:
    said = "\n".join(f"{name}: {value}" for name, value in build_rows(build, trials))
    if build.problem:
        return [
            Cell(build.key, said, "trouble"),
            Cell("–"),
            Cell(build.architecture or "–", said),
            Cell(f"✕ {build.trouble}", said, "trouble"),
        ]
    has = [e.codec_title for e in ENCODERS.values() if e.name in build.encoders]
    kind = "simulated" if build.simulated else build.architecture or "?"
    made = f"{kind}{', translated' if build.translated else ''}"
    tone = "trouble" if build.translated else ""
    mark = " (simulated)" if build.simulated else " (described)" if build.key.startswith("described-") else ""
    name = Cell(build_words(build.key) + mark, said, bold=True)
    return [name, Cell(build.version[:18], said), Cell(made, said, tone), Cell(", ".join(has), said)]


def _grid() -> QGridLayout:
    made = QGridLayout()
    made.setColumnStretch(1, 1)
    made.setHorizontalSpacing(14)
    made.setVerticalSpacing(3)
    return made


def _fill(grid: QGridLayout, rows: Sequence[tuple[str, str, str]]) -> None:
    emptied(grid)
    for n, (name, value, hint) in enumerate(rows):
        grid.addWidget(label(name, "soft"), n, 0, Qt.AlignmentFlag.AlignTop)
        said = label(value, wrap=True, copy=True)
        said.setToolTip(hint)
        grid.addWidget(said, n, 1)
