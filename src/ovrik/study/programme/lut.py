"""A .cube file, looked into before it is used: what is wrong with it, said with the line."""

import math
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.study.files.text_file import LUT_BYTES, read_text

LARGEST = {"LUT_3D_SIZE": 256, "LUT_1D_SIZE": 65536}
DIMENSIONS = {"LUT_3D_SIZE": 3, "LUT_1D_SIZE": 1}
RANGES = ("LUT_3D_INPUT_RANGE", "LUT_1D_INPUT_RANGE")
Triple = tuple[float, float, float]


@dataclass(frozen=True)
class Cube:
    """A look-up table. Fields: `dimensions`, 3 for one over all colours, 1 for a curve of each channel; `size`,
    points along each; `low`, `high`, by red, green and blue the inputs of its first and last point, 0 to 1 usually;
    `rows`, as they stand in the file; `as_is`, whether every build reads the file itself as it is meant."""

    dimensions: int
    size: int
    low: Triple
    high: Triple
    rows: tuple[str, ...]
    as_is: bool

    @property
    def usual_range(self) -> bool:
        """Whether its inputs go from 0 to 1."""
        return self.low == (0, 0, 0) and self.high == (1, 1, 1)

    def text(self) -> str:
        """The same table as a .cube file for inputs from 0 to 1."""
        kind = next(k for k, d in DIMENSIONS.items() if d == self.dimensions)
        return "\n".join([f"{kind} {self.size}", *self.rows, ""])


def read_cube(path: Path) -> Cube:
    """A look-up table. Raises OvrikError naming the line that is wrong."""
    lines = read_text(path, LUT_BYTES, "a LUT", "replace").splitlines()
    sizes: dict[str, int] = {}
    low, high = (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)
    rows: list[str] = []
    as_is = True
    for number, raw in enumerate(lines, 1):
        if raw.lstrip("\ufeff \t").startswith("TITLE"):
            continue  # a title may hold a "#"
        line = raw.lstrip("\ufeff").split("#")[0].strip()
        if not line:
            continue
        word = line.split()[0]
        if word in LARGEST:
            sizes[word] = _size(path, number, line, LARGEST[word])
        elif word == "DOMAIN_MIN":
            low = _triple(path, number, line, line.split()[1:])
        elif word == "DOMAIN_MAX":
            high = _triple(path, number, line, line.split()[1:])
        elif word in RANGES:
            as_is = False  # some builds take the line for a row
            ends = line.split()[1:]
            if len(ends) != 2:
                raise OvrikError(f"{path}, line {number}: “{line[:60]}” is not two numbers", "Mend the line")
            low, high = (_triple(path, number, line, [end] * 3) for end in ends)
        else:
            _triple(path, number, line, line.split())
            rows.append(line)
    made = _whole(path, sizes, low, high, rows)
    return replace(made, as_is=as_is and made.usual_range)


def check_cube(path: Path) -> int:
    """The size of a look-up table. Raises OvrikError naming the line that is wrong."""
    return read_cube(path).size


def _whole(path: Path, sizes: dict[str, int], low: Triple, high: Triple, rows: list[str]) -> Cube:
    if len(sizes) > 1:
        raise OvrikError(
            f"{path} holds two tables, a curve and a cube", "Export it as one table with LUT_3D_SIZE"
        )
    if not sizes:
        raise OvrikError(
            f"{path} says no LUT_3D_SIZE or LUT_1D_SIZE", "It is not a .cube file, or it is cut off"
        )
    kind, size = next(iter(sizes.items()))
    wanted = size ** DIMENSIONS[kind]
    if len(rows) != wanted:
        raise OvrikError(
            f"{path} has {len(rows)} rows instead of {wanted} for its size {size}",
            "It is cut off or was changed: export it again",
        )
    if any(a >= b for a, b in zip(low, high, strict=True)):
        raise OvrikError(
            f"{path}: its inputs go from {low} to {high}",
            "Each must end above where it begins: mend the range",
        )
    return Cube(DIMENSIONS[kind], size, low, high, tuple(rows), as_is=True)


def _size(path: Path, number: int, line: str, largest: int) -> int:
    said = line.split()[1:]
    if len(said) != 1 or not said[0].isdigit() or not 2 <= int(said[0]) <= largest:
        raise OvrikError(
            f"{path}, line {number}: “{line[:60]}” is no size from 2 to {largest}", "Mend the line"
        )
    return int(said[0])


def _triple(path: Path, number: int, line: str, words: list[str]) -> Triple:
    try:
        values = [float(v) for v in words]
    except ValueError:
        values = []
    if len(values) != 3 or not all(map(math.isfinite, values)):
        raise OvrikError(f"{path}, line {number}: “{line[:60]}” is not three numbers", "Mend the line")
    return values[0], values[1], values[2]
