"""Files that a study carries inside itself when it is sent: outputs and references."""

import hashlib
import os
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.store.schema.file import own_folder
from ovrik.store.tables.study_file import StudyFile, reading_rows
from ovrik.study.files.regular_file import open_regular
from ovrik.study.files.whole_file import writing

PIECE = 8 << 20
"""Bytes of a file in one row: SQLite holds no more than about 10⁹ in one."""
OUTPUT, REFERENCE = "output", "reference"
NAME = re.compile(r"^[\w .,()&+@'-]{1,200}\.(mp4|mov|mkv|webm)$")
"""What a carried file may be called: what it is written as is a file of a study's own folder, whoever sent it."""


@dataclass(frozen=True)
class Carried:
    """Fields: `kind`, "output" or "reference"; `name` that it is written by; `sha256`; `bytes`."""

    kind: str
    name: str
    sha256: str
    bytes: int


class CarriedTable(StudyFile):
    """The table `carried`."""

    @reading_rows("carried files")
    def carried(self) -> list[Carried]:
        """What the study carries."""
        return [
            Carried(r["kind"], r["name"], r["sha256"], r["bytes"])
            for r in self._all("SELECT * FROM carried WHERE piece = 0 ORDER BY id")
        ]

    @property
    def sealed(self) -> bool:
        """Whether it was sent to be read only."""
        return bool(self._row("SELECT max(sealed) FROM study")[0])

    def carry(
        self,
        kind: str,
        path: Path,
        name: str,
        sha256: str = "",
        on_bytes: Callable[[int], None] = lambda _n: None,
    ) -> None:
        """Take a file in, piece by piece, if it has this checksum; "" for any. Raises OvrikError, OSError."""
        if not NAME.fullmatch(name):
            raise OvrikError(f"“{name}” is no name of a film file", "Send the study without it")
        digest, size = hashlib.sha256(), 0
        with open_regular(path) as handle:
            while piece := handle.read(PIECE):
                digest.update(piece)
                size += len(piece)
                on_bytes(len(piece))
            if sha256 and digest.hexdigest() != sha256:
                raise OvrikError(
                    f"{path} is not what its run wrote any more", "Send the study without outputs"
                )
            handle.seek(0)
            with self._change() as db:
                number = 0
                while piece := handle.read(PIECE):
                    db.execute(
                        "INSERT INTO carried (kind, name, sha256, bytes, piece, data) VALUES (?,?,?,?,?,?)",
                        (kind, name, digest.hexdigest(), size, number, piece),
                    )
                    number += 1
                    on_bytes(len(piece))

    def put_down(self, one: Carried, folder: Path, should_stop: Ask = lambda: False) -> Path:
        """Write a carried file into a folder, whole or not at all; one that is there already stays. Raises OvrikError
        when its name or its contents are not what they should be, Stopped on request."""
        if not NAME.fullmatch(one.name):
            raise OvrikError(f"“{one.name}” is no name of a film file", "It is not written")
        into, digest = folder / one.name, hashlib.sha256()
        pieces = self._all(
            "SELECT id FROM carried WHERE name = ? AND kind = ? ORDER BY piece", (one.name, one.kind)
        )
        try:
            own_folder(folder)
            if os.path.lexists(into):
                return into
            with writing(into) as handle:
                for row in pieces:
                    if should_stop():
                        raise Stopped
                    data = self._all("SELECT data FROM carried WHERE id = ?", (row["id"],))[0]["data"]
                    digest.update(data)
                    handle.write(data)
                if digest.hexdigest() != one.sha256:
                    raise OvrikError(f"{one.name} is damaged in the study", "Ask for it to be sent again")
        except OSError as exc:
            raise OvrikError(
                f"{folder} can't be written ({exc.strerror})", "Check permissions and free space"
            ) from None
        return into
