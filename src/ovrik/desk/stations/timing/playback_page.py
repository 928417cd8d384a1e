"""Whether the programme plays in real time here: size × streams × contender."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.analysis.scores.playback import between
from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.flow import Flow
from ovrik.desk.widgets.table import Cell, DeskTable
from ovrik.desk.widgets.text import button, label, scrolling
from ovrik.export.command.playback import SIZES
from ovrik.work.checking.playback import Played, limit_words, playback_rate_words, playback_words, played
from ovrik.work.evidence.summary import Summary

HEADINGS = (
    "Contender",
    *(f"{size.capitalize()} size" for size in SIZES),
    "One stream, full size",
    "Its output",
)
HELD, FAILED = "■", "□"
MOST_SQUARES = 8
"""Streams that are drawn one by one; above that their number says it."""
BUTTONS = (
    (
        "programme",
        "Play the excerpt",
        "At full, half and quarter size, with ever more streams until one drops a frame",
    ),
    ("output", "Play its output", "Its latest output at full size, with ever more streams"),
)


class PlaybackPage(QWidget):
    """Buttons that play, and a row for each contender: a square for each stream that held.

    Signal: `play_wanted` with "programme" or "output", and the contender.
    """

    play_wanted = pyqtSignal(str, int)

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self.buttons = [button(text, partial(self._ask, kind), hint=hint) for kind, text, hint in BUTTONS]
        self.table = DeskTable(HEADINGS, "Streams that play in real time, by size", last_fills=True)
        self.table.itemSelectionChanged.connect(lambda: model.select(self.table.chosen))
        self.said = label("", "soft", wrap=True, copy=True)
        key = f"{HELD} a stream that plays in real time; {FAILED} the first that does not"
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(Flow(8).add(*self.buttons, None, label(key, "soft")))
        column.addWidget(self.table, 2)
        inside = QWidget()
        text = QVBoxLayout(inside)
        text.setContentsMargins(0, 0, 8, 0)
        text.addWidget(self.said)
        text.addStretch(1)
        column.addWidget(scrolling(inside), 1)

    def _ask(self, kind: str) -> None:
        if self.model.selection:
            self.play_wanted.emit(kind, self.model.selection)

    def set_busy(self, _busy: bool, locked: bool) -> None:
        """Whether nothing may be begun."""
        for made in self.buttons:
            made.setEnabled(not locked)

    def draw(self) -> None:
        """Show what is on file."""
        found, summaries = played(self.model.evidence.playbacks), self.model.evidence.summaries
        outputs = {
            s.contender.contender_id: found.get((s.contender.contender_id, _latest(s)), {}) for s in summaries
        }
        self.table.fill(
            [
                _cells(s, found.get((s.contender.contender_id, ""), {}), outputs[s.contender.contender_id])
                for s in summaries
            ],
            [s.contender.contender_id for s in summaries],
            self.model.selection,
        )
        chosen = self.model.selection
        mine = found.get((chosen, ""), {})
        lines = [playback_words(mine[size]) for size in SIZES if size in mine]
        lines += [f"its output, {playback_words(p)}" for p in outputs.get(chosen, {}).values()]
        lines += _cache_words(self.model.summary)
        self.said.setText("\n".join(lines) or "Not played yet: choose a contender and play the excerpt.")


def _latest(s: Summary) -> str:
    """The checksum of a contender's latest output, or something that none has."""
    return next((r.output_sha256 for r in reversed(s.runs) if r.output_sha256), "none")


def _cache_words(s: Summary | None) -> list[str]:
    """How long a preview cache takes to be filled: a contender's pre-render is one."""
    took = [p.wall_s for p in s.prepared if p.kind == "pre-render" and p.wall_s] if s else []
    return [f"filling the preview cache (its pre-render, made once): {took[-1]:.1f} s"] if took else []


def squares(found: Played | None) -> str:
    """ "■■□ 2": streams that held, and the first that did not; "" where it was not played."""
    if found is None:
        return ""
    shown = HELD * found.most if found.most <= MOST_SQUARES else HELD * MOST_SQUARES + "…"
    return f"{shown}{'' if found.open_end else FAILED} {found.most}{'+' if found.open_end else ''}"


def _cells(s: Summary, mine: dict[str, Played], output: dict[str, Played]) -> list[Cell]:
    one = mine.get("full")
    last = output.get("full")
    return [
        Cell(s.contender.label, mark=s.contender.contender_id),
        *(
            Cell(squares(mine.get(size)), playback_words(mine[size]) if size in mine else "not played")
            for size in SIZES
        ),
        Cell(playback_rate_words(one) if one else "", _about(one)),
        Cell(squares(last), playback_words(last) if last else "not played"),
    ]


def _about(one: Played | None) -> str:
    if one is None:
        return "not played"
    rounds = ", ".join(f"{r:.1f}" for r in one.rounds)
    mean, _low, _high = between(one.rounds)
    return f"rounds: {rounds} fps, mean {mean:.1f}{limit_words(one)}"
