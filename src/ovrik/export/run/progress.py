"""Read the progress stream of a build: blocks of key=value, each closed by progress=…"""

import re
from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True)
class Progress:
    """Fields: `at_s`, seconds since the process started; `frame`, frames written so far; `fps`
    as the build reports it; `bytes` written; `ended`, True in the last report."""

    at_s: float
    frame: int
    fps: float
    bytes: int
    ended: bool


class Reader(Protocol):
    """Anything that makes reports of a program's standard output."""

    def feed(self, piece: bytes, at_s: float) -> list[Progress]:
        """Reports completed by this piece."""


class ProgressReader:
    """Takes the stream in pieces of any length and gives whole reports."""

    def __init__(self) -> None:
        self._rest = b""
        self._values: dict[str, str] = {}

    def feed(self, piece: bytes, at_s: float) -> list[Progress]:
        """Reports completed by this piece, all stamped with the time at which it came."""
        *lines, self._rest = (self._rest + piece).split(b"\n")
        out = []
        for line in lines:
            key, _, value = line.decode("ascii", "replace").partition("=")
            self._values[key.strip()] = value.strip()
            if key.strip() == "progress":
                out.append(self._report(at_s, value.strip() == "end"))
                self._values = {}
        return out

    def _report(self, at_s: float, ended: bool) -> Progress:
        number = self._number
        return Progress(at_s, int(number("frame")), number("fps"), int(number("total_size")), ended)

    def _number(self, key: str) -> float:
        try:
            return float(self._values.get(key, 0))
        except ValueError:  # "N/A" until the first frame is out
            return 0.0


class PatternReader:
    """Progress of a described program: numbers found in its output by a pattern."""

    def __init__(self, pattern: str, unit: str, frames: int, rate: float) -> None:
        """`unit` is "frames", "percent" or "seconds"; `frames` in all and `rate` turn it into frames."""
        self._pattern = re.compile(pattern)
        self._per_unit = {"frames": 1.0, "percent": frames / 100, "seconds": rate}[unit]
        self._rest = b""

    def feed(self, piece: bytes, at_s: float) -> list[Progress]:
        """Reports in this piece, one for each line that holds any."""
        *lines, self._rest = (self._rest + piece).replace(b"\r", b"\n").split(b"\n")
        out = []
        for line in lines:
            found = self._pattern.search(line.decode("utf-8", "replace"))
            if found and found.groups():
                frame = int(float(found[1]) * self._per_unit)
                out.append(Progress(at_s, frame, frame / at_s if at_s else 0.0, 0, False))
        return out
