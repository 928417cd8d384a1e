"""A whole file stays whole while several threads write it, and nothing is written through what lies in its way."""

import json
import os
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.study.files.kept import change_json, read_json
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.files.whole_file import made_beside, write_asked, write_whole, writing


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


LEFT = f".{'a' * 24}.making"


def test_what_a_kill_left_is_removed_by_whoever_makes_the_next_one(tmp_path: Path) -> None:
    for name in (
        LEFT,
        f"{LEFT}-wal",
        f"{LEFT}-shm",
        f".{'b' * 24}.making-journal",
        ".abc.making",
        "a.making",
    ):
        (tmp_path / name).write_text("half")
    letter = tmp_path / "letter"
    letter.write_text("mine")
    (tmp_path / f".{'c' * 24}.making").symlink_to(letter)
    write_whole(tmp_path / "kept", "whole")
    kept = {".abc.making", "a.making", "letter", f".{'c' * 24}.making", "kept"}
    assert {p.name for p in tmp_path.iterdir()} == kept
    assert letter.read_text() == "mine"


def test_what_somebody_is_making_stays(tmp_path: Path) -> None:
    with made_beside(tmp_path / "study.ovrik", ("-wal",)) as making:
        Path(f"{making}-wal").write_text("log")
        write_whole(tmp_path / "kept", "whole")
        assert making.exists()
        assert Path(f"{making}-wal").exists()
        Path(f"{making}-wal").unlink()
    assert {p.name for p in tmp_path.iterdir()} == {"study.ovrik", "kept"}


KILLED = """
import os, sys
from pathlib import Path
from ovrik.study.files.scratch import scratch_folder
with scratch_folder("pass", Path(sys.argv[1])) as place:
    (place / "half").write_text("x")
    print(place, flush=True)
    sys.stdin.readline()
    os.kill(os.getpid(), 9)
"""


def test_a_folder_that_is_worked_in_outlives_its_maker_no_longer_than_to_the_next_one(tmp_path: Path) -> None:
    command = [sys.executable, "-c", KILLED, str(tmp_path)]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as maker:
        assert maker.stdin is not None
        assert maker.stdout is not None
        place = Path(maker.stdout.readline().strip())
        with scratch_folder("pass", tmp_path) as mine:
            assert (place / "half").exists(), "it is held"
        maker.stdin.write("\n")
        maker.stdin.flush()
        maker.wait()
    with scratch_folder("score", tmp_path):
        assert place.exists(), "another purpose"
    with scratch_folder("pass", tmp_path) as mine:
        assert [p.name for p in tmp_path.iterdir()] == [mine.name]
    assert list(tmp_path.iterdir()) == []
