"""Each reader for a while, with changed ones of what it reads; and how much of it they reached."""

import ast
import os
import shutil
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import coverage
import numpy as np

import ovrik
from bench.deep.readers import READERS, Reader
from bench.deep.sound import Sound, sound
from bench.deep.watch import Watch
from bench.hostile.case import SECRET
from bench.seed import drawn
from bench.subject import work_folder
from ovrik.machine.builds.build import locate

HOMES = {
    "HOME": "",
    "XDG_DATA_HOME": "data",
    "XDG_CACHE_HOME": "cache",
    "XDG_CONFIG_HOME": "config",
    "TMPDIR": "tmp",
}
KEPT = Path(tempfile.gettempdir()) / "ovrik-deep"
"""Where what broke something is kept, to be looked at."""
ROOT = Path(ovrik.__file__).parent


@dataclass
class Found:
    """What came of a reader. Fields: `tried` files; `whole`, those that were read to their end; `broken`, what must
    not have happened; `lines`, the share of the reader's that were reached."""

    tried: int = 0
    whole: int = 0
    broken: list[str] = field(default_factory=list)
    lines: float = 0.0


def fuzzed(names: list[str], seconds: float) -> dict[str, Found]:
    """So many seconds for each reader; what is broken is said at once."""
    own = work_folder() / "deep"
    for name, inner in HOMES.items():
        place = own / inner
        place.mkdir(parents=True, exist_ok=True)
        os.environ[name] = str(place)
    tempfile.tempdir = None
    watch = Watch(own, (sys.executable, str(locate("bundled"))))
    made = sound(own)
    out = {}
    for name in names:
        out[name] = _one(READERS[name], seconds, made, watch)
        found = out[name]
        print(
            f"{name}: {found.tried} tried, {found.whole} read to the end, {100 * found.lines:.0f} % of the lines, "
            f"{len(found.broken)} broken",
            flush=True,
        )
    return out


def _one(reader: Reader, seconds: float, made: Sound, watch: Watch) -> Found:
    found, chance = Found(), drawn(f"deep {reader.name}")
    counting = coverage.Coverage(data_file=None, include=[f"{ROOT}/{m}*" for m in reader.modules])
    counting.start()
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        folder = watch.own / "now"
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
        (folder / "clip.mkv").symlink_to(made.clip)
        _try(reader, folder, made, watch, chance, found)
    counting.stop()
    found.lines = _share(counting, reader)
    return found


def _try(
    reader: Reader, folder: Path, made: Sound, watch: Watch, chance: np.random.Generator, found: Found
) -> None:
    number = found.tried
    found.tried += 1
    codes = []
    for command in reader.lay(made, folder, chance):
        code, said = watch.given(command)
        codes.append(code)
        wrong = [
            *watch.wrong,
            *(["hangs"] if code is None else []),
            *(["a traceback"] if _broke(said) else []),
            *(["a control character"] if "\x1b" in said else []),
        ]
        watch.wrong.clear()
        if wrong:
            what = command[0] if isinstance(command, list) else "reading"
            kept = KEPT / f"{reader.name} {number}"
            if not kept.exists():
                shutil.copytree(folder, kept, symlinks=True)
            found.broken.append(f"{reader.name} {number}: {what}: {'; '.join(wrong)}")
            print(found.broken[-1], said[-1500:], kept, flush=True)
    found.whole += bool(codes) and all(code in (0, 1) for code in codes)
    for path in folder.rglob("*"):
        if path.is_file() and not path.is_symlink() and SECRET[:500] in path.read_bytes():
            found.broken.append(f"{reader.name} {number}: a private film went into {path.name}")
            print(found.broken[-1], flush=True)
    if (watch.own / "private" / "ran").exists():
        (watch.own / "private" / "ran").unlink()
        found.broken.append(f"{reader.name} {number}: ran a program that nobody approved")


def _broke(said: str) -> bool:
    """Whether Ovrik itself did: what counts lines trips Python's own compiler up now and then."""
    return ("Traceback" in said or "error in Ovrik itself" in said) and "AST constructor" not in said


def _share(counting: coverage.Coverage, reader: Reader) -> float:
    """Of the lines within functions: what stands outside of them ran when it was imported."""
    reached = lines = 0
    for path in sorted(ROOT.rglob("*.py")):
        if not str(path.relative_to(ROOT)).startswith(reader.modules):
            continue
        _name, there, _left_out, missing, _text = counting.analysis2(str(path))
        inner = _within_functions(path)
        lines, reached = lines + len(inner & {*there}), reached + len(inner & {*there} - {*missing})
    return reached / max(lines, 1)


def _within_functions(path: Path) -> set[int]:
    made = [n for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.FunctionDef)]
    return {line for f in made for line in range(f.body[0].lineno, (f.end_lineno or 0) + 1)}


if __name__ == "__main__":
    fuzzed(sys.argv[2:] or list(READERS), float(sys.argv[1]) if len(sys.argv) > 1 else 600)
