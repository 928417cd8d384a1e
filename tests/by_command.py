"""The command line within this process: the same work, without what Python and its libraries take to load."""

import os
import signal
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass
from io import StringIO
from pathlib import Path

from ovrik.cli import main

HEARD = (signal.SIGINT, signal.SIGTERM, signal.SIGQUIT)


@dataclass(frozen=True)
class Said:
    """How a command ended. Fields: `returncode`; `stdout`, `stderr`."""

    returncode: int
    stdout: str
    stderr: str


def ovrik(*arguments: object, folder: Path | None = None) -> Said:
    """`ovrik ARGUMENTS`, within a folder if one is given."""
    out, err = StringIO(), StringIO()
    before, here = {number: signal.getsignal(number) for number in HEARD}, Path.cwd()
    try:
        os.chdir(folder or here)
        with redirect_stdout(out), redirect_stderr(err):
            try:
                code = main(list(map(str, arguments)))
            except SystemExit as exc:  # the parser's, of options that it does not know
                code = int(exc.code or 0)
    finally:
        os.chdir(here)
        for number, handler in before.items():
            signal.signal(number, handler)
    return Said(code, out.getvalue(), err.getvalue())
