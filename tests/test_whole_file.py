"""A whole file stays whole while several threads write it, and nothing is written through what lies in its way."""

import json
import os
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.files.kept import change_json, read_json
from ovrik.study.files.whole_file import write_asked, write_whole, writing


def test_writers_at_once_do_not_meet(tmp_path: Path) -> None:
    place = tmp_path / "a folder" / "kept.json"
    texts = [str(n) * 200_000 for n in range(8)]
    with ThreadPoolExecutor(8) as threads:
        for written in [threads.submit(write_whole, place, text) for text in texts * 5]:
            written.result()
    assert place.read_text() in texts
    assert list(place.parent.iterdir()) == [place]


def test_no_change_of_a_list_is_lost(tmp_path: Path) -> None:
    place = tmp_path / "list.json"
    with ThreadPoolExecutor(8) as threads:
        done = [threads.submit(change_json, place, lambda seen, n=n: [*(seen or []), n]) for n in range(60)]
        for one in done:
            one.result()
    assert sorted(read_json(place)) == list(range(60))


def test_nothing_is_written_through_a_link(tmp_path: Path) -> None:
    """A link at the place is replaced, and what it led to stays as it was."""
    victim, place = tmp_path / "a letter", tmp_path / "report.html"
    victim.write_text("mine")
    place.symlink_to(victim)
    assert write_asked(place, "page") == 4
    assert (victim.read_text(), place.read_text(), place.is_symlink()) == ("mine", "page", False)


def _half_written(place: Path) -> None:
    with writing(place) as handle:
        handle.write(b"[")
        raise ValueError("half")


def test_what_can_not_be_finished_leaves_what_was_there(tmp_path: Path) -> None:
    place = tmp_path / "kept.json"
    write_whole(place, json.dumps([1]))
    with pytest.raises(ValueError, match="half"):
        _half_written(place)
    assert read_json(place) == [1]
    assert os.listdir(tmp_path) == ["kept.json"]
    with pytest.raises(OvrikError, match="is not there"):
        write_asked(tmp_path / "gone" / "x.csv", "a")
    with pytest.raises(OvrikError, match="is a folder"):
        write_asked(tmp_path, "a")
