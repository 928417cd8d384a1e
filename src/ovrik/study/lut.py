"""Looking into a .cube file before it is used: what is wrong with it, said with the line."""

import math
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.study.text_file import LUT_BYTES, read_text

LARGEST = 256


def check_cube(path: Path) -> int:
    """The size of a three-dimensional look-up table. Raises OvrikError naming the line that is wrong."""
    lines = read_text(path, LUT_BYTES, "a LUT", "replace").splitlines()
    size = rows = 0
    for number, raw in enumerate(lines, 1):
        line = raw.split("#")[0].strip()
        if not line or line.startswith("TITLE"):
            continue
        word = line.split()[0]
        if word == "LUT_1D_SIZE":
            raise OvrikError(
                f"{path}, line {number}: it is a one-dimensional table", "Use one with LUT_3D_SIZE"
            )
        if word == "LUT_3D_SIZE":
            size = _size(path, number, line)
        elif word in ("DOMAIN_MIN", "DOMAIN_MAX", "LUT_3D_INPUT_RANGE"):
            continue
        else:
            _row(path, number, line)
            rows += 1
    if not size:
        raise OvrikError(f"{path} says no LUT_3D_SIZE", "It is not a .cube file, or it is cut off")
    if rows != size**3:
        raise OvrikError(
            f"{path} has {rows} rows instead of {size**3} for its size {size}",
            "It is cut off or was changed: export it again",
        )
    return size


def _size(path: Path, number: int, line: str) -> int:
    said = line.split()[1:]
    if len(said) != 1 or not said[0].isdigit() or not 2 <= int(said[0]) <= LARGEST:
        raise OvrikError(
            f"{path}, line {number}: “{line[:60]}” is no size from 2 to {LARGEST}", "Mend the line"
        )
    return int(said[0])


def _row(path: Path, number: int, line: str) -> None:
    try:
        values = [float(v) for v in line.split()]
    except ValueError:
        values = []
    if len(values) != 3 or not all(map(math.isfinite, values)):
        raise OvrikError(f"{path}, line {number}: “{line[:60]}” is not three numbers", "Mend the line")
