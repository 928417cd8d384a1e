"""Which devices a contender asks for, what they report, and whether they did the work."""

from dataclasses import dataclass

import numpy as np

from ovrik.export.run import RunResult
from ovrik.machine.devices import FELL_BACK, PATHS
from ovrik.machine.sensors import DriverSensors, Sensors
from ovrik.machine.simulated_sensors import StandinSensors
from ovrik.standin.profile import profiles
from ovrik.study.treatment_kinds import SOFTWARE
from ovrik.work.exporting import Plan

IDLE_DEVICE = 3.0
"""Per cent of load under which a device that was asked for has done nothing."""
FEWEST_LOOKS = 3
STANDIN, DRIVER = "standin", "nvenc"
"""The paths whose devices the sensors at hand belong to: a simulated one, and the one whose driver has a library. Of
any other maker's device these sensors know nothing."""
TITLES = {p.key: p.title for p in PATHS} | {STANDIN: "the simulated device"}


@dataclass(frozen=True)
class Asked:
    """One thing that a contender asks a device to do. Fields: `path`, key of a device path; `what` it is to do, in
    words; `unit`, the word by which a sensor of that unit is known, "" where none is."""

    path: str
    what: str
    unit: str


def asked(plan: Plan) -> list[Asked]:
    """Everything that a contender asks devices to do, encoding first."""
    c = plan.contender
    if plan.build.simulated:
        return [Asked(STANDIN, "encode", "encoder")]
    found = [
        Asked(c.recipe.facts.device, "encode", "encoder"),
        Asked(c.decode, "decode", "decoder"),
        Asked(c.treat, "treat", ""),
    ]
    return [a for a in found if a.path and a.path != SOFTWARE]


def asked_device(plan: Plan) -> str:
    """The first device path that a contender asks for, "" for software."""
    return next((a.path for a in asked(plan)), "")


def sensors_for(plan: Plan) -> list[Sensors]:
    """Sensors that belong to the devices that a contender asks for."""
    if plan.build.simulated:
        key = plan.build.key.removeprefix("standin-")
        return [StandinSensors(p) for p in profiles() if p.key == key]
    return [DriverSensors()] if any(a.path == DRIVER for a in asked(plan)) else []


def fell_back(plan: Plan, result: RunResult) -> str:
    """Whether a run that asked for a device was done in software, and how that shows; "" when it was not."""
    wanted = asked(plan)
    if not wanted or result.state != "done" or result.usage is None:
        return ""
    said = next((line for line in result.usage.log if FELL_BACK.search(line)), "")
    if said:
        titles = ", ".join(dict.fromkeys(TITLES.get(a.path, a.path) for a in wanted))
        return f"asked for {titles}, and its log says: {said[-120:]}"
    idle = next((a for a in wanted if _idle(a, result)), None)
    if idle is None:
        return ""
    return f"asked {TITLES.get(idle.path, idle.path)} to {idle.what}, and its {idle.unit} showed no load"


def _idle(a: Asked, result: RunResult) -> bool:
    """Whether the unit that was asked for was looked at often enough, and never at work on any device of its kind."""
    if a.path not in (STANDIN, DRIVER) or not a.unit or result.trace is None:
        return False
    loads = [
        v[np.isfinite(v)] for n, v in result.trace.columns.items() if n.startswith(a.unit) and "load" in n
    ]
    looked = [v for v in loads if len(v) >= FEWEST_LOOKS]
    return bool(looked) and all(v.max() < IDLE_DEVICE for v in looked)
