"""The fingerprint that goes with every run of a study: the machine, its devices, and the drives used."""

from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds import find_build
from ovrik.machine.facts import STUDY_ROWS, UNKNOWN, Fact, MachineFacts, read_machine
from ovrik.machine.known_trials import known_trials
from ovrik.machine.readiness import file_system_of
from ovrik.store.study import Study


def fingerprint(study: Study) -> MachineFacts:
    """The lasting facts of this machine and of what this study uses on it."""
    outputs = study.outputs if study.outputs.is_dir() else study.path.parent
    found = {
        "output_drive": file_system_of(outputs),
        "source_drive": file_system_of(Path(study.programme().clips[0].path).parent),
        "devices": _devices(),
    }
    extra = (Fact(r.key, r.title, found[r.key] or UNKNOWN, r.source, r.weight) for r in STUDY_ROWS)
    return MachineFacts((*read_machine().facts, *extra))


def _devices() -> str:
    """Devices that the builds could open when their accelerations were tried, "" before that."""
    names = []
    for key in ("bundled", "system"):
        try:
            trials = known_trials(find_build(key)) or []
        except OvrikError:
            continue
        names += [t.device for t in trials if t.place == "device" and t.device]
    return "; ".join(sorted(set(names)))
