"""The fingerprint that goes with every run of a study: the machine, its devices, and the drives used."""

from collections.abc import Iterable

from ovrik.machine.workstation.facts import STUDY_ROWS, UNKNOWN, Fact, MachineFacts, read_machine
from ovrik.store.study import Study
from ovrik.work.prepare.drives import Drive, drives_of


def fingerprint(study: Study, drives: Iterable[Drive] | None = None) -> MachineFacts:
    """The lasting facts of this machine and of what this study uses on it. `drives` as they were measured, measured
    now where they are not given."""
    found: dict[str, str] = {}
    for drive in drives_of(study) if drives is None else drives:
        if drive.facts:
            found[f"{drive.key}_drive"] = drive.facts.file_system
            found[f"{drive.key}_speed"] = drive.facts.speed
            found[f"{drive.key}_free"] = drive.facts.free
    extra = (Fact(r.key, r.title, found.get(r.key) or UNKNOWN, r.source, r.weight) for r in STUDY_ROWS)
    return MachineFacts((*read_machine().facts, *extra))
