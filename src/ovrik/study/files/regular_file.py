"""What is read is a regular file: no folder, no device, no pipe."""

import stat
from pathlib import Path

from ovrik.errors import OvrikError


def regular(path: Path) -> Path:
    """The same path, if a regular file is there. Raises OvrikError; never opens what is not one."""
    try:
        mode = path.stat().st_mode
    except FileNotFoundError:
        raise OvrikError(f"{path} is not there", "Check the name, or whether its drive is mounted") from None
    except (OSError, ValueError) as exc:
        raise OvrikError(
            f"{path} can't be looked at ({getattr(exc, 'strerror', None) or exc})",
            "Check its name and permissions",
        ) from None
    if stat.S_ISDIR(mode):
        raise OvrikError(f"{path} is a folder", "Choose the clip's file inside it")
    if not stat.S_ISREG(mode):
        raise OvrikError(f"{path} is no regular file", "Choose a clip's file on a drive of this machine")
    return path
