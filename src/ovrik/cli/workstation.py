"""The workstation and its builds: `ovrik machine`, `ovrik build`."""

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from ovrik.cli.terminal import DONE, PARTLY, Line, print_json, print_rows, stop_on_signal
from ovrik.errors import OvrikError


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
    line = Line()
    trials = probe_builds(builds, line.probing, stop_on_signal()) if chosen.probe else []
    line.end()
    if chosen.json:
        print_json({
            "machine": machine.to_json(),
            "sources": {f.key: f.source for f in machine.facts},
            "drive": asdict(drive),
            "readiness": [asdict(f) for f in found],
            "sensors": [asdict(v) for v in sensors],
            "builds": [b.to_json() for b in builds],
            "trials": [t.to_json() for t in trials],
        })  # fmt: skip
        return DONE
    print_rows([(name, value) for name, value, _source in machine_rows(machine)])
    print()
    print_rows(drive_rows(drive))
    print()
    print_rows([(v.name, f"{v.value:.0f} {v.unit}") for v in sensors] or [("sensors", "none tell")])
    for build in builds:
        print()
        print_rows(build_rows(build))
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
        print_json({"builds": [b.to_json() for b in builds]})
        return DONE
    for build in builds:
        print_rows(build_rows(build))
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
