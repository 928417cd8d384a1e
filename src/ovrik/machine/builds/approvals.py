"""What the user has allowed to run: for each claim the exact program file and what it is given."""

import hashlib
import json
import os
import shlex
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from ovrik.study.files.checksum import sha256_now
from ovrik.study.files.kept import change_json, data_folder, read_json
from ovrik.study.files.text_file import visible

BUILD, PROGRAM, OPTIONS = "build", "program", "options"
MOST_BYTES = 1 << 20


@dataclass(frozen=True)
class Claim:
    """Something that would be run, and needs the user's word.

    Fields: `kind`, "build" (an encoding program, given what Ovrik puts together), "program" (a described one) or
    "options" (of an encoder, not known to be harmless); `title` as its author has it; `program`, the absolute path of
    its file; `sha256` of that file; `commands`, the argument lists it would get, complete but for names of files.
    """

    kind: str
    title: str
    program: str
    sha256: str
    commands: tuple[tuple[str, ...], ...]

    @property
    def key(self) -> str:
        """Names exactly this program file with exactly these arguments."""
        said = json.dumps([self.kind, self.program, self.sha256, [list(c) for c in self.commands]])
        return hashlib.sha256(said.encode("utf-8", "surrogateescape")).hexdigest()

    def shown(self) -> str:
        """What a person must see before allowing it: program, checksum, and each command, quoted, with what can't be
        printed made visible."""
        lines = [f"{visible(self.program)}", f"SHA-256 {self.sha256}"]
        return "\n".join([*lines, *(f"  {quoted(c)}" for c in self.commands)])


def quoted(command: Sequence[str]) -> str:
    """An argument list as one line, each argument quoted where it needs it."""
    return " ".join(visible(shlex.quote(word)) for word in command)


BUILD_COMMANDS = (("-version",), ("-encoders",), ("-filters",), ("-h", "full"), ("…",))
"""What a build is asked, and that it is given exports that Ovrik puts together."""


def build_claim(path: Path) -> Claim:
    """The claim of an encoding program that was named by its path."""
    place = Path(os.path.abspath(path))
    return Claim(
        BUILD,
        place.name,
        str(place),
        sha256_now(place),
        tuple((str(place), "-hide_banner", *words) for words in BUILD_COMMANDS),
    )


def _file() -> Path:
    return data_folder("approvals", "approvals.json")


def _rows(found: object) -> list[dict[str, object]]:
    return [row for row in found if isinstance(row, dict)] if isinstance(found, list) else []


def _listed() -> list[dict[str, object]]:
    return _rows(read_json(_file(), MOST_BYTES))


def approved(claim: Claim) -> bool:
    """Whether the user has allowed exactly this."""
    return any(row.get("key") == claim.key for row in _listed())


def approve(claim: Claim) -> None:
    """The user has seen it and wants it to run."""
    made = {"key": claim.key, **asdict(claim)}
    _change(lambda rows: [*(row for row in rows if row.get("key") != claim.key), made])


def withdraw(program: str) -> None:
    """Forget every approval of a program file."""
    _change(lambda rows: [row for row in rows if row.get("program") != program])


def _change(change: Callable[[list[dict[str, object]]], list[dict[str, object]]]) -> None:
    change_json(_file(), lambda found: change(_rows(found)), MOST_BYTES)
