"""Described programs on this machine: those known, and those whose command the user has approved."""

import json
import os
import re
import shutil
import subprocess
from pathlib import Path

import platformdirs

from ovrik.errors import OvrikError
from ovrik.study.checksum import file_sha256
from ovrik.study.described import KEY, Description

ASK_TIMEOUT_S = 20


def folder() -> Path:
    """Where descriptions and approvals are kept."""
    return Path(platformdirs.user_data_dir("ovrik")) / "programs"


def deposit(description: Description) -> None:
    """Keep a description that came with a plan or a study, or was given. It is not approved by that.

    Raises OvrikError when another program goes by the same key.
    """
    known = descriptions().get(description.build_key)
    if known == description:
        return
    if known is not None and approved(known):
        raise OvrikError(f'Another program is described as "{description.key}" already',
                         "Give this one another key, or forget that one: "
                         f"ovrik build forget {KEY}{known.key}")  # fmt: skip
    place = folder() / f"{description.key}.json"
    place.parent.mkdir(parents=True, exist_ok=True)
    partial = place.with_suffix(f".{os.getpid()}")
    partial.write_text(description.model_dump_json(indent=1))
    partial.replace(place)


def descriptions() -> dict[str, Description]:
    """All known descriptions by build key; a damaged file counts as none."""
    out = {}
    for path in sorted(folder().glob("*.json")) if folder().is_dir() else ():
        if path.name == "approved.json":
            continue
        try:
            made = Description.model_validate_json(path.read_text())
        except (OSError, ValueError):
            continue
        out[made.build_key] = made
    return out


def description_of(key: str) -> Description:
    """The description behind a build key. Raises OvrikError when there is none."""
    found = descriptions().get(key)
    if found is None:
        raise OvrikError(
            f"The described program {key} is not there", "Describe it: ovrik build describe FILE"
        )
    return found


def approvals() -> set[str]:
    """Checksums of the descriptions whose command was approved."""
    try:
        listed = json.loads((folder() / "approved.json").read_text())
    except (OSError, ValueError):
        return set()
    return {str(x) for x in listed} if isinstance(listed, list) else set()


def approved(description: Description) -> bool:
    """Whether the user has approved exactly this description."""
    return description.checksum() in approvals()


def approve(description: Description) -> None:
    """The user has seen the command and wants it to be run."""
    folder().mkdir(parents=True, exist_ok=True)
    partial = folder() / f"approved.{os.getpid()}"
    partial.write_text(json.dumps(sorted({*approvals(), description.checksum()})))
    partial.replace(folder() / "approved.json")


def forget_described(key: str) -> None:
    """Take a described program off the list, and its approval with it."""
    gone = description_of(key)
    (folder() / f"{gone.key}.json").unlink(missing_ok=True)
    left = approvals() - {gone.checksum()}
    (folder() / "approved.json").write_text(json.dumps(sorted(left)))


def located(description: Description) -> Path:
    """Its program. Raises OvrikError when it is not there or its command is not approved."""
    if not approved(description):
        raise OvrikError(f"The command of {description.title} has not been approved",
                         "Look at it and approve it: "
                         f"ovrik build approve {description.build_key}")  # fmt: skip
    found = shutil.which(description.program)
    if found is None:
        raise OvrikError(f"{description.title}: the program {description.program} is not there", "Install it")
    return Path(found).resolve()


def version_of(description: Description, program: Path) -> tuple[str, str]:
    """Version as it says itself, and the checksum of the program file; only for an approved one."""
    try:
        done = subprocess.run([str(program), *description.version.arguments], capture_output=True,
                              text=True, errors="replace", timeout=ASK_TIMEOUT_S, check=False,
                              stdin=subprocess.DEVNULL)  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as exc:
        raise OvrikError(f"{description.title} does not say its version ({exc})", "Try it by hand") from None
    found = re.search(description.version.pattern, done.stdout + done.stderr)
    return (found[1] if found and found.groups() else "unknown"), file_sha256(program)
