"""One try of an acceleration, and its answer."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any

TRIED_PLACES = ("device", "decode", "treatment", "encode")
WORKS, FAILS, FALLS_BACK, WRONG = "works", "fails", "falls back", "wrong picture"
UNTRIED = "not tried"
"""There is no device to try it on."""
NOT_KNOWN = "not known"
"""It gave no answer in time, which a busy machine can be the reason for: it is tried again."""


@dataclass(frozen=True)
class Trial:
    """One try and its answer.

    Fields: `build` key; `path` key of the device path; `place`, "device", "decode", "treatment" or
    "encode"; `what`, a codec, encoder or treatment; `pixel_format`; `answer`, one of works, fails,
    falls back, wrong picture, not tried, not known; `reason` in plain words; `device`, the name it gave itself;
    `processor`, True when that device is really the processor; `db`, PSNR against the software
    result, None if no picture came; `log`, all that the build said; `number`, by which the device is asked for
    where a path has several.
    """

    build: str
    path: str
    place: str
    what: str
    pixel_format: str
    answer: str
    reason: str = ""
    device: str = ""
    processor: bool = False
    db: float | None = None
    log: tuple[str, ...] = ()
    number: str = ""

    @property
    def known(self) -> bool:
        """Whether there was an answer at all."""
        return self.answer != NOT_KNOWN

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)


def answered(trials: Iterable[Trial]) -> list[Trial]:
    """Those that gave an answer: what gave none speaks neither for nor against anything."""
    return [t for t in trials if t.known]
