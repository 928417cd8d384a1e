"""The drives of a study: of its file, its outputs and its footage; free space and speed, measured briefly."""

import shutil
import time
from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.workstation.drive import DriveFacts, measure_drive, read_only
from ovrik.machine.workstation.readiness import file_system_of
from ovrik.store.study import Study

LEAST_BYTES = 16_000_000
NOT_YET = "its speed is measured once something was exported there"
FRESH_S = 900.0
"""A drive that was measured is not measured again for so long: it takes a second, and loads it."""
_measured: dict[int | Path, tuple[float, DriveFacts]] = {}
"""By the number of a device that was written to, or by a clip that was read."""


@dataclass(frozen=True)
class Drive:
    """Fields: `key`, "output", "source" or "study"; `title`; `facts`, None where the folder is not there; `trouble`,
    why something of it could not be measured, "" otherwise."""

    key: str
    title: str
    facts: DriveFacts | None
    trouble: str = ""


def drives_of(study: Study, afresh: bool = False) -> list[Drive]:
    """The drives of outputs, footage and study; what is on one drive is measured once."""
    own = _written("study", "Study", study.path.parent, afresh)
    return [_outputs(study, afresh), _read(Path(study.programme().clips[0].path), afresh), own]


def _outputs(study: Study, afresh: bool) -> Drive:
    """A study says where its outputs go, and whoever sent it may have chosen that: a folder elsewhere is written to
    only once something was exported there."""
    outputs = study.outputs
    place = outputs if outputs.is_dir() else next(p for p in outputs.parents if p.is_dir())
    if place in (outputs, study.path.parent):
        return _written("output", "Outputs", place, afresh)
    known = _fresh(place.stat().st_dev)
    if known is None:
        return Drive("output", "Outputs", _without_speed(place), NOT_YET)
    return Drive("output", "Outputs", _of_folder(known, place))


def _without_speed(folder: Path) -> DriveFacts:
    return DriveFacts(str(folder), file_system_of(folder), shutil.disk_usage(folder).free, None, None)


def _of_folder(known: DriveFacts, folder: Path) -> DriveFacts:
    return replace(known, folder=str(folder), free_bytes=shutil.disk_usage(folder).free)


def _written(key: str, title: str, folder: Path, afresh: bool) -> Drive:
    device = folder.stat().st_dev
    known = None if afresh else _fresh(device)
    if known:
        return Drive(key, title, _of_folder(known, folder))
    try:
        found = measure_drive(folder)
    except OvrikError as exc:
        return Drive(key, title, _without_speed(folder), exc.problem)
    _measured[device] = time.monotonic(), found
    return Drive(key, title, found)


def _read(clip: Path, afresh: bool) -> Drive:
    known = None if afresh or not clip.is_file() else _fresh(clip)
    try:
        found = known or _read_well(clip)
    except OSError as exc:
        return Drive("source", "Footage", None, f"{clip.name} can't be read ({exc.strerror})")
    if not known:
        _measured[clip] = time.monotonic(), found
    return Drive("source", "Footage", found)


def _read_well(clip: Path) -> DriveFacts:
    """A clip too small to say how fast it is read has the speed that its drive showed, if that was measured."""
    found = read_only(clip)
    if clip.stat().st_size >= LEAST_BYTES:
        return found
    beside = _fresh(clip.stat().st_dev)
    return replace(found, read_mb_s=beside.read_mb_s if beside else None)


def _fresh(what: int | Path) -> DriveFacts | None:
    at, known = _measured.get(what, (0.0, None))
    return known if known and time.monotonic() - at < FRESH_S else None
