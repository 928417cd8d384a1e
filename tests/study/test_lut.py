"""Broken .cube files are told apart, with the line."""

from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.programme.lut import check_cube, read_cube

GOOD = 'TITLE "t"\n# a remark\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\n' + "0 0 0\n" * 8


def test_a_good_table_states_its_size(tmp_path: Path) -> None:
    path = tmp_path / "a.cube"
    path.write_text(GOOD)
    assert check_cube(path) == 2


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "says no LUT_3D_SIZE"),
        (GOOD[:-6], "7 rows instead of 8"),
        (GOOD + "1 1 1\n", "9 rows instead of 8"),
        (GOOD.replace("SIZE 2", "SIZE two"), "line 3"),
        (GOOD.replace("SIZE 2", "SIZE 900"), "line 3"),
        (GOOD.replace("\n0 0 0", "\n0 zero 0", 1), "line 5: “0 zero 0” is not three numbers"),
        (GOOD.replace("\n0 0 0", "\n0 0", 1), "is not three numbers"),
        ("LUT_1D_SIZE 4\n", "0 rows instead of 4"),
        (GOOD.replace("\n0 0 0", "\n0 nan 0", 1), "line 5: “0 nan 0” is not three numbers"),
        (GOOD.replace("\n0 0 0", "\n0 inf 0", 1), "is not three numbers"),
        (GOOD.replace("MIN 0 0 0", "MIN 0 nan 0"), "line 4: “DOMAIN_MIN 0 nan 0” is not three numbers"),
        (GOOD.replace("MIN 0 0 0", "MIN 0 1 0"), "must end above where it begins"),
        (GOOD.replace("DOMAIN_MIN 0 0 0", "LUT_3D_INPUT_RANGE 0"), "line 4: .* is not two numbers"),
        (GOOD + "LUT_1D_SIZE 2\n", "holds two tables"),
    ],
)
def test_broken_tables(tmp_path: Path, text: str, words: str) -> None:
    path = tmp_path / "b.cube"
    path.write_text(text)
    with pytest.raises(OvrikError, match=words):
        check_cube(path)


def test_a_table_that_says_nothing_of_its_domain_is_over_0_to_1(tmp_path: Path) -> None:
    path = tmp_path / "plain.cube"
    path.write_text("\n".join(line for line in GOOD.splitlines() if not line.startswith("DOMAIN")) + "\n")
    made = read_cube(path)
    assert (made.low, made.high, made.as_is, made.size) == ((0.0, 0.0, 0.0), (1.0, 1.0, 1.0), True, 2)
    assert made.usual_range
