"""What is read is a regular file: no folder, no device, no pipe."""

import errno
import os
import stat
from io import BufferedReader, FileIO
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


def open_regular(path: Path) -> BufferedReader:
    """Open it to read, which never waits and never is a device, whatever has taken its place since it was looked at.
    Raises OSError."""
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        os.close(handle)
        raise OSError(errno.EINVAL, "no regular file")
    return BufferedReader(FileIO(handle))
