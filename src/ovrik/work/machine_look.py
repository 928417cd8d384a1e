"""The workstation as the study meets it: facts, drives, readiness, builds and what they can use."""

from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds import Build, find_builds
from ovrik.machine.drive import DriveFacts, measure_drive, read_speed, slow
from ovrik.machine.facts import MachineFacts, differences
from ovrik.machine.known_trials import known_trials
from ovrik.machine.readiness import Finding, file_system_of, findings, take_reading
from ovrik.machine.sensors import DriverSensors, SensorValue, SystemSensors
from ovrik.machine.trial import Trial
from ovrik.store.study import Study
from ovrik.work.fingerprint import fingerprint


@dataclass(frozen=True)
class Look:
    """What was read of the machine.

    Fields: `machine`; `differs`, what differs from the machine that the study's last run was made
    on, in words, None without a run; `drive` of the study, None if it can't be measured; `source`,
    the footage's drive in rows of name and value; `sensors`, their present values; `findings` of
    readiness; `builds`; `trials` on
    file for them.
    """

    machine: MachineFacts
    differs: list[str] | None
    drive: DriveFacts | None
    source: list[tuple[str, str]]
    sensors: list[SensorValue]
    findings: list[Finding]
    builds: list[Build]
    trials: list[Trial]


def look_at_machine(study: Study, extra: tuple[str, ...] = ()) -> Look:
    """Takes about two seconds, so it is called off the window's thread."""
    outputs, builds, machine = study.outputs, find_builds(extra), fingerprint(study)
    last = next((r.machine_id for r in reversed(study.runs()) if r.machine_id), None)
    differs = differences(study.machines()[last], machine.to_json()) if last else None
    place = outputs if outputs.is_dir() else next(p for p in outputs.parents if p.is_dir())
    try:
        drive = measure_drive(place)
    except OvrikError:
        drive = None
    sensors = [*SystemSensors().read(), *DriverSensors().read()]
    trials = [t for b in builds if not b.problem for t in known_trials(b) or []]
    found = [*findings(take_reading(outputs)), *(slow(drive) if drive else [])]
    return Look(
        machine,
        differs,
        drive,
        _source_rows(Path(study.programme().clips[0].path)),
        sensors,
        found,
        builds,
        trials,
    )


def _source_rows(path: Path) -> list[tuple[str, str]]:
    try:
        return [("Footage", f"{file_system_of(path.parent)}, reads {read_speed(path):.0f} MB/s")]
    except OSError:
        return [("Footage", "is not there")]
