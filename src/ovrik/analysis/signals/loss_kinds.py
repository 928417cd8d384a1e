"""The kinds of loss that are told apart, in one table."""

from dataclasses import dataclass


@dataclass(frozen=True)
class LossKind:
    """One kind of loss.

    Fields: `key` in the study file and in exports; `title`; `unit`, "" for none; `digits` shown after the point;
    `about`, what it says, in words; `plain`, how an editor would put it; `notable`, the value of a frame from which
    it is worth a look; `strong`, the value of a block that a map draws at full strength.
    """

    key: str
    title: str
    unit: str
    digits: int
    about: str
    plain: str
    notable: float
    strong: float

    @property
    def axis(self) -> str:
        """Title and unit."""
        return f"{self.title}, {self.unit}" if self.unit else self.title


LOSS_KINDS = (
    LossKind(
        "loss_detail",
        "Detail lost",
        "%",
        0,
        "of the fine contrast along structures",
        "softer: fine detail is gone",
        15,
        40,
    ),
    LossKind(
        "loss_grain", "Grain lost", "%", 0, "of the noise in even areas", "grain or noise is gone", 25, 100
    ),
    LossKind(
        "loss_blocking",
        "Blocking",
        "levels",
        2,
        "steps at the borders of 8×8 blocks beyond the reference's",
        "blocks show",
        0.5,
        2.5,
    ),
    LossKind(
        "loss_banding",
        "Banding",
        "levels",
        2,
        "steps across smooth areas beyond the reference's",
        "smooth areas break into bands",
        0.4,
        1.5,
    ),
    LossKind(
        "loss_ringing",
        "Ringing",
        "levels",
        2,
        "ripples beside hard edges, beyond what is there elsewhere",
        "ripples beside hard edges",
        0.8,
        5,
    ),
    LossKind(
        "loss_colour",
        "Colour shift",
        "ΔE",
        2,
        "distance of mean colours without their lightness, CIE 1976",
        "colours are off",
        1.5,
        8,
    ),
    LossKind(
        "loss_flicker",
        "Flicker",
        "levels",
        2,
        "change of brightness from frame to frame that the reference does not have",
        "brightness flickers",
        0.6,
        4,
    ),
)
LOSS_TABLE = {k.key: k for k in LOSS_KINDS}
