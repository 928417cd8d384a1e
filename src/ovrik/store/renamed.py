"""A study's file under another name, with its folder of outputs."""

import os
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.store.schema.file import outputs_folder


def renamed(path: Path, name: str) -> Path:
    """Give a study that nobody has open another name in its folder; gives where it is then. Its outputs go with it.
    Raises OvrikError, with everything as it was."""
    stem = name.strip().removesuffix(".ovrik")
    if not stem or stem.startswith(".") or "/" in stem or not stem.isprintable():
        raise OvrikError(
            f'A study can\'t be called "{name}"', "Give it a name of letters and digits, without /"
        )
    to = path.with_name(f"{stem}.ovrik")
    if to == path:
        return path
    pairs = [(path, to)]
    if os.path.lexists(outputs_folder(path)):
        pairs.append((outputs_folder(path), outputs_folder(to)))
    for _old, new in pairs:
        if os.path.lexists(new):
            raise OvrikError(f"{new} is there already", "Choose another name")
    beside = [path.with_name(path.name + tail) for tail in ("-wal", "-journal")]
    if any(os.path.lexists(p) for p in beside):
        raise OvrikError(
            f"{path} is in use, or was not closed properly", "Open and close it once, then rename it"
        )
    done = []
    try:
        for old, new in pairs:
            old.rename(new)
            done.append((old, new))
    except OSError as exc:
        for old, new in reversed(done):
            new.rename(old)
        raise OvrikError(
            f"{path} can't be renamed ({exc.strerror})", f"Check whether {path.parent} can be written"
        ) from None
    return to
