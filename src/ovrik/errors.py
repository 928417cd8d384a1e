"""The one exception that reaches a user, and how long work is asked to stop."""

from collections.abc import Callable

Ask = Callable[[], bool]
"""Asked now and then by long work: whether the user wants it to stop."""


class OvrikError(Exception):
    """A fault a person can understand and mend.

    Fields: `problem`, one clause naming the thing that is wrong; `remedy`, what to do, or "".
    """

    def __init__(self, problem: str, remedy: str = "") -> None:
        super().__init__(problem, remedy)
        self.problem = problem
        self.remedy = remedy

    def __str__(self) -> str:
        return f"{self.problem}. {self.remedy}" if self.remedy else self.problem


class PassingTrouble(OvrikError):  # noqa: N818 - it is not the output's error
    """Something that may be better in a moment, such as a drive that is away: it says nothing about what was being
    judged, so nothing of it is kept as evidence."""


class Stopped(Exception):  # noqa: N818 - not an error: the user asked for it
    """Raised inside long work when the user asked it to stop."""
