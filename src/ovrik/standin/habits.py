"""Habits of exporting programs put together at will: what comes before the first byte, how the file comes about, and
how it ends. The stand-in program plays any of them, and says when the button was pressed and when it was done."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

PIECE = 1 << 16
HEADER = 512
COMPUTES, WAITS, SERVICE = "computes", "waits", "in a service"
IN_PLACE, OTHER_NAME, PARTS, ELSEWHERE, MEMORY = "in place", "other name", "parts", "elsewhere", "memory"
PLACES = (IN_PLACE, OTHER_NAME, PARTS, ELSEWHERE, MEMORY)
CONTAINERS = {
    "mkv": ("-f", "matroska"),
    "ts": ("-f", "mpegts"),
    "avi": ("-f", "avi"),
    "mp4": ("-f", "mp4", "-movflags", "frag_keyframe+empty_moov"),
}
"""By ending: what the real encoder is told, so that it needs no way back."""


@dataclass(frozen=True)
class Habit:
    """Fields: `before` the first byte, pairs of what it does, one of the words above, and for how many seconds;
    `place` where it writes; `reserved`, whether the room is reserved first; `bursts` in which it writes, closed
    between, and the `gap` between them in seconds; `late`, seconds after which the file is opened once more to write
    its header, 0 for never; `again`, whether a first try is deleted and begun anew; `killed`, the share of the bytes
    after which it is, 0 for never; `ending` of the file; `launched`, whether another program does it all, which is
    started by the one with the button and is no child of it; `shows`, whether a window's title says how far it has
    come; `overlap`, seconds after which the next export begins while this one goes on, 0 for one after another."""

    before: tuple[tuple[str, float], ...] = ()
    place: str = IN_PLACE
    reserved: bool = False
    bursts: int = 1
    gap: float = 0.0
    late: float = 0.0
    again: bool = False
    killed: float = 0.0
    ending: str = "mkv"
    launched: bool = False
    shows: bool = False
    overlap: float = 0.0

    def to_json(self) -> str:
        """As the stand-in program takes it."""
        return json.dumps(asdict(self))


def habit_from(text: str) -> Habit:
    """The inverse of `to_json`. Raises ValueError."""
    said = json.loads(text)
    said["before"] = tuple((str(what), float(seconds)) for what, seconds in said["before"])
    return Habit(**said)


def drawn_habit(draw: np.random.Generator) -> Habit:
    """Any of them, by chance."""
    before = tuple(_before(draw) for _n in range(int(draw.choice([0, 0, 1, 1, 2, 3]))))
    place = str(draw.choice(PLACES))
    bursts = int(draw.integers(2, 4)) if place == IN_PLACE and draw.random() < 0.25 else 1
    killed = round(float(draw.uniform(0.2, 0.9)), 2) if place != MEMORY and draw.random() < 0.12 else 0.0
    return Habit(
        before=before,
        place=place,
        reserved=bool(place == IN_PLACE and bursts == 1 and draw.random() < 0.2),
        bursts=bursts,
        gap=round(float(draw.uniform(0.5, 3.5)), 2) if bursts > 1 else 0.0,
        late=round(float(draw.uniform(0.3, 4.0)), 2) if not killed and draw.random() < 0.2 else 0.0,
        again=bool(place == IN_PLACE and bursts == 1 and draw.random() < 0.15),
        killed=killed,
        ending=str(draw.choice(list(CONTAINERS))),
        launched=bool(draw.random() < 0.15),
        shows=bool(draw.random() < 0.25),
        overlap=round(float(draw.uniform(0.2, 2.0)), 2) if not killed and draw.random() < 0.12 else 0.0,
    )


def _before(draw: np.random.Generator) -> tuple[str, float]:
    what = str(draw.choice([COMPUTES, COMPUTES, WAITS, SERVICE]))
    longer = what == SERVICE and draw.random() < 0.3  # than anybody who waits would think of
    return what, round(float(draw.uniform(5.0, 9.0) if longer else draw.uniform(0.2, 2.5)), 2)


def export_by(habit: Habit, path: Path, command: Sequence[str]) -> dict[str, float | None]:
    """Export once; gives when the button was pressed and when it was done, on the monotonic clock, the latter None of
    one that was killed."""
    began = time.monotonic()
    for what, seconds in habit.before:
        _DOES[what](seconds)
    pieces = encoded([*command, *CONTAINERS[habit.ending], "pipe:1"])
    if habit.again:
        path.write_bytes(b"\0" * HEADER)
        time.sleep(0.1)
        path.unlink()
    if habit.killed:
        _killed(habit, path, list(pieces))
        return {"began_s": began, "ended_s": None}
    _WRITES[habit.place](habit, path, pieces)
    if habit.late:
        time.sleep(habit.late)
        with path.open("r+b") as out:
            head = out.read(HEADER)
            out.seek(0)
            out.write(head)
    return {"began_s": began, "ended_s": time.monotonic()}


def encoded(command: Sequence[str]) -> Iterator[bytes]:
    """The export's bytes as the real encoder makes them."""
    with subprocess.Popen(command, stdout=subprocess.PIPE) as running:
        assert running.stdout is not None
        while piece := os.read(running.stdout.fileno(), PIECE):
            yield piece
    if running.returncode:
        raise SystemExit(running.returncode)


def _compute(seconds: float) -> None:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        sum(n * n for n in range(2000))


def _in_service(seconds: float) -> None:
    """Somebody else's process works, which is no child of the program."""
    code = (
        "import os, sys, time\n"
        "os.setsid()\n"
        "if os.fork(): os._exit(0)\n"
        f"until = time.monotonic() + {seconds}\n"
        "while time.monotonic() < until: sum(n * n for n in range(2000))\n"
    )
    subprocess.run([sys.executable, "-S", "-c", code], check=True)
    time.sleep(seconds)


_DOES = {COMPUTES: _compute, WAITS: time.sleep, SERVICE: _in_service}


def _written(path: Path, pieces: Iterator[bytes], reserved: bool = False) -> None:
    with path.open("wb") as out:
        if reserved:
            os.posix_fallocate(out.fileno(), 0, 24 << 20)
        for piece in pieces:
            out.write(piece)
            out.flush()
        if reserved:
            out.truncate(out.tell())


def _in_place(habit: Habit, path: Path, pieces: Iterator[bytes]) -> None:
    if habit.bursts == 1:
        _written(path, pieces, habit.reserved)
        return
    every = b"".join(pieces)
    size = len(every) // habit.bursts + 1
    for number in range(habit.bursts):
        if number:
            time.sleep(habit.gap)
        with path.open("ab" if number else "wb") as out:
            out.write(every[number * size : (number + 1) * size])


def _other_name(_habit: Habit, path: Path, pieces: Iterator[bytes]) -> None:
    other = path.with_name(f"~{path.stem}.part")
    _written(other, pieces)
    other.replace(path)


def _in_parts(_habit: Habit, path: Path, pieces: Iterator[bytes]) -> None:
    folder = path.with_name(f"{path.stem} parts")
    folder.mkdir()
    whole = bytearray()
    for number, piece in enumerate(pieces):
        with (folder / f"part {number % 3}.bin").open("ab") as out:
            out.write(piece)
        whole += piece
    _written(path, iter([bytes(whole[n : n + PIECE]) for n in range(0, len(whole), PIECE)]))
    for part in folder.iterdir():
        part.unlink()
    folder.rmdir()


def _elsewhere(_habit: Habit, path: Path, pieces: Iterator[bytes]) -> None:
    other = path.parent.with_name("made elsewhere")
    other.mkdir(exist_ok=True)
    _written(other / path.name, pieces)
    (other / path.name).replace(path)


def _in_memory(_habit: Habit, path: Path, pieces: Iterator[bytes]) -> None:
    _written(path, iter([b"".join(pieces)]))


_WRITES = {
    IN_PLACE: _in_place,
    OTHER_NAME: _other_name,
    PARTS: _in_parts,
    ELSEWHERE: _elsewhere,
    MEMORY: _in_memory,
}


def _killed(habit: Habit, path: Path, pieces: list[bytes]) -> None:
    """It ends in the middle, in the file itself or in one of another name."""
    every = b"".join(pieces)
    place = path.with_name(f"~{path.stem}.part") if habit.place == OTHER_NAME else path
    place.write_bytes(every[: int(habit.killed * len(every))])
