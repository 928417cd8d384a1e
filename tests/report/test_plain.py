"""What JSON can hold."""

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest

from ovrik.report.forms.plain import plain


@dataclass(frozen=True)
class Thing:
    name: str
    values: tuple[float, ...]


def test_everything_becomes_something_that_json_holds() -> None:
    made = {
        "array": np.array([[1.5, np.inf], [-np.inf, np.nan]]),
        "number": np.float64(2.5),
        "whole": np.int64(3),
        "truth": np.bool_(True),
        "path": Path("/a b/c"),
        "thing": Thing("x", (1.0, float("inf"))),
        "none": None,
        4: {"nested": [float("nan"), "text", True]},
    }
    said = plain(made)
    assert json.loads(json.dumps(said, allow_nan=False)) == said
    assert said["array"] == [[1.5, None], [None, None]]
    assert (said["number"], said["whole"], said["truth"]) == (2.5, 3, True)
    assert said["thing"] == {"name": "x", "values": [1.0, None]}
    assert said["4"]["nested"] == [None, "text", True]


@pytest.mark.parametrize("value", [float("inf"), float("-inf"), float("nan"), np.float64("inf")])
def test_what_is_infinite_is_null(value: float) -> None:
    assert plain(value) is None
