"""One attempt: a folder is laid out, a command is given, and what was not to be touched is looked at after it."""

import contextlib
import hashlib
import io
import multiprocessing
import os
import stat
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

SECONDS = 20.0
"""No command that is refused, or looks at a tiny study, takes so long."""
PRIVATE, KEPT = "private", "kept"
"""Folders that nothing is written to; and, of what lies in the second, nothing is read into what is passed on."""
ONE_LINE = (0, 1, 2)
"""Done, done in part, or refused in one line."""
SECRET = b"a film that is nobody else's business " * 64


@dataclass(frozen=True)
class Place:
    """Where a case happens. Fields: `folder`, a stranger's, with `study` in it and its outputs beside it; `private`,
    the user's own files."""

    folder: Path
    study: Path
    private: Path

    @property
    def outputs(self) -> Path:
        """The folder that goes with the study."""
        return self.study.with_name(f"{self.study.stem} outputs")

    @property
    def film(self) -> Path:
        """A private film."""
        return self.private / "film.mkv"


@dataclass(frozen=True)
class Case:
    """Fields: `promise` that is tried, a line of docs/trust.md in few words; `name`; `lay`, what the stranger does to
    the folder; `say`, the command; `also`, what else must hold afterwards: says what does not, or ""; `codes` that
    it may end with, none for any; `says`, what it must say."""

    promise: str
    name: str
    lay: Callable[[Place], object]
    say: Callable[[Place], list[str]]
    also: Callable[[Place], str] = lambda _place: ""
    codes: tuple[int, ...] = ()
    says: str = ""


def on_study(command: str, place: Place) -> list[str]:
    """A command that looks at the study."""
    return [command, str(place.study)]


def tried(case: Case, place: Place) -> str:
    """What came of it that must not have, "" for nothing."""
    case.lay(place)
    before, argv = _state(place.private), case.say(place)
    code, said, took = _apart(argv)
    if code is None:
        return f"hangs: {argv[0]}"
    wrong = [
        *_changes(before, _state(place.private)),
        *(["a traceback"] if "Traceback" in said or "error in Ovrik itself" in said else []),
        *([f"ended with {code}: {said[-200:]}"] if case.codes and code not in case.codes else []),
        *([f"takes {took:.0f} s"] if took > SECONDS else []),
        *([f"does not say “{case.says}”"] if case.says not in said else []),
    ]
    also = case.also(place)
    return "; ".join([*wrong, *([also] if also else [])])


def _apart(argv: list[str]) -> tuple[int | None, str, float]:
    """Exit code, None where it had to be killed; all that it said; and seconds; in a process of its own."""
    forked = multiprocessing.get_context("fork")
    here, there = forked.Pipe(False)
    process, began = forked.Process(target=_run, args=(argv, there), daemon=True), time.monotonic()
    process.start()
    there.close()
    found = here.recv() if here.poll(SECONDS + 10) else (None, "")
    process.kill()
    process.join()
    return (*found, time.monotonic() - began)


def _run(argv: list[str], there: "multiprocessing.connection.Connection") -> None:
    from ovrik.cli import main

    said = io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
        try:
            code = main(argv)
        except SystemExit as exc:
            code = int(exc.code or 0) if isinstance(exc.code, int | None) else 1
        except BaseException as exc:
            code = 99
            said.write(f"Traceback {exc!r}")
    there.send((code, said.getvalue()))


def _state(folder: Path) -> dict[str, tuple[int, str]]:
    """Kind and contents of all there is in it, links not followed."""
    return {str(p.relative_to(folder)): (p.lstat().st_mode, _sum(p)) for p in _every(folder)}


def _every(folder: Path) -> Iterator[Path]:
    for place, folders, names in os.walk(folder):
        yield from (Path(place) / name for name in (*folders, *names))


def _sum(path: Path) -> str:
    if stat.S_ISREG(path.lstat().st_mode):
        return hashlib.sha256(path.read_bytes()).hexdigest()
    return os.readlink(path) if path.is_symlink() else ""


def _changes(before: dict[str, tuple[int, str]], after: dict[str, tuple[int, str]]) -> list[str]:
    gone, new = sorted(before.keys() - after.keys()), sorted(after.keys() - before.keys())
    other = [name for name in before.keys() & after.keys() if before[name] != after[name]]
    return [
        *(f"private {name} is gone" for name in gone),
        *(f"{name} was written among private files" for name in new),
        *(f"private {name} was changed" for name in other),
    ]
