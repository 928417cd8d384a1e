"""What a study's machine was like at rest before its first run: later runs wait until it is so again."""

from collections.abc import Sequence
from typing import Any

from ovrik.store.study import Study
from ovrik.work.timing.fairness import State

SAME_MACHINE = ("processor", "cores", "memory")
"""Facts that say whether a band on file is this machine's own."""


def band_json(band: State, device: Sequence[str]) -> dict[str, Any]:
    """A band as it is kept with every run that waited for it; `device` names the build and the device asked for."""
    return {**vars(band), "device": list(device)}


def first_band(study: Study, machine: dict[str, Any], device: Sequence[str] | None = None) -> State | None:
    """The band of the first run that was made on this machine, or of the first that asked for this device; None when
    there was none."""
    own = {number for number, facts in study.machines().items() if _same(facts, machine)}
    for run in study.runs():
        said = run.conditions.get("band")
        if run.machine_id not in own or not isinstance(said, dict):
            continue
        if device is None or said.get("device") == list(device):
            return State(said["busy"], said["clock"], said["celsius"], said["device_celsius"])
    return None


def _same(one: dict[str, Any], other: dict[str, Any]) -> bool:
    return all(one.get(key) == other.get(key) for key in SAME_MACHINE)
