"""The line-up as a table: a column for each factor that varies, or in words where there is no room for columns."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHeaderView

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.table import LEAST_NAME_PX, Cell, DeskTable
from ovrik.report.words.numbers import NONE
from ovrik.study.contender.contender import Factor, factors_of
from ovrik.work.evidence.summary import Summary

FIRST = ("Contender", "Here", "Differs from the baseline in")
"""Columns before those of factors."""
MOST_NAME = 0.42
"""The share of the width that labels take at most where what differs is said in words."""


class FactorTable(DeskTable):
    """Takes the model's contenders that pass.

    Attribute: `held`, what is the same in all and not at its default, in words."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__(list(FIRST), "Line-up: what differs from the baseline", last_fills=True)
        self._desk = model
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self._varies: list[bool] = []
        self._needs_px = 0
        self.held: list[str] = []

    def show_who(self, passes: Callable[[Summary], bool]) -> None:
        """Fill it with those that pass."""
        e = self._desk.evidence
        base = e.of(e.facts.baseline_id or 0)
        shown = [s for s in e.summaries if passes(s)]
        factors = list(factors_of(s.contender for s in e.summaries).values())
        # What another program exports has few of these factors: it is held against none of them.
        driven = [s.contender for s in e.summaries if not s.contender.outside] or [
            s.contender for s in e.summaries
        ]
        self._varies = [len({f.raw(c) for c in driven}) > 1 for f in factors]
        alike = [f for f, varies in zip(factors, self._varies, strict=True) if not varies]
        set_so = [f for f in alike if driven and f.raw(driven[0]) != f.usual and f.words(driven[0]) != NONE]
        self.held = [f"{f.title.lower()} {f.words(driven[0])}" for f in set_so]
        self.set_headings([*FIRST, *(f.title for f in factors)])
        pairs = list(zip(factors, self._varies, strict=True))
        rows = [self._row(s, base, pairs) for s in shown]
        self.fill(rows, [s.contender.contender_id for s in shown], self._desk.selection)
        self._needs_px = self._measured()
        self._fit()

    def _measured(self) -> int:
        """Pixels that name, state and all factors that vary take."""
        heading = self.horizontalHeader()
        assert heading is not None
        columns = [1, *(len(FIRST) + n for n, varies in enumerate(self._varies) if varies)]
        return LEAST_NAME_PX + sum(
            max(self.sizeHintForColumn(c), heading.sectionSizeHint(c)) for c in columns
        )

    @property
    def in_words(self) -> bool:
        """Whether what differs is said in words, since the columns have no room."""
        port = self.viewport()
        return port is not None and self._needs_px > port.width()

    def _fit(self) -> None:
        words = self.in_words
        self.show_columns([True, True, words, *(varies and not words for varies in self._varies)])
        heading, port = self.horizontalHeader(), self.viewport()
        if heading is None or port is None or not self.keys:
            return
        mode = QHeaderView.ResizeMode
        heading.setStretchLastSection(not words)
        heading.setSectionResizeMode(2, mode.Stretch if words else mode.ResizeToContents)
        if words:
            wanted = max(self.sizeHintForColumn(0), heading.sectionSizeHint(0))
            heading.setSectionResizeMode(0, mode.Interactive)
            heading.resizeSection(0, min(wanted, round(MOST_NAME * port.width())))
        else:
            self.first_gives_way()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Columns come and go with the room for them."""
        super().resizeEvent(event)
        self._fit()

    def _row(self, s: Summary, base: Summary | None, columns: list[tuple[Factor, bool]]) -> list[Cell | None]:
        why = self._desk.barred.get(s.contender.contender_id, "")
        is_base = base is not None and s is base
        cells: list[Cell | None] = []
        differs = []
        for factor, wanted in columns:
            mine, same = factor.words(s.contender), factor.words((base or s).contender)
            other = mine != same
            if other:
                differs.append(factor.in_label(s.contender) or f"{factor.title.lower()} {mine}")
            cells.append(
                Cell(
                    mine,
                    f"baseline: {same}" if other else "",
                    bold=other,
                    tone="" if other or is_base else "soft",
                    struck=bool(why),
                )
                if wanted
                else None
            )
        if s.contender.outside:
            differs = [f"{name} {value}" for name, value in s.contender.settings.items()]
        said = "baseline" if is_base else ", ".join(differs) or "nothing"
        return [
            Cell(s.contender.label, bold=True, mark=s.contender.contender_id, struck=bool(why)),
            Cell(*_here(s, why)),
            Cell(said, tone="soft" if is_base else ""),
            *cells,
        ]


def _here(s: Summary, why: str) -> tuple[str, str, str]:
    """Whether a contender runs here: what is known beforehand, then how its last run went."""
    if s.contender.outside:
        return "by watching", "Another program exports it: Timing, Other programs", "soft"
    if why:
        return "✕ can't run", why, "trouble"
    last = next((r for r in reversed(s.runs) if r.state in ("done", "failed")), None)
    if last is None:
        return "? not tried", "Nothing is known against it; it has no runs yet", "soft"
    if last.state == "failed":
        return "✕ failed", f"Its last run failed: {last.reason}", "trouble"
    return "✓ runs", "", "act"
