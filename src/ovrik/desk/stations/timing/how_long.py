"""How long to time: until something is decided, or for so many rounds; and what that will take."""

from ovrik.desk.model.study import DeskModel
from ovrik.report.words.phrases import seconds_words
from ovrik.report.words.progress import rest_words
from ovrik.study.question.conduct import BASELINE, CHOICE, DECIDES, Conduct
from ovrik.work.answers.rivals import Rest

UNTIL = (
    ("until the choice is decided", (True, CHOICE)),
    ("until all is decided", (True, BASELINE)),
    ("for a number of rounds", (False, "")),
)
"""How long to time: in words, and what of the study's conduct says so."""


def how(conduct: Conduct) -> int:
    """The place in `UNTIL` of what a conduct says."""
    return 2 if not conduct.until_decided else DECIDES.index(conduct.decides)


def until_words(model: DeskModel, round_s: float | None) -> str:
    """What deciding takes: known from the times on file, or from what a round takes."""
    conduct, found = model.evidence.facts.conduct, model.rivals
    most = f"at most {conduct.most_rounds} rounds"
    if conduct.decides != CHOICE:
        return f"Rounds are added until every comparison with the baseline is decided: {most}."
    if found is None:
        return f"First every contender once, then only what can still win: {most}."
    if not found.ids and found.contest.best is None:
        return "Nothing that was timed is acceptable: there is nothing left to time."
    if not found.ids and not model.evidence.verdict.decided:
        return "Nothing more can be timed from here; what other programs export could still win (see Other programs)."
    if not found.ids:
        return "The choice is decided: no more machine time is needed."
    if found.rounds >= conduct.most_rounds:
        rest = rest_words(Rest(len(found.open), model.ahead))
        return f"The limit of {conduct.most_rounds} rounds is reached. {rest}."
    if model.ahead is None:
        took = f" (about {seconds_words(round_s)} a round)" if round_s else ""
        return f"First every contender once{took}, then only what can still win: {most}."
    return f"{rest_words(Rest(len(found.open), model.ahead))}."
