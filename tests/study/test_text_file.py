"""Text from elsewhere: what is none, or too much, is refused in a line."""

from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.files.text_file import read_text, visible


def test_as_much_as_it_can_be_and_a_byte_more(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_bytes(b"x" * 100)
    assert read_text(path, 100) == "x" * 100
    with pytest.raises(OvrikError, match="larger than a plan can be"):
        read_text(path, 99)


def test_a_mark_of_byte_order_is_no_text_and_other_bytes_are_none(tmp_path: Path) -> None:
    path = tmp_path / "plan.toml"
    path.write_bytes(b"\xef\xbb\xbftitle")
    assert read_text(path) == "title"
    path.write_bytes(b"good \xff bad")
    with pytest.raises(OvrikError, match="at byte 5"):
        read_text(path)
    assert read_text(path, errors="replace") == "good \ufffd bad"
    with pytest.raises(OvrikError):
        read_text(tmp_path)


def test_what_can_not_be_seen_is_written_out() -> None:
    assert visible("bell\x07 and \u202e, a ü") == "bell\\x07 and \\u202e, a ü"
