"""An armed folder times real exports of the stand-in program; broken, cancelled and unrelated files are no
exports."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from ovrik.errors import OvrikError
from ovrik.machine.builds.build import locate
from ovrik.machine.sensors.graphics_use import GraphicsUse
from ovrik.outside.born import born_s
from ovrik.outside.folder import FolderLooked
from ovrik.outside.program_load import CHAIN_S, Sample, earliest_start, onset
from ovrik.outside.starts import FIRST_BYTE, LOAD
from ovrik.outside.watch import KEY, FileWatch, OutsideTime
from ovrik.outside.writers import writers
from ovrik.quality.reference.cut_short import cut_short
from ovrik.standin.editing import HABITS
from ovrik.study.clip.footage import Footage

LONG_S = 60.0
SLACK_S = 0.5
"""A test machine may be busy: `./run bench watch` holds the times to a tenth of a second."""


@pytest.fixture
def armed(tmp_path: Path) -> Iterator[FileWatch]:
    """A watch on an empty folder, with an unrelated program that writes beside it."""
    place = tmp_path / "exports"
    place.mkdir()
    watch = FileWatch(place, lambda path: cut_short(path, 1))
    watch.start()
    yield watch
    watch.stop()


def program(
    tmp_path: Path, footage: Footage, files: list[str], habit: str, pause: float = 0.0
) -> "subprocess.Popen[bytes]":
    """The stand-in editing program at work."""
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled"))]
    command += [
        "--source",
        footage.path,
        "--habit",
        habit,
        "--log",
        str(tmp_path / "log"),
        "--pause",
        str(pause),
    ]
    return subprocess.Popen([*command, *(str(tmp_path / "exports" / f) for f in files)])


def awaited(watch: FileWatch, count: int) -> list[OutsideTime]:
    """The next exports that the watch finds."""
    until, found = time.monotonic() + LONG_S, list[OutsideTime]()
    while len(found) < count and time.monotonic() < until:
        found += watch.look()
        time.sleep(0.05)
    assert len(found) == count
    return found


def truth(tmp_path: Path) -> list[dict[str, float]]:
    """What the program itself says of its exports."""
    return [json.loads(line) for line in (tmp_path / "log").read_text().splitlines()]


@pytest.mark.parametrize("habit", [h for h in HABITS if h not in ("prepared", "in memory")])
def test_begin_and_end_are_found_whatever_the_habit(
    habit: str, armed: FileWatch, tmp_path: Path, footage: Footage
) -> None:
    running = program(tmp_path, footage, ["film 1.mkv"], habit)
    (armed.folder / "notes.txt").write_text("not an export")
    [found] = awaited(armed, 1)
    assert running.wait() == 0
    [said] = truth(tmp_path)
    assert found.path.name == "film 1.mkv"
    assert found.began_s == pytest.approx(said["began_s"], abs=SLACK_S)
    assert found.ended_s == pytest.approx(said["ended_s"], abs=SLACK_S)
    assert found.wall_s == found.ended_s - found.began_s
    assert found.bytes == found.path.stat().st_size
    assert found.began_by == FIRST_BYTE
    assert found.begun_again == (habit == "begun again")
    assert armed.look() == []


def test_work_before_the_first_byte_is_dated_by_the_programs_load(tmp_path: Path, footage: Footage) -> None:
    (tmp_path / "exports").mkdir()
    running = program(tmp_path, footage, ["a.mkv"], "prepared", pause=1.5)
    watch = FileWatch(tmp_path / "exports", lambda path: cut_short(path, 1), running.pid)
    watch.start()
    [found] = awaited(watch, 1)
    watch.stop()
    running.wait()
    [said] = truth(tmp_path)
    assert found.began_by == LOAD
    assert found.began_s == pytest.approx(said["began_s"], abs=SLACK_S)


def test_without_sight_of_the_program_what_came_before_the_first_byte_is_left_open(
    armed: FileWatch, tmp_path: Path, footage: Footage
) -> None:
    running = program(tmp_path, footage, ["a.mkv"], "in memory")
    [found] = awaited(armed, 1)
    running.wait()
    [said] = truth(tmp_path)
    assert found.began_by == FIRST_BYTE
    assert found.began_s - found.lead_s <= said["began_s"] <= found.began_s + found.doubt_s


def test_a_queue_becomes_runs_of_its_own(armed: FileWatch, tmp_path: Path, footage: Footage) -> None:
    running = program(tmp_path, footage, ["a.mkv", "b.mkv", "c.mkv"], "direct", pause=0.3)
    found = awaited(armed, 3)
    running.wait()
    assert [f.path.name for f in found] == ["a.mkv", "b.mkv", "c.mkv"]
    for one, said in zip(found, truth(tmp_path), strict=True):
        assert one.wall_s == pytest.approx(said["ended_s"] - said["began_s"], abs=SLACK_S)
    assert found[1].lead_s == pytest.approx(found[1].began_s - armed.armed_s), "exports may overlap"


def test_the_start_key_dates_the_begin(armed: FileWatch, tmp_path: Path, footage: Footage) -> None:
    pressed = time.monotonic()
    armed.press(pressed)
    running = program(tmp_path, footage, ["a.mkv"], "in memory", pause=0.2)
    [found] = awaited(armed, 1)
    running.wait()
    assert (found.began_by, found.lead_s) == (KEY, 0.0)
    assert found.began_s == pytest.approx(pressed, abs=0.05)


def test_what_is_cancelled_or_cut_off_is_no_export(
    armed: FileWatch, tmp_path: Path, footage: Footage, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ovrik.outside.watch.GIVEN_UP_S", 1.5)
    (armed.folder / "cut.mkv").write_bytes(Path(footage.path).read_bytes()[:400])
    until = time.monotonic() + LONG_S
    while not armed.unfinished and time.monotonic() < until:
        assert armed.look() == []
        time.sleep(0.05)
    [left] = armed.unfinished.values()
    assert left.path.name == "cut.mkv"
    assert left.reason
    half = armed.folder / "a.mkv"
    half.write_bytes(Path(footage.path).read_bytes()[:400])
    half.unlink()
    running = program(tmp_path, footage, ["a.mkv"], "direct", pause=1.6)
    [found] = awaited(armed, 1)
    running.wait()
    assert found.began_s == pytest.approx(truth(tmp_path)[0]["began_s"], abs=SLACK_S)


def test_the_same_name_again_is_another_export_and_a_header_written_late_ends_it_later(
    armed: FileWatch, tmp_path: Path, footage: Footage
) -> None:
    program(tmp_path, footage, ["a.mkv"], "direct").wait()
    [first] = awaited(armed, 1)
    with first.path.open("r+b") as late:
        head = late.read(64)
        late.seek(0)
        late.write(head)
    touched_s = time.monotonic()
    [later] = awaited(armed, 1)
    assert later.corrects, "it is the same export"
    assert later.began_s == first.began_s
    assert later.ended_s == pytest.approx(touched_s, abs=SLACK_S)
    assert later.wall_s == pytest.approx(first.wall_s + later.ended_s - first.ended_s)
    for number, habit in enumerate(("begun again", "direct"), 1):
        running = program(tmp_path, footage, ["a.mkv"], habit)
        [again] = awaited(armed, 1)
        running.wait()
        assert again.began_s == pytest.approx(truth(tmp_path)[number]["began_s"], abs=SLACK_S)
        assert again.wall_s < first.wall_s + 2
        assert not again.corrects


def test_an_export_named_like_an_earlier_one_does_not_begin_with_it(
    armed: FileWatch, tmp_path: Path, footage: Footage
) -> None:
    program(tmp_path, footage, ["film 1.mkv"], "direct").wait()
    awaited(armed, 1)
    program(tmp_path, footage, ["film.mkv"], "direct", pause=0.5).wait()
    [found] = awaited(armed, 1)
    assert found.parts == 0
    assert found.began_s == pytest.approx(truth(tmp_path)[1]["began_s"], abs=SLACK_S)


def test_what_was_given_up_may_be_exported_again_under_its_name(
    armed: FileWatch, tmp_path: Path, footage: Footage, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ovrik.outside.watch.GIVEN_UP_S", 1.5)
    (armed.folder / "a.mkv").write_bytes(Path(footage.path).read_bytes()[:400])
    until = time.monotonic() + LONG_S
    while not armed.unfinished and time.monotonic() < until:
        armed.look()
        time.sleep(0.05)
    program(tmp_path, footage, ["a.mkv"], "direct").wait()
    [found] = awaited(armed, 1)
    assert found.began_s == pytest.approx(truth(tmp_path)[0]["began_s"], abs=SLACK_S)
    assert armed.unfinished == {}


def test_what_lies_below_the_folder_is_no_export(armed: FileWatch, footage: Footage) -> None:
    (armed.folder / "renders").mkdir()
    (armed.folder / "renders" / "segment 1.mkv").write_bytes(Path(footage.path).read_bytes())
    until = time.monotonic() + 2.5
    while time.monotonic() < until:
        assert armed.look() == []
        time.sleep(0.1)


def test_a_thousand_unrelated_files_do_not_matter(armed: FileWatch, tmp_path: Path, footage: Footage) -> None:
    running = program(tmp_path, footage, ["a.mkv"], "direct")
    for n in range(1000):
        (armed.folder / f"{n}.txt").write_text("x")
    [found] = awaited(armed, 1)
    running.wait()
    assert found.path.name == "a.mkv"


def test_a_file_that_is_still_held_open_is_not_done(armed: FileWatch, footage: Footage) -> None:
    path = armed.folder / "a.mkv"
    path.write_bytes(Path(footage.path).read_bytes())
    with path.open("r+b"):
        assert writers(path) == [os.getpid()]
        until = time.monotonic() + 2
        while time.monotonic() < until:
            assert armed.look() == []
            time.sleep(0.1)
    assert writers(path) == []
    [found] = awaited(armed, 1)
    assert found.executable == str(Path(sys.executable).resolve()), "it was seen to write"


def test_a_folder_that_goes_or_is_not_there_says_so(armed: FileWatch, tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match="is no folder"):
        FileWatch(tmp_path / "nowhere", lambda _p: "").start()
    armed.folder.rmdir()
    with pytest.raises(OvrikError, match="no longer there"):
        armed.look()


def test_network_drives_are_looked_at_again_and_again(
    tmp_path: Path, footage: Footage, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("ovrik.outside.watch.on_network", lambda _folder: True)
    (tmp_path / "exports").mkdir()
    watch = FileWatch(tmp_path / "exports", lambda path: cut_short(path, 1))
    watch.start()
    assert isinstance(watch._source, FolderLooked)
    running = program(tmp_path, footage, ["a.mkv"], "renamed", pause=0.5)
    [found] = awaited(watch, 1)
    watch.stop()
    running.wait()
    assert found.doubt_s >= 0.2
    assert found.began_s == pytest.approx(truth(tmp_path)[0]["began_s"], abs=SLACK_S + found.doubt_s)


@pytest.mark.parametrize(
    ("loads", "first", "began"),
    [
        ([0.0, 0.0, 1.0, 1.0, 1.0], 5.0, 2.0),
        ([1.0, 0.0, 1.0, 1.0, 1.0], 5.0, 2.0),
        ([0.0, 0.0, 0.0, 0.0, 0.0], 5.0, None),
        ([1.0, 1.0, 1.0, 1.0, 1.0], 5.0, None),
        ([0.0, 1.0, 1.0, 0.1, 0.1], 5.0, None),
        ([0.0, 1.0, 1.0, 0.0, 0.0], 3.0, 1.0),
        ([], 3.0, None),
    ],
)
def test_the_begin_of_work(loads: list[float], first: float, began: float | None) -> None:
    """Cores in use in each second: of the processor, of a graphics device, or of one that others keep busy."""
    used = [0.0]
    for load in loads:
        used.append(used[-1] + load)
    for place in range(3):
        samples = []
        for n, u in enumerate(used):
            by = [0.0, 0.0, 0.0]
            by[place] = u
            samples.append(Sample(float(n), *by))
        found = onset(samples, first)
        assert (found[0] if found else None) == began


def test_a_wait_shorter_than_a_pause_is_part_of_the_work() -> None:
    """Ten samples a second: a pause of 0.5 s, work, 0.2 s of waiting, work."""
    loads = [0.0] * 5 + [0.1] * 5 + [0.0] * 2 + [0.1] * 5
    used = [sum(loads[:n]) for n in range(len(loads) + 1)]
    found = onset([Sample(n / 10, u) for n, u in enumerate(used)], 1.7)
    assert found is not None
    assert found[0] == pytest.approx(0.5)


def test_what_a_thread_that_ended_waited_for_is_no_work() -> None:
    used, waited = [0.0, 0.0, 0.0, 1.0, 2.0], [5.0, 5.0, 0.0, 0.0, 0.0]
    samples = [Sample(float(n), u, 0.0, w) for n, (u, w) in enumerate(zip(used, waited, strict=True))]
    found = onset(samples, 4.5)
    assert found is not None
    assert found[0] == 2.0


@pytest.mark.parametrize(
    ("ran", "latest", "earliest"),
    [
        ([0.0] * 60, 5.5, 5.5),
        ([0.0] * 20 + [0.004] + [0.0] * 34 + [0.1] * 5, 5.5, 2.0),
        ([0.0] * 20 + [0.1] * 10 + [0.0] * 25 + [0.1] * 5, 5.5, 2.0),
        ([0.001, 0.0005] * 10 + [0.006] + [0.001, 0.0005] * 17 + [0.1] * 5, 5.5, 2.0),
        ([0.004] + [0.0] * 54 + [0.1] * 5, 5.5, 5.5),
        ([0.1] * 60, 5.5, 0.0),
    ],
)
def test_how_early_the_work_may_have_begun(ran: list[float], latest: float, earliest: float) -> None:
    """Woken by the button, working before a wait, a cursor that blinks, woken too long before, working all along."""
    totals = [sum(ran[:n]) for n in range(len(ran) + 1)]
    samples = [Sample(n / 10, round(t, 2), 0.0, 0.0, t) for n, t in enumerate(totals)]
    assert earliest_start(samples, latest) == pytest.approx(earliest)
    assert CHAIN_S == 5.0


def test_when_a_file_was_made(tmp_path: Path) -> None:
    path = tmp_path / "a"
    before = time.monotonic()
    path.write_bytes(b"x")
    made = born_s(path)
    if made is None:
        pytest.skip("this drive does not keep it")
    time.sleep(0.3)
    path.write_bytes(b"y")
    path.rename(tmp_path / "b")
    again = born_s(tmp_path / "b")
    assert before - SLACK_S < made < before + SLACK_S
    assert again == pytest.approx(made, abs=0.01), "whatever happens to it afterwards"
    assert born_s(path) is None


def test_what_was_made_elsewhere_and_moved_in_began_there(
    armed: FileWatch, tmp_path: Path, footage: Footage
) -> None:
    other = tmp_path / "elsewhere.mkv"
    armed.key_s = None
    began = time.monotonic()
    other.write_bytes(Path(footage.path).read_bytes())
    time.sleep(1.0)
    ended = time.monotonic()
    other.rename(armed.folder / "a.mkv")
    [found] = awaited(armed, 1)
    assert found.ended_s == pytest.approx(ended, abs=SLACK_S)
    if born_s(found.path) is not None:
        assert found.began_s == pytest.approx(began, abs=SLACK_S)
    low, high = found.bounds_s
    assert low <= ended - began + SLACK_S
    assert high >= ended - began - SLACK_S


def test_bursts_are_one_export_and_what_a_crash_leaves_is_none(tmp_path: Path, footage: Footage) -> None:
    """How many frames the excerpt has is known: a file with fewer is not done, however still it lies."""
    place = tmp_path / "exports"
    place.mkdir()
    watch = FileWatch(place, lambda path: cut_short(path, footage.frames))
    watch.start()
    whole = Path(footage.path).read_bytes()
    (place / "crashed.mkv").write_bytes(whole[: len(whole) // 2])
    began, found = time.monotonic(), list[OutsideTime]()
    for number in range(3):
        with (place / "a.mkv").open("ab") as out:
            out.write(whole[number * len(whole) // 3 : (number + 1) * len(whole) // 3])
        until = time.monotonic() + 2.2
        while time.monotonic() < until and number < 2:
            found += watch.look()
            time.sleep(0.05)
    found += awaited(watch, 1)
    watch.stop()
    [one] = found
    assert one.path.name == "a.mkv"
    assert one.began_s == pytest.approx(began, abs=SLACK_S)
    assert one.wall_s >= 4.3


def test_graphics_clients_are_counted_once(tmp_path: Path) -> None:
    """As the kernel's documents write it (Documentation/gpu/drm-usage-stats.rst)."""
    said = "pos:\t0\ndrm-driver:\ti915\ndrm-client-id:\t{}\ndrm-pdev:\t0000:00:02.0\n"
    said += "drm-engine-render:\t{} ns\ndrm-engine-video:\t{} ns\ndrm-engine-capacity-video:\t2\n"
    files = {
        (7, "3"): ("/dev/dri/renderD128", said.format(11, 2_000_000_000, 500_000_000)),
        (7, "4"): ("/dev/dri/card0", said.format(11, 2_000_000_000, 500_000_000)),
        (7, "5"): ("/home/x/clip.mov", said.format(12, 9_000_000_000, 0)),
        (8, "3"): ("/dev/dri/renderD128", said.format(13, 250_000_000, 0)),
    }
    for (pid, name), (target, text) in files.items():
        for folder in ("fd", "fdinfo"):
            (tmp_path / str(pid) / folder).mkdir(parents=True, exist_ok=True)
        (tmp_path / str(pid) / "fd" / name).symlink_to(target)
        (tmp_path / str(pid) / "fdinfo" / name).write_text(text)
    use = GraphicsUse(tmp_path)
    assert use.seconds([7, 8, 99]) == pytest.approx(2.75)
    (tmp_path / "8" / "fdinfo" / "3").unlink()
    assert use.seconds([7, 8]) == pytest.approx(2.5)


def test_after_the_clock_was_set_no_birth_is_believed(
    armed: FileWatch, tmp_path: Path, footage: Footage, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An hour forward: what was made a moment before would have begun an hour ago."""
    armed.key_s = None
    armed.armed_s -= 7200  # it has been armed for long
    other = tmp_path / "elsewhere.mkv"
    began = time.monotonic()
    other.write_bytes(Path(footage.path).read_bytes())
    real = time.time
    monkeypatch.setattr(time, "time", lambda: real() + 3600)
    armed.look()
    time.sleep(0.5)
    other.rename(armed.folder / "a.mkv")
    [found] = awaited(armed, 1)
    assert found.began_s > began - 60
