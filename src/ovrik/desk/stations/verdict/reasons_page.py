"""All that the choice says in short: every one that was faster, every tie, every change; and what to bear in mind."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ovrik.desk.model.study import DeskModel
from ovrik.desk.widgets.text import emptied, label, scrolling, sheet
from ovrik.report.forms.as_text import losses_text
from ovrik.report.words.choice import ChoiceShown, choice_of
from ovrik.report.words.numbers import assumed_words, near_words
from ovrik.report.words.progress import order_words
from ovrik.report.words.whole_cost import cost_lines, payoff_words
from ovrik.work.evidence.gathered import Evidence


class ReasonsPage(QWidget):
    """Follows the model."""

    def __init__(self, model: DeskModel) -> None:
        super().__init__()
        self.model = model
        self._shown: tuple[ChoiceShown, tuple[str, ...]] | None = None
        inside = QWidget()
        self.column = QVBoxLayout(inside)
        self.column.setContentsMargins(0, 0, 8, 0)
        self.column.setSpacing(4)
        frame, inner = sheet(14, 6)
        inner.addWidget(scrolling(inside), 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(frame)
        model.evidence_changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Take in what is new."""
        e = self.model.evidence
        said = choice_of(e), tuple(caveats(e))
        if said == self._shown:
            return
        self._shown = said
        choice, mind = said
        emptied(self.column)
        self._add(choice.title, "title")
        self._add(choice.claim)
        said_at_length = [(line.head, line.items or (line.short,)) for line in choice.lines]
        # What is long comes last, or nobody would find the rest.
        for head, items in sorted(
            [*said_at_length, ("To bear in mind", tuple(mind))], key=lambda s: len(s[1])
        ):
            self._add(head if items else "", "head")
            for item in items:
                self._add(item)
        self.column.addStretch(1)

    def _add(self, text: str, role: str = "") -> None:
        if text:
            self.column.addWidget(label(text, role, wrap=True, copy=True))


def caveats(e: Evidence) -> list[str]:
    """What the verdict rests on and may not hold for, each in a sentence."""
    out = []
    if e.machines:
        said = "; ".join(e.machines[:3])
        out.append(
            f"Runs were made on machines, or states of one, that differ ({said}): "
            "ratios compare within rounds, so they hold; the times themselves do not."
        )
    out += [words for words in (near_words(e), assumed_words(e)) if words]
    out += [f"{words[:1].upper()}{words[1:]}." for words in losses_text(e)]
    mixed = [s for s in e.summaries if s.counted and s.apart.warning]
    if mixed:
        out.append(
            f"* marks the {len(mixed)} that differ from the baseline in more than one thing: their "
            "times have no single cause."
        )
    out += [f"{words}." for words in cost_lines(e)]
    out += [f"{s.contender.label}: {payoff_words(s.payoff)}." for s in e.summaries if s.payoff]
    moved = [order_words(o) for o in e.order if o.trend.clear]
    if moved:
        out.append(f"Times changed with the order of runs: {'; '.join(moved)}.")
    if e.set_aside:
        out.append(
            f"{e.set_aside} runs of other footage or another excerpt are on file and don't count here."
        )
    if not e.facts.limits.any_set:
        out.append("No limits are set: anything that passes its checks is acceptable.")
    return out
