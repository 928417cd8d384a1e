"""The workstation as the study meets it: facts, drives, readiness, builds and what they can use."""

from dataclasses import dataclass

from ovrik.machine.builds.build import Build, find_builds
from ovrik.machine.devices.known_trials import known_trials
from ovrik.machine.devices.trial import Trial
from ovrik.machine.sensors.readings import DriverSensors, SensorValue, SystemSensors
from ovrik.machine.workstation.drive import slow
from ovrik.machine.workstation.facts import MachineFacts, differences
from ovrik.machine.workstation.readiness import Finding, findings, take_reading
from ovrik.store.study import Study
from ovrik.work.prepare.drives import Drive, drives_of
from ovrik.work.prepare.fingerprint import fingerprint


@dataclass(frozen=True)
class Look:
    """What was read of the machine.

    Fields: `machine`; `differs`, what differs from the machine that the study's last run was made
    on, in words, None without a run; `drives` of the study; `sensors`, their present values; `findings` of
    readiness; `builds`; `trials` on
    file for them.
    """

    machine: MachineFacts
    differs: list[str] | None
    drives: list[Drive]
    sensors: list[SensorValue]
    findings: list[Finding]
    builds: list[Build]
    trials: list[Trial]


def look_at_machine(study: Study, extra: tuple[str, ...] = (), afresh: bool = False) -> Look:
    """Takes about two seconds, so it is called off the window's thread. `afresh` measures drives again, and asks
    builds that gave no answer."""
    builds, drives = find_builds(extra, afresh), drives_of(study, afresh)
    machine = fingerprint(study, drives)
    last = next((r.machine_id for r in reversed(study.runs()) if r.machine_id), None)
    differs = differences(study.machines()[last], machine.to_json()) if last else None
    sensors = [*SystemSensors().read(), *DriverSensors().read()]
    trials = [t for b in builds if not b.problem for t in known_trials(b) or []]
    slow_ones = {f.what: f for d in drives if d.facts for f in slow(d.facts)}
    found = [*findings(take_reading(study.outputs)), *slow_ones.values()]
    return Look(
        machine=machine,
        differs=differs,
        drives=drives,
        sensors=sensors,
        findings=found,
        builds=builds,
        trials=trials,
    )
