"""Clean starts, rests, disturbances with the culprit's name, and devices that were not used after all."""

import os
import signal
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from calm import CALM
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.export.run.order import PlannedRun
from ovrik.export.run.process import Usage
from ovrik.export.run.progress import Progress
from ovrik.export.run.timed import RunResult, timed_run
from ovrik.export.run.trace import Trace, TraceWatcher
from ovrik.machine.sensors.load import drop_from_cache, read_into_cache
from ovrik.report.words.progress import waiting_words
from ovrik.report.words.reasons import disturbed_words, how_disturbed, reason_words
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.disturbance import Disturbance, Disturber, slowed
from ovrik.study.facts.passes import PassTimes
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Shot, of_clip
from ovrik.study.question.conduct import COLD, WARM, Conduct
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing import series as timing
from ovrik.work.timing.fairness import (
    State,
    Waiting,
    at_rest,
    disturbances,
    missing_cores,
    rest,
    throttled,
    within,
)
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import SAY_EVERY_S, time_all

USAGE = Usage(10.0, 15.0, 1.0, 1 << 20, 0, 0, 0, (), False, False, 0.01)


def result(**changes: object) -> RunResult:
    """A run of ten seconds with nothing wrong."""
    return replace(RunResult("done", "", USAGE, (PassTimes(10.0, 0.2, 9.0),), 250, 1000), **changes)


RUN = RunRecord(1, Excerpt(0, 5), "", round=1, state=RunState.DONE, wall_s=2.0)


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({}, ""),
        ({"other_cpu_s": 0.5}, ""),
        (
            {"other_cpu_s": 4.0, "others": (("hog", 3.5), ("mouse", 0.6))},
            "20 % of the processors (hog 35 % of a core",
        ),
        ({"stolen_s": 2.0}, "host used 10 %"),
        ({"asleep_s": 30.0}, "suspended for 30 s"),
        ({"disk_bytes": 900_000_000}, "other programs moved 90 MB/s"),
    ],
)
def test_disturbances_are_named_with_their_size(changes: dict[str, object], said: str) -> None:
    found = disturbed_words(disturbances(result(**changes), Conduct(), 2))
    assert said in found
    assert bool(found) == bool(said)


def test_a_clock_that_sinks_is_throttling() -> None:
    falling = np.concatenate([np.full(10, 3000.0), np.full(10, 1800.0)])
    found = throttled(result(trace=Trace({"t": np.arange(20.0), "clock [MHz]": falling})))
    assert disturbed_words(found) == "the clock dropped from 3000 to 1800 MHz"
    assert throttled(result(trace=Trace({"t": np.arange(20.0), "clock": np.full(20, 3000.0)}))) == []


def test_a_trace_comes_back_from_its_bytes() -> None:
    made = Trace({"t": np.arange(7.0), "cpu": np.linspace(0, 100, 7)})
    again = Trace.unpacked(made.packed())
    assert list(again.columns) == ["t", "cpu"]
    np.testing.assert_allclose(again.columns["cpu"], made.columns["cpu"], atol=1e-4)
    assert len(Trace({n: np.arange(7200.0) for n in ("t", "cpu", "core 0")}).packed()) < 90_000


def test_what_is_not_back_is_named() -> None:
    band = State(0.02, 3000.0, 50.0)
    assert within(State(0.03, 2990.0, 52.0), band) == ""
    assert within(State(0.5, 3000.0, 50.0), band) == "load"
    assert within(State(0.02, 3000.0, 60.0), band) == "temperature"
    assert within(State(0.02, 2000.0, 50.0), band) == "clock"


def test_a_rest_ends_at_its_limit_and_says_what_it_waited_for() -> None:
    words = rest(State(-1.0, None, None), Conduct(rest_limit_s=0.2), lambda: False)
    assert words["not_back"] == words["waited_for"] == "load" or words["not_back"] == "load"
    assert words["rest_s"] < 3
    assert rest(State(-1.0, None, None), Conduct(rest=False), lambda: False)["rest_s"] < 1


@pytest.mark.quiet
def test_a_rest_says_who_is_waited_for_and_can_be_ended() -> None:
    seen: list[Waiting] = []

    def watch(waiting: Waiting) -> None:
        seen.append(waiting)
        if len(seen) == 3:
            waiting.go_on()

    hog = subprocess.Popen([sys.executable, "-S", "-c", "while True: pass"])
    try:
        words = rest(State(-1.0, None, None), Conduct(rest_limit_s=60), lambda: False, on_wait=watch)
    finally:
        hog.kill()
        hog.wait()
    assert len(seen) == 3
    assert words["rest_s"] < 20
    assert words["not_back"] == "load"
    assert [w.for_what for w in seen] == ["load"] * 3
    assert "python" in seen[-1].who[0]
    assert 0 < seen[0].took_s < seen[-1].took_s
    assert waiting_words(seen[-1]).startswith("waits for the load to come back (python")
    assert waiting_words(seen[-1]).endswith("of at most 60 s")


def test_a_core_that_is_not_there_is_said_before_anything_runs(
    study: Study, clip: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert missing_cores(Conduct(cores=(0,))) == ""
    assert missing_cores(Conduct(cores=(0, 4095))).startswith("core 4095 is not there; there are 0")
    study.set_conduct(Conduct(cores=(4095,)))
    with pytest.raises(OvrikError, match="core 4095 is not there"):
        time_all(study, remaining(study, [1], 1))
    assert study.runs() == []
    plan = tmp_path / "p.toml"
    plan.write_text(
        f'[study]\ntitle = "C"\nfootage = "{clip}"\n[timing]\ncores = [0, 4095]\n'
        '[[contender]]\nencoder = "libx264"\n'
    )
    assert main(["plan", str(plan)]) == 1
    assert "note: core 4095 is not there" in capsys.readouterr().out


def bytes_in_cache(file: Path) -> int:
    """Bytes of a file that lie in memory, by the kernel's own count."""
    done = subprocess.run(
        ["fincore", "-b", "-n", "-o", "RES", str(file)], capture_output=True, text=True, check=True
    )
    return int(done.stdout)


def test_files_go_in_and_out_of_the_page_cache(tmp_path: Path) -> None:
    file = tmp_path / "f"
    file.write_bytes(b"x" * 3_000_000)

    assert read_into_cache(file)
    assert bytes_in_cache(file) >= 3_000_000
    assert drop_from_cache(file)
    assert bytes_in_cache(file) < 1_000_000
    assert not drop_from_cache(tmp_path / "gone")


@pytest.fixture
def heavy(tmp_path: Path, footage: Footage) -> Study:
    """A study whose exports take a second or more."""
    shots = tuple(Shot(0, 0, 30) for _ in range(20))
    programme = replace(of_clip(footage), shots=shots, sound=())
    study = Study.create(tmp_path / "h.ovrik", "Heavy", programme, Excerpt(0, 600), rounds=2, warmup=0)
    study.add_contenders([Contender("bundled", recipe("libx264", "medium", 18))])
    yield study
    study.close()


HOG = "import time\nend = time.monotonic() + 60\nwhile time.monotonic() < end: pass\n"


@pytest.mark.quiet
def test_a_hog_is_named_and_the_run_made_again(heavy: Study, tmp_path: Path) -> None:
    hogs: list[subprocess.Popen[bytes]] = []
    hog = tmp_path / "greedy"
    hog.symlink_to(Path(sys.executable).resolve())

    def watch(update: object) -> None:
        ended = getattr(update, "ended", "")
        if ended and hogs:
            hogs.pop().kill()
        elif getattr(update, "progress", None) and not hogs and not heavy.runs()[0].wall_s:
            hogs.append(subprocess.Popen([hog, "-c", HOG]))

    assert time_all(heavy, remaining(heavy, [1], 1), watch)
    for left in hogs:
        left.kill()
    first, second = heavy.runs()
    [programs] = [d for d in first.disturbed if d.by is Disturber.PROGRAMS]
    assert "greedy" in dict(programs.who)
    assert second.round == first.round == 1
    taken = [dict(r.conditions["others"]) for r in (first, second)]
    assert taken[1].get("greedy", 0.0) < taken[0]["greedy"] / 2
    assert [r.id for r in gather(heavy).summaries[0].counted] == [1, 2]
    assert gather(heavy).summaries[0].median_s == second.wall_s, "the later run stands for the round"


def test_an_export_that_was_stopped_is_disturbed() -> None:
    watcher = TraceWatcher()
    with subprocess.Popen(["sleep", "60"], start_new_session=True) as held:
        watcher.begin(held.pid)
        until = time.monotonic() + 20
        while not watcher.rows and time.monotonic() < until:
            time.sleep(0.05)
        assert watcher.stopped_s == 0
        held.send_signal(signal.SIGSTOP)
        while not watcher.stopped_s and time.monotonic() < until:
            time.sleep(0.05)
        held.kill()
    watcher.end()
    assert watcher.stopped_s > 0
    [found] = disturbances(result(halted_s=watcher.stopped_s), CALM, 4)
    assert found.by is Disturber.HALTED
    assert disturbed_words([found]).startswith("the export was stopped for ")


def test_a_busy_machine_is_not_at_rest() -> None:
    quiet, busy = State(0.02, 3000.0, 40.0), State(0.9, 3000.0, 40.0)
    assert at_rest(quiet) == quiet
    assert within(busy, at_rest(busy)) == "load"
    assert within(replace(busy, busy=0.15), at_rest(busy)) == ""


@pytest.mark.parametrize(
    ("one", "least", "most"),
    [
        (Disturbance(Disturber.PROGRAMS, 0.05), 0.05, 0.06),
        (Disturbance(Disturber.HOST, 0.5), 0.69, 0.70),
        (Disturbance(Disturber.PROGRAMS, 1.4), 2.9, 3.1),
        (Disturbance(Disturber.CLOCK, 1000.0, was=2000.0), 0.69, 0.70),
        (Disturbance(Disturber.CLOCK, 0.0), 0.4, 0.41),
        (Disturbance(Disturber.DISKS, 300.0), 0.4, 0.41),
    ],
)
def test_a_disturbance_slows_by_what_it_takes(one: Disturbance, least: float, most: float) -> None:
    """Half of the processors gone: a run may take twice as long, ln 2 more."""
    assert least < one.slows < most
    assert slowed([one, one]) == 2 * one.slows
    assert slowed([]) == 0


def test_how_many_runs_were_disturbed_and_mostly_by_whom_is_said() -> None:
    render = (Disturbance(Disturber.PROGRAMS, 0.9, (("render", 1.8), ("backup", 0.1))),)
    host = (Disturbance(Disturber.HOST, 0.3),)
    found = [replace(RUN, disturbed=d) for d in (render, render, host, (), ())]
    assert how_disturbed(found) == "3 of 5 counted runs were disturbed, mostly by other programs (render)"
    assert (
        how_disturbed(found[2:]) == "1 of 3 counted runs was disturbed, mostly by the virtual machine's host"
    )
    assert how_disturbed([replace(r, warmup=True) for r in found]) == ""


def test_whoever_watches_is_reported_only_now_and_then(heavy: Study) -> None:
    heavy.set_conduct(CALM)
    heavy.set_excerpt(Excerpt(0, 120))
    words: list[Progress] = []
    assert time_all(
        heavy, remaining(heavy, [1], 1), lambda m: words.append(m.progress) if m.progress else None
    )
    apart = np.diff([p.at_s for p in words if not p.ended])
    assert len(apart) >= 1
    assert (apart >= SAY_EVERY_S).all()
    assert words[-1].ended


@pytest.mark.parametrize("cache", [COLD, WARM])
def test_every_run_keeps_how_it_began_and_what_went_on(heavy: Study, cache: str) -> None:
    heavy.set_conduct(Conduct(cache=cache, nice=5, cores=(0,), repeat_disturbed=False, rest_limit_s=5))
    heavy.set_excerpt(Excerpt(0, 90))
    assert time_all(heavy, remaining(heavy, [1], 1))
    run = heavy.runs()[0]
    assert (run.conditions["cache"], run.conditions["nice"], run.conditions["cores"]) == (cache, 5, [0])
    assert run.conditions["files"] >= 1
    assert run.conditions["rest_s"] > 0
    series = heavy.series(run.id)
    assert series is not None
    columns = Trace.unpacked(series).columns
    assert {"t", "frames", "fps", "cpu", "core 0", "read", "written", "memory"} <= set(columns)
    assert columns["t"][-1] <= (run.wall_s or 0) + 0.6
    assert (np.diff(columns["frames"]) >= 0).all()
    assert run.user_s is not None
    assert run.user_s <= 1.1 * (run.wall_s or 0), "one core was allowed"


def test_a_stand_in_that_falls_back_is_caught(tmp_path: Path, footage: Footage) -> None:
    study = Study.create(tmp_path / "f.ovrik", "F", of_clip(footage), Excerpt(0, 30), rounds=1, warmup=0)
    study.add_contenders(
        [
            Contender("standin-echo", recipe("h264_standin", "fast")),
            Contender("standin-anvil", recipe("h264_standin", "fast")),
        ]
    )
    assert time_all(study, remaining(study, [1, 2], 1))
    by_build = {r.contender_id: r.fell_back for r in study.runs()}
    from ovrik.standin.profile import profiles

    backs = {f"standin-{p.key}" for p in profiles() if p.falls_back}
    for contender in study.contenders():
        assert bool(by_build[contender.contender_id]) == (contender.build in backs)
    fallen = [s for s in gather(study).summaries if s.contender.build in backs]
    assert all("fell back" in reason_words(s.reasons[0]) for s in fallen)
    study.close()


SHORT_HOG = "import time\nwhile time.process_time() < {s}: pass"


@pytest.mark.alone
def test_a_short_hog_is_named_and_the_export_is_not(tmp_path: Path) -> None:
    """It lives for 1.2 s of a run of four, and is gone before the next thorough look."""
    seen: list[subprocess.Popen[bytes]] = []

    def hog() -> None:
        time.sleep(0.9)
        program = tmp_path / "hogger"
        program.symlink_to(sys.executable)
        seen.append(subprocess.Popen([str(program), "-c", SHORT_HOG.format(s=1.2)]))

    thread = threading.Thread(target=hog)
    thread.start()
    result = timed_run(
        [[sys.executable, "-c", SHORT_HOG.format(s=4)]], tmp_path / "p", tmp_path / "o", writes=False
    )
    thread.join()
    seen[0].wait()
    named = dict(result.others)
    assert 0.6 < named["hogger"] < 1.6
    assert Path(sys.executable).name not in named
    assert sys.executable.rsplit("/", 1)[-1][:15] not in named


@pytest.mark.quiet
def test_who_writes_to_the_disks_is_named(tmp_path: Path) -> None:
    done = []

    def write() -> None:
        time.sleep(0.5)
        target = tmp_path / "big"
        done.append(
            subprocess.run(
                ["dd", "if=/dev/zero", f"of={target}", "bs=1M", "count=1200", "conv=fsync", "status=none"],
                check=True,
            )
        )

    thread = threading.Thread(target=write)
    thread.start()
    result = timed_run([["sleep", "4"]], tmp_path / "p", tmp_path / "o", writes=False)
    thread.join()
    assert dict(result.disk_users)["dd"] > 50
    assert "(dd " in disturbed_words(disturbances(result, Conduct(), 2))


@pytest.mark.parametrize(("cache", "called"), [("cold", "dropped"), ("warm", "read"), ("as it is", "")])
def test_a_start_is_as_it_is_called(
    heavy: Study, monkeypatch: pytest.MonkeyPatch, cache: str, called: str
) -> None:
    """The pages of the source are in the cache, or not, at the moment at which the export begins."""
    source = Path(heavy.programme().clips[0].path)
    held: list[int] = []
    real = timing.timed_run

    def look(*given: object, **named: object) -> RunResult:
        held.append(bytes_in_cache(source))
        return real(*given, **named)  # type: ignore[arg-type]

    monkeypatch.setattr(timing, "timed_run", look)
    heavy.set_excerpt(Excerpt(0, 30))
    heavy.set_conduct(replace(CALM, cache=cache))
    for before in (read_into_cache, drop_from_cache):
        before(source)
        assert time_all(heavy, [PlannedRun(1, len(held) + 1, False)])
    whole = source.stat().st_size
    if called == "dropped":
        assert max(held) < 0.2 * whole
    elif called == "read":
        assert min(held) > 0.9 * whole


@pytest.mark.alone
def test_the_export_s_own_processes_have_traces_of_their_own(tmp_path: Path) -> None:
    """Two children that burn a core each, beside one of somebody else: only the former are its own."""
    burn = SHORT_HOG.format(s=4).replace("\n", "; ").replace("; while", "\nwhile")
    other = subprocess.Popen([sys.executable, "-c", burn], start_new_session=True)
    parent = (
        "import subprocess, sys\n"
        f"held = bytearray(150 << 20)\nsubprocess.Popen([sys.executable, '-c', {SHORT_HOG.format(s=2.5)!r}]).wait()"
    )
    try:
        made = timed_run([[sys.executable, "-c", parent]], tmp_path / "p", tmp_path / "o", writes=False)
    finally:
        other.kill()
        other.wait()
    assert made.trace is not None
    assert made.usage is not None
    columns = made.trace.columns
    cores = os.cpu_count() or 1
    spent = float(np.nansum(columns["own cpu"] * np.diff(columns["t"], prepend=0.0))) / 100 * cores
    wanted = made.usage.user_s + made.usage.system_s
    assert spent == pytest.approx(wanted, rel=0.25)
    assert np.nanmax(columns["own memory"]) > 150
    if cores > 1:
        assert np.nanmedian(columns["own cpu"]) < np.nanmedian(columns["cpu"])
