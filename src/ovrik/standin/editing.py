"""A stand-in for an editing program that nobody can script: it exports for real, in the habits such programs have.

Its own log says when each export began and ended, so that what a watch finds can be held against the truth.
"""

import argparse
import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from dataclasses import replace
from pathlib import Path

from ovrik.standin.habits import HEADER, PIECE, Habit, encoded, export_by, habit_from
from ovrik.standin.progress_window import ProgressWindow
from ovrik.study.contender.contender import STANDIN_PROGRAM

NAME = f"{STANDIN_PROGRAM} (stand-in)"
VERSIONS = {"1.0": ("veryfast", 1.0), "2.0": ("ultrafast", 0.6)}
"""By version: preset of the real encoder, and how long preparations take against the first version."""
PREPARING_S = 1.2
PARTS = 3
SHOWN_S = 8.0
"""So long it takes until its window says that it is nearly done, whatever it is at."""
EditedPiece = Iterator[bytes]


def clip_command(program: Path, source: Path, version: str, seconds: float = 0.0) -> list[str]:
    """The real encoder's command for a clip, or its first seconds. It writes Matroska, which needs no way back, to
    standard output."""
    preset, _pace = VERSIONS[version]
    length = ["-t", f"{seconds:g}"] if seconds else []
    return [
        *(str(program), "-v", "error", "-nostdin", "-i", f"file:{source}", *length, "-an"),
        *(
            "-c:v",
            "libx264",
            "-preset",
            preset,
            "-crf",
            "24",
            "-pix_fmt",
            "yuv420p",
            "-f",
            "matroska",
            "pipe:1",
        ),
    ]


def _write(path: Path, pieces: EditedPiece, mode: str = "wb") -> None:
    with path.open(mode) as out:
        for piece in pieces:
            out.write(piece)
            out.flush()


def direct(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """Straight into the file."""
    _write(path, pieces)


def renamed(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """Into a file of another name, which gets its own at the end."""
    other = path.with_name(f"~{path.stem}.part")
    _write(other, pieces)
    other.replace(path)


def header_last(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """Straight into the file, which is closed, and opened once more to write its header anew."""
    _write(path, pieces)
    time.sleep(0.3)
    with path.open("r+b") as out:
        head = out.read(HEADER)
        out.seek(0)
        out.write(head)


def parts(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """Into a folder of parts that are joined at the end."""
    folder = path.with_name(f"{path.stem} parts")
    folder.mkdir(exist_ok=True)
    whole = b"".join(_into_parts(folder, pieces))
    _write(path, iter([whole[n : n + PIECE] for n in range(0, len(whole), PIECE)]))
    for part in folder.iterdir():
        part.unlink()
    folder.rmdir()


def _into_parts(folder: Path, pieces: EditedPiece) -> Iterator[bytes]:
    for number, piece in enumerate(pieces):
        with (folder / f"part {number % PARTS}.bin").open("ab") as out:
            out.write(piece)
        yield piece


def prepared(path: Path, pieces: EditedPiece, pace: float) -> None:
    """At work for a good while before the first byte is written."""
    until = time.monotonic() + PREPARING_S * pace
    while time.monotonic() < until:
        sum(n * n for n in range(2000))
    _write(path, pieces)


def in_memory(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """All in memory, then written at once."""
    _write(path, iter([b"".join(pieces)]))


def reserved(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """The room is reserved first; the file has its full size from the start."""
    with path.open("wb") as out:
        os.posix_fallocate(out.fileno(), 0, 24 << 20)
        for piece in pieces:
            out.write(piece)
            out.flush()
        out.truncate(out.tell())


def begun_again(path: Path, pieces: EditedPiece, _pace: float) -> None:
    """A first try is deleted at once, and the file made anew."""
    path.write_bytes(b"\0" * HEADER)
    time.sleep(0.1)
    path.unlink()
    _write(path, pieces)


HABITS: dict[str, Callable[[Path, EditedPiece, float], None]] = {
    "direct": direct,
    "renamed": renamed,
    "header last": header_last,
    "parts": parts,
    "prepared": prepared,
    "in memory": in_memory,
    "reserved": reserved,
    "begun again": begun_again,
}
"""What the program does with its file, by name."""


def edited_export(command: Sequence[str], to: Path, version: str, habit: str) -> dict[str, float]:
    """Export once by the real encoder's command; gives when it began and ended on the monotonic clock."""
    began = time.monotonic()
    HABITS[habit](to, encoded(command), VERSIONS[version][1])
    return {"began_s": began, "ended_s": time.monotonic()}


def drawn_exports(
    habit: Habit, files: Sequence[Path], command: Sequence[str]
) -> list[dict[str, float | str | None]]:
    """Export in a habit that was put together at will, one file after another or overlapping; gives lines of the
    log."""
    alone = tuple(command[: command.index("-f", command.index("-pix_fmt"))])

    def one(path: Path) -> dict[str, float | str | None]:
        with ProgressWindow(SHOWN_S) if habit.shows else nullcontext():
            return {"path": str(path), **export_by(habit, path, alone)}

    with ThreadPoolExecutor(len(files)) as pool:
        begun = []
        for path in files:
            begun.append(pool.submit(one, path))
            if habit.overlap:
                time.sleep(habit.overlap)
            else:
                begun[-1].result()
        return [b.result() for b in begun]


def _drawn(
    habit: Habit,
    files: Sequence[Path],
    command: Sequence[str],
    chosen: argparse.Namespace,
    arguments: Sequence[str],
) -> None:
    if chosen.button:
        sys.stdin.readline()
    if habit.launched:
        launched(habit, files, arguments)
        return
    made = drawn_exports(habit, files, command)
    if chosen.pressed:
        made[0]["began_s"] = chosen.pressed
    _log(chosen.log, made)


def launched(habit: Habit, files: Sequence[Path], arguments: Sequence[str]) -> None:
    """Have another process do it, which is no child of this one, and wait for its end."""
    ended, end = os.pipe()
    given = _arguments().parse_args(arguments)
    again = [sys.executable, "-m", "ovrik.standin.editing", "--pressed", str(time.monotonic())]
    again += ["--program", str(given.program), "--source", str(given.source), "--log", str(given.log)]
    again += ["--seconds", str(given.seconds), "--drawn", replace(habit, launched=False).to_json()]
    code = "import os, sys\nos.setsid()\nif os.fork(): os._exit(0)\nos.execv(sys.argv[1], sys.argv[1:])\n"
    here = [sys.executable, "-S", "-c", code, *again, *map(str, files)]
    subprocess.run(here, check=True, pass_fds=(end,))
    os.close(end)
    os.read(ended, 1)  # nobody writes to it: this waits until the other one has ended
    os.close(ended)


def main(arguments: Sequence[str] | None = None) -> int:
    """Export what the arguments say, one file after another, as a queue does; each is a line in the log."""
    chosen = _arguments().parse_args(arguments)
    if chosen.version:
        print(f"{NAME} {chosen.release}")
        return 0
    command = chosen.command or clip_command(chosen.program, chosen.source, chosen.release, chosen.seconds)
    if chosen.drawn:
        given = sys.argv[1:] if arguments is None else arguments
        if chosen.rehearsal:
            once = replace(chosen.drawn, killed=0.0, overlap=0.0)
            _drawn(once, [chosen.rehearsal], command, chosen, given)
        _drawn(chosen.drawn, chosen.files, command, chosen, given)
        return 0
    for path in chosen.files:
        time.sleep(chosen.pause)
        if chosen.button:
            sys.stdin.readline()
        _log(chosen.log, [{"path": str(path), **edited_export(command, path, chosen.release, chosen.habit)}])
    return 0


def _log(to: Path | None, made: Sequence[Mapping[str, object]]) -> None:
    if to is None:
        return
    with to.open("a", encoding="utf-8") as log:
        log.write("".join(json.dumps(line) + "\n" for line in made))


def _arguments() -> argparse.ArgumentParser:
    asked = argparse.ArgumentParser(prog="standin-editing", description=f"{NAME}: exports for real.")
    asked.add_argument("--version", action="store_true", help="print name and version")
    asked.add_argument("--release", choices=VERSIONS, default="1.0", help="which version of it to be")
    asked.add_argument("--program", type=Path, help="the real encoding program")
    asked.add_argument("--source", type=Path, help="the clip to export")
    asked.add_argument(
        "--command", type=json.loads, help="the real encoder's command, as a JSON list, instead"
    )
    asked.add_argument("--habit", choices=HABITS, default="direct", help="what it does with its file")
    asked.add_argument("--drawn", type=habit_from, help="a habit put together at will, as JSON, instead")
    asked.add_argument("--button", action="store_true", help="wait for a line of input before each export")
    asked.add_argument("--rehearsal", type=Path, help="export to this file first, at a button of its own")
    asked.add_argument("--pressed", type=float, default=0.0, help="when it was pressed already")
    asked.add_argument("--seconds", type=float, default=0.0, help="how much to export; 0: all")
    asked.add_argument("--pause", type=float, default=0.0, help="seconds before each export")
    asked.add_argument("--log", type=Path, help="where to write when each began and ended")
    asked.add_argument("files", type=Path, nargs="*", help="files to export to")
    return asked


if __name__ == "__main__":
    raise SystemExit(main())
