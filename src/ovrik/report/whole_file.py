"""Files that are written at once or not at all."""

import contextlib
from pathlib import Path

from ovrik.errors import OvrikError


def write_whole(path: Path, contents: bytes) -> int:
    """Put these bytes in place of what was there; gives how many. A file that can't be written stays as it was.
    Raises OvrikError."""
    if path.is_dir():
        raise OvrikError(f"{path} is a folder", "Name a file")
    making = path.with_name(f".{path.name[:200]}.new")
    try:
        making.write_bytes(contents)
        making.replace(path)
    except OSError as exc:
        raise OvrikError(
            f"{path} can't be written ({exc.strerror})", "Check the folder and free space, or choose another"
        ) from None
    finally:
        with contextlib.suppress(OSError):
            making.unlink(missing_ok=True)
    return len(contents)
