"""A study to send: one file, with or without the outputs and what they are judged against."""

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.quality.reference.key import key_of, reference_file
from ovrik.store.records.run import RunRecord
from ovrik.store.schema.file import drive_failed, outputs_folder
from ovrik.store.schema.neighbours import LOGS
from ovrik.store.sent_copy import copy_of, seal, without_places
from ovrik.store.study import Study
from ovrik.store.tables.carried import OUTPUT, REFERENCE
from ovrik.study.contender.delivery import delivery
from ovrik.study.facts.origin import Origin
from ovrik.study.files.whole_file import made_beside
from ovrik.work.evidence.outputs_on_disk import everywhere, latest_output
from ovrik.work.evidence.shown_files import reference_name


@dataclass(frozen=True)
class ToCarry:
    """A file that could go with the study. Fields: `kind`; `path`; `name` in the study; `bytes`; `sha256` that it has
    to have, "" where none is on file."""

    kind: str
    path: Path
    name: str
    bytes: int
    sha256: str = ""


@dataclass(frozen=True)
class SendingLoad:
    """What a study to send would hold. Fields: `study`, bytes of the study itself; `files` that could go with it."""

    study: int
    files: tuple[ToCarry, ...]

    def bytes(self, outputs: bool, references: bool) -> int:
        """About how large the file will be."""
        return self.study + sum(f.bytes for f in self.chosen(outputs, references))

    def chosen(self, outputs: bool, references: bool) -> list[ToCarry]:
        """What would go with it."""
        wanted = {OUTPUT: outputs, REFERENCE: references}
        return [f for f in self.files if wanted[f.kind]]


def load_of(study: Study) -> SendingLoad:
    """What there is to send, on every kind of footage: of outputs, those that Ovrik wrote for this study into its own
    folder, and that are still what it wrote. Whatever else a study names, it may have come from a stranger."""
    files: dict[str, ToCarry] = {}
    for one in everywhere(study):
        facts, programme = one.facts(), one.programme()
        for c in one.contenders():
            if found := _own_output(one, latest_output(one, c.contender_id)):
                files.setdefault(found.name, found)
            wanted = delivery(programme, facts.excerpt, c.recipe)
            against = reference_file(facts, programme, wanted)
            if against.is_file():
                name = reference_name(key_of(facts, programme, wanted))
                files.setdefault(name, ToCarry(REFERENCE, against, name, against.stat().st_size))
    return SendingLoad(study.path.stat().st_size, tuple(files.values()))


def _own_output(study: Study, run: RunRecord | None) -> ToCarry | None:
    if run is None or run.origin is not Origin.DRIVEN or not run.output or not run.output_sha256:
        return None
    if "/" in run.output:
        return None
    for folder in (study.outputs, outputs_folder(study.path)):
        path = folder / run.output
        if folder.is_symlink() or path.is_symlink() or not path.is_file():
            continue
        if path.stat().st_size != run.output_bytes:
            continue  # it is something else by now
        return ToCarry(OUTPUT, path, path.name, path.stat().st_size, run.output_sha256)
    return None


def send(
    study: Study,
    into: Path,
    bare: Callable[[object], object] | None,
    outputs: bool = False,
    references: bool = False,
    sealed: bool = False,
    on_share: Callable[[float, str], None] = lambda _s, _w: None,
    should_stop: Ask = lambda: False,
) -> int:
    """Write the study to send; gives its size in bytes. `bare` takes the names of folders out of a text, None leaves
    them in. A file that is there already is not overwritten. Raises OvrikError, Stopped on request."""
    if into.exists():
        raise OvrikError(f"{into} is there already", "Choose another name")
    load = load_of(study)
    chosen = load.chosen(outputs, references)
    total, done = max(2 * sum(f.bytes for f in chosen), 1), 0

    def count(size: int) -> None:
        nonlocal done
        if should_stop():
            raise Stopped
        done += size
        on_share(done / total, f"Packing {into.name}")

    try:
        with made_beside(into, LOGS) as making:
            copy_of(study.path, making)
            if bare is not None:
                without_places(making, bare)
            packed = Study.open(making)
            try:
                for one in chosen:
                    packed.carry(one.kind, one.path, one.name, one.sha256, count)
            finally:
                packed.close()
            if sealed:
                seal(making)
    except (OvrikError, sqlite3.OperationalError) as exc:
        if sqlite3.OperationalError in (type(exc), type(exc.__context__)):
            raise drive_failed(into) from None
        raise
    except OSError as exc:
        raise OvrikError(
            f"{into} can't be written ({exc.strerror})", "Check the folder and free space"
        ) from None
    on_share(1.0, f"Packed {into.name}")
    return into.stat().st_size


def unpack(
    study: Study,
    on_share: Callable[[float, str], None] = lambda _s, _w: None,
    should_stop: Ask = lambda: False,
) -> int:
    """Write what the study carries into the folder beside it, gives how many files: where a study says
    that outputs go is not asked: it may be a stranger's. Raises OvrikError."""
    found = study.carried()
    for number, one in enumerate(found):
        on_share(number / len(found), f"Unpacking {one.name}")
        study.put_down(one, outputs_folder(study.path), should_stop)
    return len(found)
