"""The same work without a window."""

import argparse
import json
import signal
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from ovrik import __version__
from ovrik.errors import OvrikError, Stopped

DONE, PARTLY, BAD_INPUT = 0, 1, 2
BUILD_ACTS = ("list", "add", "describe", "approve", "forget")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; gives the exit code."""
    chosen = parser().parse_args(arguments)
    try:
        return int(chosen.act(chosen))
    except OvrikError as exc:
        print(f"ovrik: {exc}", file=sys.stderr)
        return BAD_INPUT
    except (KeyboardInterrupt, Stopped):
        print("ovrik: stopped; what was finished is kept", file=sys.stderr)
        return PARTLY
    except BrokenPipeError:
        sys.stderr.close()
        return DONE


def parser() -> argparse.ArgumentParser:
    """The commands and their options."""
    top = argparse.ArgumentParser(prog="ovrik", description=__doc__)
    top.add_argument("--version", action="version", version=f"ovrik {__version__}")
    verbs = top.add_subparsers(required=True, metavar="COMMAND")

    def verb(name: str, act: Callable[[argparse.Namespace], int], about: str,
             json_too: bool = False) -> argparse.ArgumentParser:  # fmt: skip
        made = verbs.add_parser(name, help=about, description=about)
        made.set_defaults(act=act)
        if json_too:
            made.add_argument("--json", action="store_true", help="print JSON")
        return made

    one = verb("probe", probe_, "say what a clip is", json_too=True)
    one.add_argument("file", type=Path, metavar="FILE")
    one = verb("machine", machine_, "say what this workstation is, and its builds", json_too=True)
    one.add_argument("--probe", action="store_true", help="try every acceleration of every build")
    one = verb("plan", plan_, "list a plan's contenders, and what can't run", json_too=True)
    one.add_argument("plan", type=Path, metavar="PLAN")
    one = verb("run", run_, "time and score a plan's contenders")
    one.add_argument("plan", type=Path, metavar="PLAN")
    one.add_argument("-o", "--output", type=Path, required=True, metavar="STUDY")
    one.add_argument("--rounds", type=_rounds, metavar="N", help="counted rounds in all")
    one = verb("verdict", verdict_, "name the fastest acceptable contender", json_too=True)
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("--csv", type=Path, metavar="FILE", help="also write every run as CSV")
    one = verb("open", open_, "open a study, or start with none, in the window")
    one.add_argument("study", type=Path, nargs="?", metavar="STUDY")
    one = verb("build", build_, "add an encoding program, or fetch one by version", json_too=True)
    one.add_argument("act_on", choices=BUILD_ACTS, metavar="|".join(BUILD_ACTS))
    one.add_argument("name", nargs="?", metavar="PROGRAM|KEY|FILE")
    one.add_argument("--yes", action="store_true", help="approve without being asked")
    one.add_argument("--wheel", metavar="VERSION", help="fetch this version of imageio-ffmpeg")
    verb("demo", demo_, "open the demo study in the window")
    one = verb("shots", shots_, "write a picture of each main view of the demo")
    one.add_argument("folder", type=Path, metavar="DIR")
    one = verb("footage", footage_, "make the demo's footage")
    return top


def _rounds(text: str) -> int:
    value = int(text)
    if not 1 <= value <= 100:
        raise argparse.ArgumentTypeError("give 1 to 100 rounds")
    return value


def _print_json(value: Any) -> None:
    print(json.dumps(value, indent=2, ensure_ascii=False))


def probe_(chosen: argparse.Namespace) -> int:
    """`ovrik probe FILE`."""
    from ovrik.report.facts import footage_rows
    from ovrik.study.probe import probe

    footage = probe(chosen.file)
    if chosen.json:
        _print_json(footage.to_json())
    else:
        _print_rows(footage_rows(footage))
    return DONE


def machine_(chosen: argparse.Namespace) -> int:
    """`ovrik machine`."""
    from dataclasses import asdict

    from ovrik.machine.builds import find_builds
    from ovrik.machine.drive import measure_drive, slow
    from ovrik.machine.facts import read_machine
    from ovrik.machine.probing import probe_builds
    from ovrik.machine.readiness import findings, take_reading
    from ovrik.machine.sensors import DriverSensors, SystemSensors
    from ovrik.report.facts import build_rows, drive_rows, machine_rows

    machine, builds, here = read_machine(), find_builds(), Path.cwd()
    drive = measure_drive(here)
    found = [*findings(take_reading(here)), *slow(drive)]
    sensors = [*SystemSensors().read(), *DriverSensors().read()]
    line = _Line()
    trials = probe_builds(builds, line.probing, _stop_on_signal()) if chosen.probe else []
    line.end()
    if chosen.json:
        _print_json({
            "machine": machine.to_json(),
            "sources": {f.key: f.source for f in machine.facts},
            "drive": asdict(drive),
            "readiness": [asdict(f) for f in found],
            "sensors": [asdict(v) for v in sensors],
            "builds": [b.to_json() for b in builds],
            "trials": [t.to_json() for t in trials],
        })  # fmt: skip
        return DONE
    _print_rows([(name, value) for name, value, _source in machine_rows(machine)])
    print()
    _print_rows(drive_rows(drive))
    print()
    _print_rows([(v.name, f"{v.value:.0f} {v.unit}") for v in sensors] or [("sensors", "none tell")])
    for build in builds:
        print()
        _print_rows(build_rows(build))
    print("\nReadiness:" + ("" if found else " nothing speaks against timing now"))
    for one in found:
        print(f"  {one.what}. {one.effect}. {one.remedy}.")
    _print_trials(trials)
    return DONE


def _print_trials(trials: Sequence[Any]) -> None:
    from ovrik.machine.devices import PATHS
    from ovrik.report.as_text import table
    from ovrik.report.facts import trial_words

    titles = {p.key: p.title for p in PATHS}
    if not trials:
        return
    rows = [("acceleration", "build", "place", "what", "pixels", "answer", "why")]
    rows += [(titles[t.path], t.build, t.place, t.what, t.pixel_format, trial_words(t),
              t.reason or (f"{t.device} is really the processor" if t.processor else t.device))
             for t in trials]  # fmt: skip
    print()
    for text in table(rows, left=7):
        print(text)


def _print_rows(rows: Sequence[tuple[str, str]]) -> None:
    width = max(len(name) for name, _ in rows)
    for name, value in rows:
        print(f"{name:<{width}}  {value}")


def build_(chosen: argparse.Namespace) -> int:
    """`ovrik build list|add|describe|approve|forget`."""
    from ovrik.machine.added import add_program, add_wheel, forget
    from ovrik.machine.builds import find_build, find_builds
    from ovrik.machine.described import descriptions, forget_described
    from ovrik.report.facts import build_rows

    if chosen.act_on == "forget":
        name = chosen.name or ""
        forget_described(name) if name in descriptions() else forget(name)
        return DONE
    if chosen.act_on in ("describe", "approve"):
        return _approve(chosen)
    if chosen.act_on == "add":
        if bool(chosen.wheel) == bool(chosen.name):
            raise OvrikError("Nothing to add", "Name a program, or a version with --wheel")
        added = add_wheel(chosen.wheel) if chosen.wheel else add_program(Path(chosen.name))
        builds = [find_build(added.key)]
    else:
        builds = find_builds()
    if chosen.json:
        _print_json({"builds": [b.to_json() for b in builds]})
        return DONE
    for build in builds:
        _print_rows(build_rows(build))
        print()
    return DONE


def _approve(chosen: argparse.Namespace) -> int:
    """Show a described program's command, and approve it if the user says so."""
    from ovrik.machine.described import approve, deposit, description_of
    from ovrik.study.described import load_description

    if not chosen.name:
        raise OvrikError("Nothing to approve", "Name a description file or a key")
    if chosen.act_on == "describe":
        description = load_description(Path(chosen.name))
        deposit(description)
    else:
        description = description_of(chosen.name)
    print(f"{description.title} ({description.build_key}) would run:\n\n  {description.shown()}\n")
    if not chosen.yes:
        try:
            said = input("Approve this command? Type yes: ")
        except EOFError:
            said = ""
        if said.strip().lower() != "yes":
            print("Not approved: it will not be run.")
            return PARTLY
    approve(description)
    print(f'Approved. Contenders use it by build = "{description.build_key}", '
          f'encoder = "described_{description.codec}".')  # fmt: skip
    return DONE


def plan_(chosen: argparse.Namespace) -> int:
    """`ovrik plan PLAN`."""
    from ovrik.machine.described import deposit
    from ovrik.study.excerpt import from_seconds
    from ovrik.study.plan import load_plan
    from ovrik.study.probe import probe
    from ovrik.work.lineup import builds_for, checked

    question = load_plan(chosen.plan)
    footage = probe(question.footage)
    excerpt = from_seconds(footage, question.start_s, question.duration_s)
    for description in question.programs:
        deposit(description)
    whole = excerpt.frames == footage.frames
    entries = checked(question.contenders, builds_for(question.contenders), whole)
    listed = [{"label": e.contender.label, "can_run": e.can_run, "reason": e.reason}
              for e in entries]  # fmt: skip
    listed += [{"label": label, "can_run": False, "reason": why} for label, why in question.refused]
    if chosen.json:
        _print_json({"contenders": listed})
    else:
        for entry in listed:
            print(f"{'runs' if entry['can_run'] else 'CAN NOT RUN':<12} {entry['label']}"
                  + (f": {entry['reason']}" if entry["reason"] else ""))  # fmt: skip
    return DONE if all(e["can_run"] for e in listed) else PARTLY


def run_(chosen: argparse.Namespace) -> int:
    """`ovrik run PLAN -o STUDY`."""
    from ovrik.report.as_text import verdict_text
    from ovrik.study.plan import load_plan
    from ovrik.work.evidence import gather
    from ovrik.work.lineup import barred
    from ovrik.work.plan_study import exports_whole, study_from_plan
    from ovrik.work.scoring import score_all
    from ovrik.work.timing import remaining, time_all

    question = load_plan(chosen.plan)
    study = study_from_plan(question, chosen.output)
    stop = _stop_on_signal()
    try:
        against = barred(study.contenders(), exports_whole(study))
        for contender in study.contenders():
            if contender.id in against:
                print(f"{contender.label} can't run: {against[contender.id]}", file=sys.stderr)
        for label, why in question.refused:
            print(f"{label} can't run: {why}", file=sys.stderr)
        able = [c.id for c in study.contenders() if c.id not in against]
        todo = remaining(study, able, chosen.rounds or question.rounds)
        line = _Line()
        well = time_all(study, todo, line.timing, stop) and not against and not question.refused
        if stop():
            raise Stopped
        score_all(study, line.scoring, stop)
        line.end()
        evidence = gather(study, against)
        print(verdict_text(evidence))
        return DONE if well and evidence.verdict.labels else PARTLY
    finally:
        study.close()


def _stop_on_signal() -> Callable[[], bool]:
    """Ctrl+C and SIGTERM end the run in hand and keep what is finished."""
    asked: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda got, _frame: asked.append(got))
    return lambda: bool(asked)


class _Line:
    """One line of progress: rewritten on a terminal, a line for each ended run elsewhere."""

    def __init__(self) -> None:
        self._live = sys.stdout.isatty()
        self._last = 0.0
        self._width = 0

    def timing(self, moment: Any) -> None:
        """Show a moment of timing."""
        from ovrik.work.timing import seconds_words

        where = "warm-up" if moment.turn.warmup else f"round {moment.turn.round}"
        head = f"[{moment.number}/{moment.total}] {moment.label}, {where}"
        left = f"{seconds_words(moment.left_s)} left"
        if moment.ended:
            why = f": {moment.reason}" if moment.reason else ""
            self._show(f"{head}: {moment.ended}{why}; {left}", keep=True)
        elif moment.progress:
            p = moment.progress
            share = 100 * min(p.frame / moment.frames, 1)
            self._show(f"{head}: {share:.0f} %, frame {p.frame}, {p.fps:.0f} fps; {left}")

    def scoring(self, moment: Any) -> None:
        """Show a moment of scoring."""
        self._show(f"{moment.what}: {100 * moment.share:.0f} %", keep=bool(moment.ended))

    def probing(self, share: float, what: str) -> None:
        """Show how far trials have come, on standard error: the answer goes to standard output."""
        if sys.stderr.isatty():
            print(f"\r{what}: {100 * share:.0f} %   ", end="\n" if share == 1 else "", file=sys.stderr)

    def _show(self, text: str, keep: bool = False) -> None:
        if not keep and (not self._live or time.monotonic() - self._last < 0.25):
            return
        self._last = time.monotonic()
        lead = "\r" if self._live else ""
        print(lead + text.ljust(self._width), end="\n" if keep or not self._live else "", flush=True)
        self._width = 0 if keep else len(text)

    def end(self) -> None:
        """Leave the line."""
        if self._live and self._width:
            print()


def verdict_(chosen: argparse.Namespace) -> int:
    """`ovrik verdict STUDY`."""
    from ovrik.report.as_csv import write_runs_csv
    from ovrik.report.as_json import verdict_json
    from ovrik.report.as_text import verdict_text
    from ovrik.store.study import Study
    from ovrik.work.evidence import gather
    from ovrik.work.lineup import barred
    from ovrik.work.plan_study import exports_whole, take_in_programs

    study = Study.open(chosen.study)
    try:
        take_in_programs(study)
        evidence = gather(study, barred(study.contenders(), exports_whole(study)))
    finally:
        study.close()
    if chosen.csv:
        write_runs_csv(evidence, chosen.csv)
    if chosen.json:
        _print_json(verdict_json(evidence))
    else:
        print(verdict_text(evidence))
    failed = any(s.runs and s.runs[-1].state == "failed" for s in evidence.summaries)
    return DONE if evidence.verdict.labels and not failed else PARTLY


def open_(chosen: argparse.Namespace) -> int:
    """`ovrik open [STUDY]`."""
    from ovrik.desk.app import run_desk

    return run_desk(chosen.study)


def demo_(_chosen: argparse.Namespace) -> int:
    """`ovrik demo`."""
    from ovrik.demo.scenario import unpack_demo
    from ovrik.desk.app import run_desk

    return run_desk(unpack_demo(), demo=True)


def shots_(chosen: argparse.Namespace) -> int:
    """`ovrik shots DIR`."""
    from ovrik.desk.shots import take_shots

    for path in take_shots(chosen.folder):
        print(path)
    return DONE


def footage_(_chosen: argparse.Namespace) -> int:
    """`ovrik footage`: one line for each percent, so that a window can follow it."""
    from ovrik.demo.film import make_film

    last = -1
    # Asked to end, it must tidy up: the window stops it with SIGTERM.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(PARTLY))

    def tell(share: float) -> None:
        nonlocal last
        if int(100 * share) != last:
            last = int(100 * share)
            print(f"{last} %", flush=True)

    print(make_film(tell))
    return DONE
