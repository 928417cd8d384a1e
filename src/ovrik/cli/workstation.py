"""The workstation and its builds: `ovrik machine`, `ovrik build`."""

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ovrik.cli.terminal import (
    DONE,
    PARTLY,
    ProgressLine,
    answered,
    print_json,
    print_rows,
    say,
    stop_on_signal,
)
from ovrik.errors import OvrikError

if TYPE_CHECKING:
    from ovrik.work.prepare.drives import Drive


def machine_(chosen: argparse.Namespace) -> int:
    """`ovrik machine`."""
    from dataclasses import asdict

    from ovrik.machine.builds.build import find_builds
    from ovrik.machine.devices.known_trials import known_trials
    from ovrik.machine.devices.probing import probe_builds
    from ovrik.machine.sensors.readings import DriverSensors, SystemSensors
    from ovrik.machine.workstation.drive import slow
    from ovrik.machine.workstation.facts import read_machine
    from ovrik.machine.workstation.readiness import findings, take_reading
    from ovrik.report.words.rows import DRIVE_SOURCE, build_rows, drive_words, machine_rows

    if chosen.against:
        return _against(chosen)
    machine, builds, drives = read_machine(), find_builds(afresh=chosen.probe), _drives(chosen.study)
    slow_ones = {f.what: f for d in drives if d.facts for f in slow(d.facts)}
    found = [*findings(take_reading(Path.cwd())), *slow_ones.values()]
    sensors = [*SystemSensors().read(), *DriverSensors().read()]
    line = ProgressLine()
    trials = probe_builds(builds, line.probing, stop_on_signal(), chosen.again) if chosen.probe else []
    line.end()
    tried = trials or [t for b in builds if not b.problem for t in known_trials(b) or []]
    if chosen.json:
        print_json(
            {
                "machine": machine.to_json(),
                "sources": {f.key: f.source for f in machine.facts},
                "drives": [asdict(d) for d in drives],
                "readiness": [asdict(f) for f in found],
                "sensors": [asdict(v) for v in sensors],
                "builds": [b.to_json() for b in builds],
                "trials": [t.to_json() for t in trials],
            }
        )
        return DONE
    print_rows([(name, f"{value}  (from {source})") for name, value, source in machine_rows(machine)])
    print("\nDrives")
    print_rows([(d.title, drive_words(d.facts, d.trouble)) for d in drives])
    print(f"(from {DRIVE_SOURCE})\n")
    print_rows([(v.name, f"{v.value:.0f} {v.unit}") for v in sensors] or [("sensors", "none found")])
    for build in builds:
        print()
        print_rows(build_rows(build, tried))
    print("\nReadiness:" + ("" if found else " nothing found that would spoil timing"))
    for one in found:
        print(f"  {one.what}. {one.effect}. {one.remedy}.")
    _print_trials(trials, chosen.logs)
    return DONE


def _drives(study: Path | None) -> "list[Drive]":
    """Those of a study at hand, or the one that this folder is on."""
    from ovrik.machine.workstation.drive import measure_drive
    from ovrik.store.study import Study
    from ovrik.work.prepare.drives import Drive, drives_of

    if study is None:
        return [Drive("here", "This folder", measure_drive(Path.cwd()))]
    opened = Study.open(study)
    try:
        return drives_of(opened)
    finally:
        opened.close()


def _against(chosen: argparse.Namespace) -> int:
    """This machine's fingerprint beside that of a run, what differs first."""
    from ovrik.machine.workstation.facts import compared
    from ovrik.report.words.phrases import table
    from ovrik.store.study import Study
    from ovrik.work.prepare.fingerprint import fingerprint
    from ovrik.work.prepare.fingerprints import HERE, of_run

    path, _colon, number = chosen.against.rpartition(":")
    named = bool(path) and number.isdigit() and not Path(chosen.against).exists()
    study = Study.open(Path(path if named else chosen.against))
    try:
        run, here = of_run(study, int(number) if named else None), fingerprint(study).to_json()
    finally:
        study.close()
    found = compared(run.facts, here)
    if chosen.json:
        facts = [{"fact": c.title, "run": c.one, "here": c.other, "differs": c.differs} for c in found]
        print_json({"against": run.title, "facts": facts})
        return DONE
    rows = [("≠" if c.differs else "", c.title, c.one, c.other) for c in found]
    say("\n".join(table([("", "fact", run.title, HERE), *rows], left=4)))
    return DONE


def _print_trials(trials: Sequence[Any], logs: bool) -> None:
    from ovrik.machine.devices.paths import PATHS
    from ovrik.report.words.phrases import table
    from ovrik.report.words.rows import trial_words

    titles = {p.key: p.title for p in PATHS}
    if not trials:
        return
    rows = [("acceleration", "build", "place", "what", "pixels", "answer", "why")]
    rows += [
        (
            titles[t.path],
            t.build,
            t.place,
            t.what,
            t.pixel_format,
            trial_words(t),
            t.reason or (f"{t.device} is really the processor" if t.processor else t.device),
        )
        for t in trials
    ]
    print()
    for text in table(rows, left=7):
        say(text)
    for t in trials if logs else ():
        say(f"\n{titles[t.path]}, {t.build}, {t.place} {t.what} {t.pixel_format}: {trial_words(t)}")
        say("\n".join(f"  {line}" for line in t.log or ("it said nothing",)))


def build_(chosen: argparse.Namespace) -> int:
    """`ovrik build list|add|describe|approve|forget`."""
    from ovrik.machine.builds.added import forget
    from ovrik.machine.builds.adding import add_program, add_wheel
    from ovrik.machine.builds.build import find_builds
    from ovrik.machine.builds.described import descriptions, forget_described
    from ovrik.report.words.rows import build_rows

    if chosen.act_on == "forget":
        name = chosen.name or ""
        forget_described(name) if name in descriptions() else forget(name)
        return DONE
    if chosen.act_on in ("describe", "approve"):
        return _approve(chosen)
    if chosen.act_on == "add":
        if bool(chosen.wheel) == bool(chosen.name):
            raise OvrikError("Nothing to add", "Name a program, or a version with --wheel")
        line = ProgressLine()
        builds = [
            add_wheel(chosen.wheel, line.probing, stop_on_signal())
            if chosen.wheel
            else add_program(Path(chosen.name))
        ]
        line.end()
    else:
        builds = find_builds()
    if chosen.json:
        print_json({"builds": [b.to_json() for b in builds]})
        return DONE
    for build in builds:
        print_rows(build_rows(build))
        print()
    return DONE


def _approve(chosen: argparse.Namespace) -> int:
    """Show what a program would run, and approve it if the user says so."""
    from ovrik.machine.builds.approvals import build_claim
    from ovrik.machine.builds.described import claim_of, description_of, introduce
    from ovrik.study.contender.described import KEY, load_description
    from ovrik.study.files.regular_file import regular
    from ovrik.work.lineup.approvals_wanted import allow

    if not chosen.name:
        raise OvrikError("Nothing to approve", "Name a description file, a key or a program")
    if chosen.act_on == "approve" and not chosen.name.startswith(KEY):
        return _asked([build_claim(regular(Path(chosen.name).expanduser()))], chosen, allow)
    description = (
        load_description(Path(chosen.name)) if chosen.act_on == "describe" else description_of(chosen.name)
    )
    introduce(description)
    said = _asked([claim_of(description)], chosen, allow)
    if said == DONE:
        print(
            f'Contenders use it by build = "{description.build_key}", '
            f'encoder = "described_{description.codec}".'
        )
    return said


def approve_(chosen: argparse.Namespace) -> int:
    """`ovrik approve PLAN|STUDY`: show all that it would run beyond what is known, and ask for each."""
    from ovrik.machine.builds.described import introduce
    from ovrik.store.study import Study
    from ovrik.study.question.plan import load_plan
    from ovrik.work.lineup.approvals_wanted import allow, waiting
    from ovrik.work.lineup.programs import take_in_programs

    if chosen.file.suffix == ".toml":
        question = load_plan(chosen.file)
        contenders = list(question.contenders)
        for description in question.programs:
            introduce(description)
    else:
        study = Study.open(chosen.file)
        try:
            take_in_programs(study)
            contenders = study.contenders()
        finally:
            study.close()
    claims = waiting(contenders)
    if not claims:
        answered(chosen, {"approved": [], "refused": []}, "Nothing in it waits for approval.")
        return DONE
    return _asked(claims, chosen, allow)


def _asked(claims: Sequence[Any], chosen: argparse.Namespace, allow: Any) -> int:
    """Show each claim whole and allow what the user says yes to."""
    from ovrik.study.files.text_file import visible

    refused = []
    for claim in claims:
        print(f"{visible(claim.title)} would run this program with your rights:\n\n{claim.shown()}\n")
        said = "yes" if chosen.yes else _answer("Approve it? Type yes: ")
        if said.strip().lower() == "yes":
            allow(claim)
            print("Approved.")
        else:
            print("Not approved: it will not be run.")
            refused.append(claim)
    answered(
        chosen,
        {"approved": [c.title for c in claims if c not in refused], "refused": [c.title for c in refused]},
    )
    return PARTLY if refused else DONE


def _answer(question: str) -> str:
    try:
        return input(question)
    except EOFError:
        return ""
