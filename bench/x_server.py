"""An X server of our own for what shows windows, without a screen."""

import os
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def x_server() -> Iterator[str]:
    """Its name, which `DISPLAY` is for the length of the block."""
    read, write = os.pipe()
    command = ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"]
    before = os.environ.get("DISPLAY")
    with subprocess.Popen(command, pass_fds=(write,), stderr=subprocess.DEVNULL) as running:
        os.close(write)
        with os.fdopen(read) as said:
            name = f":{said.readline().strip()}"
        os.environ["DISPLAY"] = name
        try:
            yield name
        finally:
            if before is None:
                del os.environ["DISPLAY"]
            else:
                os.environ["DISPLAY"] = before
            running.terminate()
