"""Processes are measured whole: the group, its processor time, its memory, its end."""

import itertools
import os
import resource
import subprocess
import sys
import time
from pathlib import Path

import psutil
import pytest

from ovrik.errors import OvrikError
from ovrik.export.run.process import Start, measure
from ovrik.machine.processes.strays import MARK, end_left_behind, mark_by_limit, new_mark


def python(code: str) -> list[str]:
    return [sys.executable, "-S", "-c", code]


def test_time_code_and_log() -> None:
    usage = measure(
        python("import sys,time; time.sleep(0.3); print('last words', file=sys.stderr); sys.exit(3)")
    )
    assert usage.exit_code == 3
    assert 0.3 <= usage.wall_s < 3
    assert usage.log == ("last words",)
    assert not usage.stopped


def test_processor_seconds_are_the_childs() -> None:
    usage = measure(python("import time\nend=time.process_time()+0.5\nwhile time.process_time()<end: pass"))
    assert 0.5 <= usage.user_s + usage.system_s < 1.2
    assert usage.own_cpu_s < 0.3


def test_peak_memory_is_the_childs_not_ours() -> None:
    ballast = bytearray(150 << 20)  # this process is now larger than a small child
    ballast[::4096] = b"x" * len(ballast[::4096])
    small = measure(
        python("import time; x=bytearray(30<<20); x[::4096]=b'x'*len(x[::4096]); time.sleep(0.5)")
    )
    assert 30 << 20 < small.peak_bytes < 90 << 20
    del ballast
    large = measure(
        python("import time; x=bytearray(400<<20); x[::4096]=b'x'*len(x[::4096]); time.sleep(0.6)")
    )
    assert 400 << 20 < large.peak_bytes < 480 << 20


def test_a_fork_that_outlives_its_parent_counts_to_its_end() -> None:
    code = "import os,time\nif os.fork()==0:\n  os.close(1); os.close(2); time.sleep(0.8)\n"
    usage = measure(python(code))
    assert usage.wall_s >= 0.8
    assert usage.exit_code == 0


def test_output_comes_live_and_whole() -> None:
    pieces: list[tuple[bytes, float]] = []

    def took(piece: bytes, at: float) -> bool:
        pieces.append((piece, at))
        return True

    usage = measure(python("import time\nprint('a',flush=True); time.sleep(0.4); print('b'*200000)"), took)
    assert b"".join(p for p, _ in pieces) == b"a\n" + b"b" * 200000 + b"\n"
    assert pieces[0][1] < usage.wall_s - 0.3


def test_stop_ends_the_whole_group(tmp_path: Path) -> None:
    note = tmp_path / "pids"
    code = (
        "import os,time,pathlib\npid=os.fork()\n"
        f"if pid: pathlib.Path({str(note)!r}).write_text(str(pid))\n"
        "time.sleep(60)"
    )
    began = time.monotonic()
    usage = measure(python(code), should_stop=lambda: time.monotonic() - began > 0.6 and note.exists())
    assert usage.stopped
    assert usage.exit_code < 0
    assert usage.wall_s < 5
    assert not psutil.pid_exists(int(note.read_text()))


def test_a_child_that_leaves_its_session_is_followed(tmp_path: Path) -> None:
    usage = measure(["/bin/sh", "-c", "setsid sleep 0.7 & exit 0"])
    assert usage.wall_s >= 0.7
    assert usage.exit_code == 0
    note = tmp_path / "pids"
    away = f"setsid sh -c 'echo $$ > \"{note}\"; trap : TERM; sleep 60; sleep 60' & sleep 60"
    began = time.monotonic()
    usage = measure(
        ["/bin/sh", "-c", away], should_stop=lambda: time.monotonic() - began > 0.6 and note.exists()
    )
    assert usage.stopped
    assert not psutil.pid_exists(int(note.read_text()))


def test_one_that_clears_its_environment_as_well_is_followed(tmp_path: Path) -> None:
    usage = measure(["/bin/sh", "-c", "setsid env -i sleep 0.8 & exec sleep 0.2"])
    assert usage.wall_s >= 0.8
    note = tmp_path / "pid"
    away = f"setsid env -i sh -c 'echo $$ > \"{note}\"; exec sleep 60' & exec sleep 60"
    began = time.monotonic()
    measure(["/bin/sh", "-c", away], should_stop=lambda: time.monotonic() - began > 0.6 and note.exists())
    assert not psutil.pid_exists(int(note.read_text()))


LEFT_BEHIND = """import os, sys, time
if os.fork() == 0:
    for _ in range(16):
        sys.stdout.write('x' * 49_999 + '\\n')
        sys.stdout.flush()
        time.sleep(0.05)
"""


def test_what_a_wrapper_leaves_behind_is_read_to_its_end() -> None:
    """More than a pipe holds: it stood still before, and what it reported went unheard."""
    pieces: list[tuple[int, float]] = []
    usage = measure(python(LEFT_BEHIND), lambda p, at: pieces.append((len(p), at)) or True, stall_s=0.5)
    assert sum(size for size, _at in pieces) == 16 * 50_000
    assert 0.8 <= usage.wall_s < 5
    assert pieces[-1][1] > 0.6, "live, not at the end"
    assert not usage.stalled


def test_a_flood_of_output_is_heard_and_not_kept() -> None:
    code = "import sys\nfor s in (sys.stderr, sys.stdout):\n  [s.write('y' * 100_000) for _ in range(100)]"
    heard: list[int] = []
    usage = measure(python(code), lambda p, _at: heard.append(len(p)) or True)
    assert sum(heard) == 10_000_000
    assert sum(map(len, usage.log)) <= 1 << 16
    assert usage.exit_code == 0


AWAY = """import os, resource, sys
if os.fork() == 0:
    os.setsid()
    if os.fork() == 0:
        resource.setrlimit(10, (resource.RLIM_INFINITY,) * 2)
        os.closerange(0, 3)
        os.execve(sys.executable, [sys.executable, '-S', '-c', 'import time; time.sleep({})'], {{}})
    os._exit(0)
"""


def test_one_that_resets_its_limits_and_all_else_is_followed_to_its_end() -> None:
    usage = measure(python(AWAY.format(0.9)))
    assert 0.9 <= usage.wall_s < 5
    began, mark = time.monotonic(), 61.25
    usage = measure(python(AWAY.format(mark)), should_stop=lambda: time.monotonic() - began > 0.6)
    assert usage.stopped
    assert not [
        p
        for p in psutil.process_iter(["cmdline"])
        if f"time.sleep({mark})" in (p.info["cmdline"] or [""])[-1]
    ]


def test_it_asks_no_oftener_than_it_says() -> None:
    asked: list[float] = []
    code = "import os, time\nif os.fork() == 0: time.sleep(0.9)"
    measure(python(code), should_stop=lambda: bool(asked.append(time.monotonic())))
    assert 2 <= len(asked) <= 7
    assert min(b - a for a, b in itertools.pairwise(asked)) > 0.15


def test_a_wish_to_stop_is_heard_of_the_shortest_run() -> None:
    assert measure(["/bin/true"], should_stop=lambda: True).stopped


def test_it_is_marked_before_its_first_step(monkeypatch: pytest.MonkeyPatch) -> None:
    """However late Ovrik comes to look at it; and Ovrik itself keeps no mark."""
    real, seen = subprocess.Popen, bytearray()

    def slow(*given: object, **more: object) -> object:
        made = real(*given, **more)  # type: ignore[call-overload]
        time.sleep(0.4)
        return made

    monkeypatch.setattr("ovrik.export.run.process.subprocess.Popen", slow)
    measure(["/bin/cat", "/proc/self/limits"], lambda piece, _at: seen.extend(piece) or True)
    [line] = [text for text in seen.decode().splitlines() if text.startswith("Max file locks")]
    assert line.split()[3].isdigit()
    assert resource.getrlimit(10) == (resource.RLIM_INFINITY, resource.RLIM_INFINITY)


@pytest.mark.alone  # any Ovrik ends what is left behind, another test's too
def test_what_a_dead_ovrik_left_behind_without_environment_is_ended() -> None:
    left, mine = (subprocess.Popen(["sleep", "60"], env={}) for _ in range(2))
    try:
        mark_by_limit(left.pid, "999999:1.00:1")
        mark_by_limit(mine.pid, new_mark(7))
        assert left.pid in end_left_behind()
        assert left.wait(5) == -9
        assert mine.poll() is None, "a living one's exports go on"
    finally:
        mine.kill()
        mine.wait()


@pytest.mark.alone  # any Ovrik ends what is left behind, another test's too
def test_what_a_dead_ovrik_left_behind_is_ended() -> None:
    left = subprocess.Popen(["sleep", "60"], env={MARK: "999999:1.00:1"})
    mine = subprocess.Popen(["sleep", "60"], env={MARK: new_mark(7)})
    try:
        time.sleep(0.1)
        assert left.pid in end_left_behind()
        assert left.wait(5) == -9
        assert mine.poll() is None, "a living one's exports go on"
    finally:
        mine.kill()
        mine.wait()


def test_one_that_ignores_the_polite_signal_is_killed() -> None:
    code = "import signal,time; signal.signal(signal.SIGTERM, signal.SIG_IGN); time.sleep(60)"
    began = time.monotonic()
    usage = measure(python(code), should_stop=lambda: time.monotonic() - began > 0.5)
    assert usage.stopped
    assert usage.exit_code == -9
    assert 3 < usage.wall_s < 30


def test_what_leaves_nothing_that_is_wanted_is_killed_at_once() -> None:
    code = "import signal,time; signal.signal(signal.SIGTERM, signal.SIG_IGN); time.sleep(60)"
    began = time.monotonic()
    usage = measure(python(code), should_stop=lambda: time.monotonic() - began > 0.5, grace_s=0)
    assert usage.stopped
    assert usage.exit_code == -9
    assert usage.wall_s < 2.5


def test_a_stall_is_ended() -> None:
    usage = measure(python("import time; print('x', flush=True); time.sleep(60)"), stall_s=0.5)
    assert usage.stalled
    assert not usage.stopped
    assert usage.wall_s < 30


def test_words_that_show_no_advance_do_not_hide_a_stall() -> None:
    code = "import time\nwhile True: print('still here', flush=True); time.sleep(0.1)"
    assert measure(python(code), lambda _p, _t: False, stall_s=0.8).stalled


def test_what_can_not_start() -> None:
    with pytest.raises(OvrikError, match="won't start"):
        measure(["/nowhere/tool"])


def test_an_error_in_a_listener_leaves_no_process() -> None:
    def bad(_piece: bytes, _at: float) -> bool:
        raise RuntimeError("listener")

    before = {p.pid for p in psutil.Process().children(recursive=True)}
    with pytest.raises(RuntimeError, match="listener"):
        measure(python("import time; print('x', flush=True); time.sleep(60)"), bad)
    assert {p.pid for p in psutil.Process().children(recursive=True)} <= before


def test_arguments_are_never_a_shells() -> None:
    text: list[bytes] = []
    measure(
        [*python("import sys; print(sys.argv[1])"), "$(touch /tmp/ovrik-shell); `id` ; a'b\"c"],
        lambda p, _t: bool(text.append(p)) or True,
    )
    assert b"$(touch" in b"".join(text)
    assert not os.path.exists("/tmp/ovrik-shell")


UNLEASHED = """
import sys
from ovrik.export.run import process
process.LEASH = "no such tool"  # as if this process were killed before the leash is on
process.measure([sys.executable, "-c", "import os, time; print(os.getpid(), flush=True); time.sleep(60)"],
                lambda piece, _at: bool(print(piece.decode(), flush=True)) or True)
"""


def test_a_program_that_is_not_on_the_leash_ends_with_a_killed_ovrik() -> None:
    ovrik = subprocess.Popen([sys.executable, "-c", UNLEASHED], stdout=subprocess.PIPE, text=True)
    assert ovrik.stdout is not None
    program = psutil.Process(int(ovrik.stdout.readline()))
    time.sleep(0.3)
    guards = [
        p for p in psutil.Process(ovrik.pid).children() if any("guard.py" in word for word in p.cmdline())
    ]
    ovrik.kill()
    ovrik.wait()
    ovrik.stdout.close()
    _gone, left = psutil.wait_procs([program, *guards], timeout=10)
    assert len(guards) == 1
    assert not left


@pytest.mark.parametrize(
    ("start", "words", "said"),
    [
        (Start(), "nice", "0"),
        (Start(nice=7), "nice", "7"),
        (Start(cores=(0,)), "nproc", "1"),
        (Start(nice=3, cores=(0,)), "echo $(nice) $(nproc)", "3 1"),
    ],
)
def test_an_export_begins_as_it_is_asked_to(start: Start, words: str, said: str) -> None:
    out = bytearray()
    measure(["/bin/sh", "-c", words], lambda piece, _at: bool(out.extend(piece)), start=start)
    assert out.decode().strip() == said


UNGUARDED = UNLEASHED.replace('process.LEASH = "no such tool"', "process.stand_guard = lambda *_given: None")


def test_a_program_on_the_leash_ends_with_a_killed_ovrik() -> None:
    assert "stand_guard" in UNGUARDED
    ovrik = subprocess.Popen([sys.executable, "-c", UNGUARDED], stdout=subprocess.PIPE, text=True)
    assert ovrik.stdout is not None
    program = psutil.Process(int(ovrik.stdout.readline()))
    ovrik.kill()
    ovrik.wait()
    ovrik.stdout.close()
    # At once: another Ovrik that begins a series would end it too, a little later.
    _gone, left = psutil.wait_procs([program], timeout=0.5)
    for process in left:
        process.kill()
    assert not left
