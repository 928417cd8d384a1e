"""The answer to one question about an output."""

from dataclasses import dataclass

RIGHT, DIFFERS, UNKNOWN = "right", "differs", "can't tell"

TREATED = "treated picture"
"""The point about what a build makes of the treatments."""


@dataclass(frozen=True)
class Point:
    """Fields: `name` of what was looked at; `answer`, one of `RIGHT`, `DIFFERS`, `UNKNOWN`; `words`, how it differs,
    in a clause, or what was found; `asked`, whether an output that differs in it does not conform."""

    name: str
    answer: str
    words: str = ""
    asked: bool = True

    @property
    def fault(self) -> str:
        """Why the output does not conform, or ""."""
        return self.words if self.asked and self.answer == DIFFERS else ""


def point(name: str, fault: str, words: str = "") -> Point:
    """Right, with what was found, where there is no fault; else that it differs."""
    return Point(name, DIFFERS, fault) if fault else Point(name, RIGHT, words)


ANSWERS = (RIGHT, DIFFERS, UNKNOWN)


def point_from(said: object) -> Point:
    """A point as a study keeps it, a list of its fields. Raises ValueError on anything else."""
    if not isinstance(said, list) or len(said) != 4 or said[1] not in ANSWERS:
        raise ValueError("what should be a point of conformity is none")
    return Point(str(said[0]), str(said[1]), str(said[2]), bool(said[3]))
