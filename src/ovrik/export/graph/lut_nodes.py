"""A look-up table as filters that every build does alike."""

import hashlib
import os
from functools import lru_cache
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.export.graph.nodes import Node, node
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import write_whole
from ovrik.study.programme.lut import Cube, read_cube

FILTERS = {3: ("lut3d", "tetrahedral"), 1: ("lut1d", "linear")}


def lut_nodes(path: str) -> list[Node]:
    """Filters that look colours up in a .cube file, for RGB frames. Raises OvrikError when it can't be used any more.

    Builds take no notice of where a table's inputs begin: they are brought to 0 to 1 before it, and the table is read
    from a copy that says nothing of its range.
    """
    try:
        stat = os.stat(path)
    except OSError as exc:
        raise OvrikError(f"The LUT {path} can't be read ({exc.strerror})", "Choose it again") from None
    cube = _known(path, stat.st_mtime_ns, stat.st_size)
    name, between = FILTERS[cube.dimensions]
    if cube.as_is:
        return [node(name, file=path, interp=between)]
    looked_up = node(name, file=str(_plain_copy(cube)), interp=between)
    return [looked_up] if cube.usual_range else [_to_range(cube), looked_up]


@lru_cache(maxsize=8)
def _known(path: str, _changed: int, _size: int) -> Cube:
    return read_cube(Path(path))


def _to_range(cube: Cube) -> Node:
    curves = {
        channel: f"maxval*clip((val/maxval-({low:.8f}))/{high - low:.8f},0,1)"
        for channel, low, high in zip("rgb", cube.low, cube.high, strict=True)
    }
    return node("lutrgb", **curves)


def lut_folder() -> Path:
    """Where copies of tables are kept whose inputs do not go from 0 to 1."""
    return cache_folder("luts")


def _plain_copy(cube: Cube) -> Path:
    text = cube.text()
    place = lut_folder() / f"{hashlib.sha256(text.encode()).hexdigest()[:32]}.cube"
    if not place.exists():
        write_whole(place, text)
    return place
