"""The workstation: what this machine is, and the builds on it."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from ovrik.desk.widgets.text import button, label, set_role, sheet
from ovrik.machine.builds import Build, find_builds
from ovrik.machine.facts import MachineFacts, read_machine
from ovrik.report.facts import build_rows, machine_rows
from ovrik.study.encoders import ENCODERS

Found = tuple[MachineFacts, Sequence[Build]]


def look_at_machine(extra: tuple[str, ...] = ()) -> Found:
    """Facts and builds; takes a second when a build is new, so it is called off the window's thread."""
    return read_machine(), find_builds(extra)


class WorkstationPanel(QWidget):
    """Facts on the left, builds on the right."""

    def __init__(self, back: object) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 12)
        column.setSpacing(12)
        head = QHBoxLayout()
        head.addWidget(label("This workstation", "title"), 1)
        head.addWidget(button("Back to the study", back, key="Esc"))  # type: ignore[arg-type]
        column.addLayout(head)
        both = QHBoxLayout()
        both.setSpacing(12)
        frame, inner = sheet()
        inner.addWidget(label("Machine", "head"))
        self.facts = QGridLayout()
        inner.addLayout(self.facts)
        left = QVBoxLayout()
        left.addWidget(frame)
        left.addStretch(1)
        both.addLayout(left, 1)
        self.builds = QVBoxLayout()
        self.builds.setSpacing(12)
        both.addLayout(self.builds, 1)
        self.facts.setHorizontalSpacing(14)
        column.addLayout(both, 1)
        self.waiting = label("Reading the machine…", "soft")
        self.builds.addWidget(self.waiting)

    def show_found(self, found: Found) -> None:
        """Show what was read."""
        machine, builds = found
        _clear(self.facts)
        self.facts.setColumnStretch(1, 1)
        self.facts.setVerticalSpacing(7)
        for n, (name, value, source) in enumerate(machine_rows(machine)):
            self.facts.addWidget(label(name, "soft"), n, 0, Qt.AlignmentFlag.AlignTop)
            told = label(value, wrap=True, copy=True)
            self.facts.addWidget(told, n, 1)
            place = label(source.removeprefix("/sys/devices/system/"), "soft")
            self.facts.addWidget(place, n, 2, Qt.AlignmentFlag.AlignTop)
        while self.builds.count():
            item = self.builds.takeAt(0)
            widget = item.widget() if item else None
            if widget:
                widget.deleteLater()
        for build in builds:
            self.builds.addWidget(_build_sheet(build))
        self.builds.addStretch(1)


def _build_sheet(build: Build) -> QWidget:
    frame, inner = sheet()
    inner.addWidget(label(f"Build: {build.key}" if build.problem else f"Build: {build.short}", "head"))
    grid = QGridLayout()
    grid.setColumnStretch(1, 1)
    for n, (name, value) in enumerate(build_rows(build)[1:]):
        grid.addWidget(label(name, "soft"), n, 0, Qt.AlignmentFlag.AlignTop)
        told = label(f"{value[:24]}…" if name == "SHA-256" else value, wrap=True, copy=True)
        told.setToolTip(value)
        if name == "Problem":
            set_role(told, "trouble")
        grid.addWidget(told, n, 1)
    inner.addLayout(grid)
    if not build.problem:
        row = QHBoxLayout()
        for encoder in ENCODERS.values():
            has = encoder.name in build.encoders
            row.addWidget(label(f"{'✓' if has else '✕'} {encoder.codec_title}", "" if has else "trouble"))
        row.addStretch(1)
        inner.addLayout(row)
    return frame


def _clear(grid: QGridLayout) -> None:
    while grid.count():
        item = grid.takeAt(0)
        widget = item.widget() if item else None
        if widget:
            widget.deleteLater()
