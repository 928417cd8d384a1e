"""Fingerprints that can be laid side by side: this machine's now, and those that a study's runs were made on."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ovrik.errors import OvrikError
from ovrik.store.study import Study
from ovrik.work.prepare.fingerprint import fingerprint

HERE = "this machine, now"


@dataclass(frozen=True, eq=False)
class Fingerprint:
    """Fields: `title`, which one it is; `facts` by key."""

    title: str
    facts: Mapping[str, Any]


def fingerprints(study: Study) -> list[Fingerprint]:
    """This machine first, then each that runs were made on, the one of the last run first."""
    machines, last = study.machines(), dict[int, int]()
    for run in study.runs(every_sitting=True):
        if run.machine_id in machines:
            last[run.machine_id] = run.id
    order = sorted(last, key=lambda number: -last[number])
    kept = [Fingerprint(f"run {last[number]} and alike", machines[number]) for number in order]
    return [Fingerprint(HERE, fingerprint(study).to_json()), *kept]


def of_run(study: Study, number: int | None) -> Fingerprint:
    """What a run was made on, the last one where none is named. Raises OvrikError."""
    machines = study.machines()
    made = {r.id: r for r in study.runs(every_sitting=True) if r.machine_id in machines}
    if not made:
        raise OvrikError(f"{study.path} holds no run with a fingerprint", "Time something in it first")
    chosen = made.get(number or max(made))
    if chosen is None:
        raise OvrikError(f"There is no run {number} with a fingerprint", f"The last one is {max(made)}")
    return Fingerprint(f"run {chosen.id}", machines[chosen.machine_id or 0])
