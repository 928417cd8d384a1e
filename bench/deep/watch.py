"""A command given in this process, and what it must not do meanwhile."""

import contextlib
import io
import os
import signal
import sys
import traceback
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.standin.profile import ProfileError
from ovrik.study.files.text_file import visible

LONGEST_S = 20
WRITES = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
CHANGES = frozenset(
    (
        "os.remove",
        "os.rename",
        "os.rmdir",
        "os.mkdir",
        "os.link",
        "os.symlink",
        "os.truncate",
        "os.chmod",
        "shutil.rmtree",
    )
)
HARMLESS = ("/dev/", "/proc/")


class TooLong(BaseException):
    """It hangs: nothing catches this but the watch."""


@dataclass
class Watch:
    """What goes on while a command is given. Fields: `own`, the folder that may be written in; `approved`, programs
    that may be run; `wrong`, what was done that must not be."""

    own: Path
    approved: tuple[str, ...]
    wrong: list[str] = field(default_factory=list)
    on: bool = False

    def __post_init__(self) -> None:
        sys.addaudithook(self._hear)

    def _hear(self, event: str, given: tuple[Any, ...]) -> None:
        if not self.on:
            return
        if (
            event == "open"
            and isinstance(given[0], str | bytes | os.PathLike)
            and int(given[2] or 0) & WRITES
        ):
            self._writes(event, given[0])
        elif event in CHANGES:
            for path in given[:2]:
                if isinstance(path, str | bytes | os.PathLike):
                    self._writes(event, path)
        elif event == "subprocess.Popen" and os.fspath(given[0] or given[1][0]) not in self.approved:
            self.wrong.append(f"runs {given[0]}")
        elif event == "socket.connect":
            self.wrong.append(f"connects to {given[1]}")

    def _writes(self, event: str, path: Any) -> None:
        # A name within a folder that is open is told by the folder's own opening.
        place = os.fsdecode(path)
        if os.path.isabs(place) and not place.startswith((f"{self.own}/", *HARMLESS)):
            self.wrong.append(f"{event} of {place}")

    def given(self, what: "list[str] | Callable[[], object]") -> tuple[int | None, str]:
        """The exit code of a command, None of one that hangs, and all that it said."""
        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out), self._watching():
            try:
                return (main(what) if isinstance(what, list) else _read(what)), out.getvalue()
            except TooLong:
                return None, out.getvalue()
            except SystemExit as exc:
                return int(exc.code or 0), out.getvalue()

    @contextlib.contextmanager
    def _watching(self) -> Iterator[None]:
        def late(_number: int, _frame: object) -> None:
            raise TooLong

        old = signal.signal(signal.SIGALRM, late)
        signal.setitimer(signal.ITIMER_REAL, LONGEST_S)
        self.on = True
        try:
            yield
        finally:
            self.on = False
            signal.setitimer(signal.ITIMER_REAL, 0)
            signal.signal(signal.SIGALRM, old)


def _read(what: Callable[[], object]) -> int:
    try:
        what()
    except (OvrikError, ProfileError) as exc:
        print(visible(str(exc))[:4000])
        return 2
    except Exception:
        print(traceback.format_exc())
        return 1
    return 0
