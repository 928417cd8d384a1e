"""What came of comparing a treatment's form on a device with software's."""

from dataclasses import dataclass

from pydantic import TypeAdapter, ValidationError

from ovrik.study.programme.treatment_kinds import PLACE_TITLES

RIGHT_DB, GROSS_DB = 40.0, 22.0
"""PSNR from which a form gives software's picture, rounding apart; and under which it gives another one altogether,
which no other kernel or rounding of edges explains."""


@dataclass(frozen=True)
class FormTrial:
    """One treatment on one device. Fields: `place`; `words` of the treatment with its parameters; `db`, the lowest
    PSNR of the three planes against software, None when no picture came; `reason` why none came, or ""; `answered`,
    whether there was an answer at all: on a busy machine there may be none in time."""

    place: str
    words: str
    db: float | None
    reason: str = ""
    answered: bool = True

    @property
    def gross(self) -> bool:
        """Whether it is another picture altogether."""
        return self.db is not None and self.db < GROSS_DB

    @property
    def differs(self) -> str:
        """What is wrong with it in words, "" when it gives software's picture."""
        where = PLACE_TITLES.get(self.place, self.place)
        if not self.answered:
            return f"{self.words} by {where} has not been compared with software's picture: {self.reason}"
        if self.db is None:
            return f"{self.words} by {where} gave no frames: {self.reason}"
        if self.db < RIGHT_DB:
            return (
                f"{self.words} by {where} differs from software's picture: {self.db:.0f} dB, "
                f"{RIGHT_DB:.0f} wanted"
            )
        return ""


def form_trial(said: object) -> FormTrial | None:
    """One as a study keeps it; None of anything else, which a stranger's study may hold."""
    try:
        return TypeAdapter(FormTrial).validate_python(said)
    except ValidationError:
        return None
