"""Described programs: introduced by a plan, a study or a file, run when the user has approved their commands."""

import hashlib
import json
import os
import re
import shutil
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds.approvals import PROGRAM, Claim, approve, approved, withdraw
from ovrik.machine.processes.asking import ask
from ovrik.study.contender.described import Description
from ovrik.study.files.checksum import sha256_now
from ovrik.study.files.kept import data_folder
from ovrik.study.files.whole_file import write_whole

ASK_TIMEOUT_S = 20
MOST_BYTES = 1 << 20
_introduced: dict[str, Description] = {}


def folder() -> Path:
    """Where descriptions that were approved are kept."""
    return data_folder("described")


def introduce(description: Description) -> None:
    """Make a description known to this process. Nothing is written, run or approved by that."""
    _introduced[description.build_key] = description


def descriptions() -> dict[str, Description]:
    """All known descriptions by build key; what was introduced stands before what is on file. A damaged file counts
    as none."""
    out = {}
    for path in sorted(folder().glob("*.json")) if folder().is_dir() else ():
        try:
            if path.stat().st_size > MOST_BYTES:
                continue
            made = Description.model_validate_json(path.read_text(encoding="utf-8"))
        except (OSError, ValueError):
            continue
        out[made.build_key] = made
    return {**out, **_introduced}


def description_of(key: str) -> Description:
    """The description behind a build key. Raises OvrikError when there is none."""
    found = descriptions().get(key)
    if found is None:
        raise OvrikError(
            f"The described program {key} is not there", "Describe it: ovrik build describe FILE"
        )
    return found


def program_of(description: Description) -> Path:
    """Its program file. Raises OvrikError when it is not there, or is named by a relative path."""
    name = description.program
    if os.sep in name and not os.path.isabs(name):
        raise OvrikError(
            f"{description.title}: {name} is a relative path", "Name a program on PATH, or its full path"
        )
    found = shutil.which(name)
    if found is None:
        raise OvrikError(f"{description.title}: the program {name} is not there", "Install it")
    return Path(found).resolve()


def claim_of(description: Description) -> Claim:
    """What it would run. Raises OvrikError when its program is not there."""
    program = program_of(description)
    commands = ((str(program), *description.version.arguments), (str(program), *description.filled()))
    return Claim(PROGRAM, description.title, str(program), sha256_now(program), commands)


def allowed(description: Description) -> bool:
    """Whether the user has approved exactly its commands, of exactly this program file."""
    try:
        return approved(claim_of(description))
    except (OvrikError, OSError):
        return False


def located(description: Description) -> Path:
    """Its program. Raises OvrikError when it is not there or its commands are not approved."""
    claim = claim_of(description)
    if not approved(claim):
        raise OvrikError(
            f"The command of {description.title} has not been approved",
            f"Look at it and approve it: ovrik approve the plan or study that names it, or ovrik build "
            f"approve {description.build_key}",
        )
    return Path(claim.program)


def approve_described(description: Description) -> None:
    """The user has seen its commands and wants them to run: they are approved, and the description is kept."""
    approve(claim_of(description))
    place = folder() / f"{hashlib.sha256(description.build_key.encode()).hexdigest()[:32]}.json"
    write_whole(place, json.dumps(description.model_dump(mode="json"), indent=1))


def forget_described(key: str) -> None:
    """Take a described program off the list, and its approval with it."""
    gone = description_of(key)
    (folder() / f"{hashlib.sha256(key.encode()).hexdigest()[:32]}.json").unlink(missing_ok=True)
    _introduced.pop(key, None)
    try:
        withdraw(str(program_of(gone)))
    except OvrikError:
        return  # its program is gone already


def version_of(description: Description, program: Path) -> str:
    """Version as it says itself; only for an approved one. Raises OvrikError when it does not say."""
    try:
        said = ask([str(program), *description.version.arguments], ASK_TIMEOUT_S)
    except OSError as exc:
        raise OvrikError(f"{description.title} does not say its version ({exc})", "Try it by hand") from None
    if said.code is None:
        raise OvrikError(
            f"{description.title} does not say its version within {ASK_TIMEOUT_S} s", "Try it by hand"
        )
    found = re.search(description.version.pattern, said.text + said.log)
    return found[1] if found and found.groups() else "unknown"
