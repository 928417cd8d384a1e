"""Exports that are played instead of made: who is timed, how often and in which order needs no encoder's work, and a
time that is drawn from a seed is the same on every machine."""

import random
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ovrik.errors import Ask
from ovrik.export.run.process import Usage
from ovrik.export.run.progress import Progress
from ovrik.export.run.timed import PassTimes, RunResult

_made: dict[tuple[str, ...], Path] = {}


@dataclass
class Played:
    """Fields: `seconds` of an export by what its last command holds (the first word that fits), `usual` where none
    does; `spread` of them, as a share; `order`, last commands in the order in which they were played."""

    seconds: dict[str, float] = field(default_factory=dict)
    usual: float = 2.0
    spread: float = 0.005
    seed: int = 1
    order: list[Sequence[str]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def time(self, command: Sequence[str]) -> float:
        """What this run takes."""
        mean = next((s for word, s in self.seconds.items() if word in command), self.usual)
        return mean * self._random.lognormvariate(0.0, self.spread)

    def run(
        self,
        commands: Sequence[Sequence[str]],
        partial: Path,
        output: Path,
        on_progress: Callable[[Progress], None] = lambda _p: None,
        should_stop: Ask = lambda: False,
        **_given: Any,
    ) -> RunResult:
        """In place of `timed_run`: the output is the one that the real commands make, made once for all tests."""
        self.order.append(commands[-1])
        if should_stop():
            return RunResult("stopped", "stopped on request", _usage(0.1))
        shutil.copyfile(_output(commands, partial), output)
        took = self.time(commands[-1])
        on_progress(Progress(took, 30, 30 / took, 1000, True))
        return RunResult(
            state="done",
            reason="",
            usage=_usage(took),
            passes=(PassTimes(took, 0.1 * took, 0.95 * took),),
            frames=30,
            output_bytes=output.stat().st_size,
        )


def _usage(wall_s: float) -> Usage:
    return Usage(
        wall_s=wall_s,
        user_s=wall_s,
        system_s=0.0,
        peak_bytes=10**8,
        read_bytes=0,
        written_bytes=0,
        exit_code=0,
        log=(),
        stopped=False,
        stalled=False,
        own_cpu_s=0.0,
    )


def _output(commands: Sequence[Sequence[str]], partial: Path) -> Path:
    """What these commands make, whatever the file is called."""
    key = tuple(word for word in commands[-1] if str(partial) not in word)
    if key not in _made:
        partial.unlink(missing_ok=True)
        for command in commands:
            subprocess.run(list(command), check=True, capture_output=True, stdin=subprocess.DEVNULL)
        kept = Path(tempfile.mkdtemp(prefix="ovrik-played-")) / partial.name
        shutil.move(partial, kept)
        _made[key] = kept
    return _made[key]
