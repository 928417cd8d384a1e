"""Which devices a contender asks for, what they report, and whether they did the work."""

from dataclasses import dataclass

import numpy as np

from ovrik.export.run.timed import RunResult
from ovrik.machine.devices.known_trials import known_trials
from ovrik.machine.devices.paths import FELL_BACK
from ovrik.machine.devices.trial import WORKS
from ovrik.machine.sensors.readings import DriverSensors, Sensors
from ovrik.machine.sensors.simulated import StandinSensors
from ovrik.standin.profile import profiles
from ovrik.study.facts.device_use import FellBack, OnProcessor, Showed
from ovrik.study.programme.treatment_kinds import SOFTWARE
from ovrik.work.prepare.export_plan import Plan

IDLE_DEVICE = 3.0
"""Per cent of load under which a device that was asked for has done nothing."""
FEWEST_LOOKS = 4
"""So many looks while frames come, half a second apart, tell that a device does nothing."""
OWN_GRAPHICS = "own graphics"
STANDIN, DRIVER = "standin", "nvenc"
"""The paths whose devices the sensors at hand belong to: a simulated one, and the one whose driver has a library. Of
any other maker's device these sensors know nothing."""


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


def fell_back(plan: Plan, result: RunResult) -> FellBack | None:
    """How a run that asked for a device showed that it was done in software; None when it did not."""
    wanted = asked(plan)
    if not wanted or result.state != "done" or result.usage is None:
        return None
    paths = tuple(dict.fromkeys(a.path for a in wanted))
    said = next((line for line in result.usage.log if FELL_BACK.search(line)), "")
    if said:
        return FellBack(Showed.LOG, paths, said[-120:])
    looks = {a: _looks(a, result) for a in wanted}
    idle = next((a for a, found in looks.items() if found.idle), None)
    if idle is not None:
        return FellBack(Showed.UNIT, (idle.path,), what=idle.what, unit=idle.unit)
    return FellBack(Showed.KERNEL, paths) if _engines(result).idle else None


def untold(plan: Plan, result: RunResult) -> tuple[str, ...]:
    """Device paths that were asked for and of which nothing tells whether they worked: no sensor, or too few looks at
    it from the first frame to the last."""
    if result.state != "done" or result.usage is None or _engines(result).told or fell_back(plan, result):
        return ()
    own = {o.path for o in really_processor(plan)}
    return tuple(
        dict.fromkeys(a.path for a in asked(plan) if a.path not in own and not _looks(a, result).told)
    )


def really_processor(plan: Plan) -> list[OnProcessor]:
    """Which of the devices that are asked for is the processor itself."""
    by = plan.maker or plan.build
    if by.simulated or by.problem:
        return []
    known = reversed(known_trials(by) or [])
    opened = {t.path: t for t in known if t.place == "device" and t.answer == WORKS}
    found = [opened[a.path] for a in asked(plan) if a.path in opened and opened[a.path].processor]
    return list(dict.fromkeys(OnProcessor(t.path, t.device) for t in found))


@dataclass(frozen=True)
class _Looked:
    """Looks at a device from a run's first frame to its last. Fields: `count`; `most`, per cent of load."""

    count: int = 0
    most: float = 0.0

    @property
    def told(self) -> bool:
        """Whether they tell of work, or are enough to tell of none."""
        return self.most >= IDLE_DEVICE or self.count >= FEWEST_LOOKS

    @property
    def idle(self) -> bool:
        """Whether they are enough, and none of them saw work."""
        return self.count >= FEWEST_LOOKS and self.most < IDLE_DEVICE


def _while_frames_came(result: RunResult, values: np.ndarray) -> np.ndarray:
    """What was read from the first frame to the last: a device has nothing to do in the start-up."""
    t = result.trace.columns.get("t") if result.trace else None
    if t is None or result.first_frame_s is None:
        return values[np.isfinite(values)]
    last = result.last_frame_s if result.last_frame_s is not None else np.inf
    return values[np.isfinite(values) & (t >= result.first_frame_s) & (t <= last)]


def _engines(result: RunResult) -> _Looked:
    """What graphics devices did for the export, by the kernel's count."""
    found = result.trace.columns.get(OWN_GRAPHICS) if result.trace else None
    return _seen([_while_frames_came(result, found)]) if found is not None else _Looked()


def _looks(a: Asked, result: RunResult) -> _Looked:
    """At the unit that was asked for, of the device of its kind that did most."""
    if a.path not in (STANDIN, DRIVER) or not a.unit or result.trace is None:
        return _Looked()
    columns = [v for n, v in result.trace.columns.items() if n.startswith(a.unit) and "load" in n]
    return _seen([_while_frames_came(result, v) for v in columns])


def _seen(columns: list[np.ndarray]) -> _Looked:
    read = [v for v in columns if len(v)]
    return _Looked(max(map(len, read)), max(float(v.max()) for v in read)) if read else _Looked()
