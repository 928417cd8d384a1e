"""What decodes the clips of an export, where it is not software: options that stand before an input."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ovrik.machine.devices.paths import PATHS
from ovrik.study.clip.address import address
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.treatment_kinds import SOFTWARE

DEVICE_PATHS = {p.key: p for p in PATHS}


@dataclass(frozen=True)
class Decoding:
    """Fields: `options`, which stand before every input; `by_name`, the address of a clip and the options that choose
    its decoder, for devices whose decoders go by names of their own."""

    options: tuple[str, ...] = ()
    by_name: tuple[tuple[str, tuple[str, ...]], ...] = ()

    def before(self, place: str) -> tuple[str, ...]:
        """Options of one input."""
        return *self.options, *dict(self.by_name).get(place, ())

    def __bool__(self) -> bool:
        return bool(self.options or self.by_name)


def decoding_by(key: str, clips: Iterable[Footage]) -> Decoding:
    """How a device path is asked to decode these clips; one without decoders is asked nothing."""
    if key == SOFTWARE:
        return Decoding()
    path = DEVICE_PATHS[key]
    if path.hwaccel:
        return Decoding(("-hwaccel", path.hwaccel, "-hwaccel_device", path.key))
    named = ((address(c.path), ("-c:v", f"{c.codec}_{key}")) for c in clips if c.codec in path.decodes)
    return Decoding(by_name=tuple(named))


def with_decoding(inputs: Sequence[str], decoding: Decoding, *more: str) -> list[str]:
    """Options that stand before an input apply to that one only: they are said before each, and `more` after them."""
    out: list[str] = []
    begin = 0
    for at, word in enumerate(inputs):
        if word == "-i":
            out += [*decoding.before(inputs[at + 1]), *more, *inputs[begin : at + 2]]
            begin = at + 2
    return out
