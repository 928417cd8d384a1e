"""Read the progress stream of a build: blocks of key=value, each closed by progress=…"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Progress:
    """Fields: `at_s`, seconds since the process started; `frame`, pictures written so far; `fps`
    as the build reports it; `bytes` written; `ended`, True in the last report."""

    at_s: float
    frame: int
    fps: float
    bytes: int
    ended: bool


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
        except ValueError:  # "N/A" until the first picture is out
            return 0.0
