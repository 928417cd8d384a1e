"""What windows and other processes say of a program: titles on a real X server, shares that climb, what was begun
when the program was spoken to."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from math import inf
from pathlib import Path

import pytest
from bench.x_server import x_server

from ovrik.machine.builds.build import locate
from ovrik.outside import services
from ovrik.outside.program_load import Sample, earliest_start
from ovrik.outside.programs import running
from ovrik.outside.services import Burst, Services, _processes, members, members_list, scope_of
from ovrik.outside.starts import LOAD, SHOWN_BEFORE, WINDOW, Begin, Starts
from ovrik.outside.watch import KEY, FileWatch, OutsideTime
from ovrik.outside.windows import Titled, WindowTitles, progress_shown, windows
from ovrik.quality.reference.cut_short import cut_short
from ovrik.standin.habits import Habit
from ovrik.standin.progress_window import ProgressWindow
from ovrik.study.clip.footage import Footage

LONG_S, SLACK_S = 30.0, 2.0


@pytest.fixture(scope="module")
def desktop() -> Iterator[str]:
    """An X server."""
    with x_server() as name:
        yield name


def test_without_an_x_server_nothing_is_known_of_windows(monkeypatch: pytest.MonkeyPatch) -> None:
    for display in ("", ":9999", "not a display"):
        monkeypatch.setenv("DISPLAY", display)
        assert windows() == []
    titles = WindowTitles()
    titles.start()
    titles.stop()
    assert titles.seen == []


def test_titles_are_kept_as_they_change(desktop: str) -> None:
    titles = WindowTitles()
    titles.start()
    time.sleep(0.5)
    began = time.monotonic()
    with ProgressWindow(2.0):
        until = time.monotonic() + LONG_S
        while not windows() and time.monotonic() < until:
            time.sleep(0.05)
        assert {(w.pid, w.title[:10]) for w in windows()} == {(os.getpid(), "Exporting ")}
        found = next(p for p in running(None, set()) if p.pid == os.getpid())
        assert found.likely
        assert found.title.startswith("Exporting ")
        time.sleep(1.2)
    time.sleep(1.0)
    titles.stop()
    assert titles.seen[-1].title is None, "it has gone"
    assert len({t.title for t in titles.seen}) >= 4
    shown = progress_shown(titles.seen, {os.getpid()}.__contains__, began, began + 1.0, began + 5.0)
    assert shown is not None
    assert 0 <= shown - began < 0.8


CLIMBS = ((1.0, "Export 0 %"), (2.0, "Export 5 %"), (3.0, "Export 80%"))


@pytest.mark.parametrize(
    ("titles", "since", "by", "found"),
    [
        (CLIMBS, 0.0, 1.5, 1.0),
        (CLIMBS, 1.5, 2.5, None),
        (((1.0, "Film at 50 %"), (2.0, "Film at 50 %")), 0.0, 2.0, None),
        (((-inf, "Export 1 %"), (1.0, "Export 2 %")), 0.0, 2.0, None),
        ((*CLIMBS, (4.0, "Film"), (5.0, "Export 0 %"), (6.0, "Export 9 %")), 3.5, 5.5, 5.0),
        (((1.0, "Export 99 %"), (2.0, "Export 0 %"), (3.0, "Export 1 %")), 0.0, 2.5, 2.0),
        (((1.0, "It is 1.250 % of it"), (2.0, "101 %"), (3.0, "9 of 10")), 0.0, 9.0, None),
        (((1.0, "Export 0 %"), (9.0, "Export 50 %")), 0.0, 2.0, None),
        ((*CLIMBS, (4.0, "Film")), 0.0, 5.0, None),
    ],
)
def test_a_share_that_climbs_while_the_file_is_made_is_an_exports(
    titles: tuple[tuple[float, str], ...], since: float, by: float, found: float | None
) -> None:
    seen = [Titled(at, 1, 7, title) for at, title in titles]
    assert progress_shown(seen, {7}.__contains__, since, by, 8.0) == found
    assert progress_shown(seen, {8}.__contains__, since, by, 8.0) is None, "somebody else's window"


def test_what_was_begun_when_the_program_was_spoken_to_is_bridged() -> None:
    """It wakes at 2, another process works from 2.1 to 11, the program writes at 12."""
    samples = [Sample(n / 10, 0.0, ran=0.001 * (n > 20)) for n in range(130)]
    asked, other = Burst(5, 2.1, 2.1, 11.0), Burst(6, 5.0, 6.0, 11.0)
    assert earliest_start(samples, 12.0) == 12.0
    assert earliest_start(samples, 12.0, [other]) == 12.0, "nobody asked for it"
    assert earliest_start(samples, 12.0, [other, asked]) == pytest.approx(2.0)


def test_what_was_done_for_another_export_is_not_gone_back_to_after_a_rest() -> None:
    """It works up to 2, rests, is woken at 5, and writes at 6; or works on to 6."""

    def at_work(until: float) -> list[Sample]:
        return [
            Sample(n / 10, min(n / 10, until), ran=min(n / 10, until) + 0.001 * (n > 50)) for n in range(70)
        ]

    assert earliest_start(at_work(2.0), 6.0) == 0.0, "it may have waited"
    assert earliest_start(at_work(2.0), 6.0, others=[(0.0, 2.0)]) == pytest.approx(5.0)
    assert earliest_start(at_work(6.0), 6.0, others=[(0.0, 2.0)]) == 0.0, "it may have overlapped"


def test_a_process_that_begins_to_work_is_seen() -> None:
    seen = Services(lambda: set())
    seen.look()
    code = "import sys, time\nsys.stdin.readline()\nwhile True: sum(range(1000))"
    with subprocess.Popen([sys.executable, "-S", "-c", code], stdin=subprocess.PIPE) as worker:
        assert worker.stdin is not None
        time.sleep(1.1)
        seen.look()
        asked = time.monotonic()
        worker.stdin.write(b"go\n")
        worker.stdin.flush()
        until = time.monotonic() + LONG_S
        while not (mine := [b for b in seen.bursts if b.pid == worker.pid]) and time.monotonic() < until:
            time.sleep(0.2)
            seen.look()
        worker.kill()
    assert mine[0].latest >= asked


def test_it_began_between_the_look_before_and_the_one_that_saw_it(monkeypatch: pytest.MonkeyPatch) -> None:
    """By 10.1 s it was at rest, by 11.2 s it had used most of a core, by 12.3 s it rested again; another was born."""
    now = Now(10.1)
    used = {10.1: {7: 5.0}, 11.2: {7: 6.0, 8: 0.9}, 12.3: {7: 6.0, 8: 1.0}}
    monkeypatch.setattr(services, "time", now)
    monkeypatch.setattr(services, "_monotonic", lambda started: float(started))
    monkeypatch.setattr(
        services,
        "_processes",
        lambda _kernels: [services._Process(pid, 1, 11 * (pid == 8), s) for pid, s in used[now.at].items()],
    )
    seen = Services(lambda: set())
    seen.look()
    for now.at in (11.2, 12.3):
        seen.look()
    assert [(b.pid, b.earliest, b.latest, b.ended) for b in seen.bursts] == [
        (7, pytest.approx(10.1), 11.2, 11.2),
        (8, 11.0, 11.0, 11.2),
    ]


@dataclass
class Now:
    """A clock that stands still. Fields: `at`, what it shows."""

    at: float

    def monotonic(self) -> float:
        """What it shows."""
        return self.at


def test_only_the_kernels_own_are_passed_over() -> None:
    """In a container the process of number 2 is anybody."""
    kernels = set[str]()
    seen = {one.pid for one in _processes(kernels)}
    assert os.getpid() in seen
    for name in kernels:
        assert not Path(f"/proc/{name}/cmdline").read_bytes(), "a program has a command"


def test_a_desktops_group_of_one_program_is_known(tmp_path: Path) -> None:
    path = "/user.slice/user-1000.slice/user@1000.service/app.slice/app-bell-12.scope"
    assert scope_of(f"0::{path}\n") == path
    assert scope_of("0::/user.slice/user-1000.slice/session-2.scope\n") == ""
    assert scope_of("1:name=systemd:/\n") == ""
    (tmp_path / "proc/7").mkdir(parents=True)
    (tmp_path / "proc/7/cgroup").write_text(f"0::{path}\n")
    assert members(members_list(7, tmp_path, tmp_path / "proc")) == []
    place = tmp_path / path.lstrip("/")
    place.mkdir(parents=True)
    (place / "cgroup.procs").write_text("7\n9\n")
    assert members(members_list(7, tmp_path, tmp_path / "proc")) == [7, 9]
    (tmp_path / "proc/7/cgroup").write_text("0::/../app-a.scope\n")
    assert members(members_list(7, tmp_path, tmp_path / "proc")) == []


def exports_of(
    habit: Habit, footage: Footage, tmp_path: Path, rehearsed: bool
) -> tuple[list[OutsideTime], list[float]]:
    """What a watch makes of a program's exports at the press of its button, the first one with the start key where
    they are rehearsed; and what the program itself says that each took."""
    place, log = tmp_path / "exports", tmp_path / "log"
    place.mkdir()
    command = [sys.executable, "-m", "ovrik.standin.editing", "--program", str(locate("bundled")), "--button"]
    command += ["--source", footage.path, "--drawn", habit.to_json(), "--log", str(log)]
    command += ["--rehearsal", str(place / "first.mkv")] if rehearsed else []
    done: list[OutsideTime] = []
    with subprocess.Popen([*command, str(place / "a.mkv")], stdin=subprocess.PIPE) as program:
        assert program.stdin is not None
        time.sleep(1.5)
        watch = FileWatch(place, lambda path: cut_short(path, 1), program.pid)
        watch.start()
        for number in range(1 + rehearsed):
            time.sleep(1.0)
            if rehearsed and not number:
                watch.press(time.monotonic())
            program.stdin.write(b"go\n")
            program.stdin.flush()
            until = time.monotonic() + LONG_S
            while len(done) <= number and time.monotonic() < until:
                done += watch.look()
                time.sleep(0.05)
        watch.stop()
        program.stdin.close()
    said = [json.loads(line) for line in log.read_text().splitlines()]
    return done, [s["ended_s"] - s["began_s"] for s in said]


def test_progress_in_a_window_dates_the_start_of_a_program_that_waits(
    desktop: str, footage: Footage, tmp_path: Path
) -> None:
    [found], [took] = exports_of(Habit(before=(("waits", 2.0),), shows=True), footage, tmp_path, False)
    assert found.began_by == WINDOW
    assert found.bounds_s[0] - SLACK_S <= took <= found.bounds_s[1] + SLACK_S


def test_one_export_with_the_start_key_dates_those_after_it(footage: Footage, tmp_path: Path) -> None:
    habit = Habit(before=(("waits", 1.6),), launched=True)
    (keyed, other), (_first, took) = exports_of(habit, footage, tmp_path, True)
    assert keyed.began_by == KEY
    assert other.bounds_s[0] - SLACK_S <= took <= other.bounds_s[1] + SLACK_S


class Waits:
    """The load of a program that is at rest, is spoken to twice for 2 ms, and works for half a second 1.6 s later."""

    bursts: tuple[Burst, ...] = ()
    family: frozenset[int] = frozenset()
    presses, waited, busy = (2.0, 12.0), 1.6, 0.5

    @property
    def samples(self) -> list[Sample]:
        """Ten a second, for 20 s."""
        return [Sample(n / 10, self._worked(n / 10), ran=self._ran(n / 10)) for n in range(200)]

    def _worked(self, at: float) -> float:
        return sum(min(max(at - press - self.waited, 0.0), self.busy) for press in self.presses)

    def _ran(self, at: float) -> float:
        return self._worked(at) + 0.002 * sum(at > press for press in self.presses)


@pytest.mark.parametrize("learns", [True, False])
def test_a_program_is_woken_as_long_before_as_an_export_with_the_start_key_showed(
    monkeypatch: pytest.MonkeyPatch, learns: bool
) -> None:
    starts = Starts(os.getpid())
    monkeypatch.setattr(starts, "_load", Waits())
    first = Begin(1.0, 4.1, 0.05, 5.0, frozenset())
    if learns:
        starts.learn(2.0, first)
    began, doubt, earlier, by = starts.found(Begin(11.0, 14.1, 0.05, 15.0, frozenset(), ((2.0, 5.0),)))
    assert by == (SHOWN_BEFORE if learns else LOAD)
    assert began - doubt - earlier <= 12.0 <= began + doubt + 0.1
    assert (earlier == 0.0) == learns


def test_what_somebody_starts_who_was_asked_was_asked_for() -> None:
    samples = [Sample(n / 10, 0.0, ran=0.001 * (n > 20)) for n in range(130)]
    of_its_own = Burst(7, 6.0, 6.0, 11.0, (6,), 6.0)
    by_one_that_was = Burst(7, 6.0, 6.0, 11.0, (6,), 2.3)
    assert earliest_start(samples, 12.0, [of_its_own]) == 12.0
    assert earliest_start(samples, 12.0, [by_one_that_was]) == pytest.approx(2.0)
    asked = Burst(6, 2.2, 2.2, 5.5)
    assert earliest_start(samples, 12.0, [of_its_own, asked]) == pytest.approx(2.0), (
        "it may have asked in turn"
    )
