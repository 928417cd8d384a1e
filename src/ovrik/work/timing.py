"""Time what is still to be timed, one run after another, each kept as it ends."""

import json
import statistics
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.export.command import export_command
from ovrik.export.order import Turn, turns
from ovrik.export.progress import PatternReader, Progress, Reader
from ovrik.export.run import RunResult, timed_run
from ovrik.machine.builds import Build
from ovrik.machine.described import description_of
from ovrik.store.study import Study
from ovrik.study.checksum import file_sha256
from ovrik.study.contender import Contender, output_name
from ovrik.study.described import KEY as DESCRIBED_KEY
from ovrik.study.probe import probe
from ovrik.work.evidence import counted
from ovrik.work.fingerprint import fingerprint
from ovrik.work.lineup import builds_for, checked


@dataclass(frozen=True)
class Moment:
    """What is going on. Fields: `turn` and its `number` of `total`; `label`; `progress` of the run
    now, None between runs; `frames` to be written; `left_s`, seconds for all that is left, None
    while unknown; `ended`, the state of a run that has just ended, or "", and its `reason`."""

    turn: Turn
    number: int
    total: int
    label: str
    progress: Progress | None
    frames: int
    left_s: float | None
    ended: str = ""
    reason: str = ""


Watcher = Callable[[Moment], None]


def remaining(study: Study, contenders: Sequence[int], rounds: int) -> list[Turn]:
    """Runs still missing so that each contender has `rounds` counted ones, with warm-up."""
    facts = study.facts()
    done = {(r.contender_id, r.round) for r in counted(study)}
    return turns(contenders, range(1, rounds + 1), facts.warmup, facts.seed, frozenset(done))


def further(study: Study, contenders: Sequence[int], rounds: int) -> list[Turn]:
    """Runs for `rounds` more rounds, numbered after all that were made, with warm-up."""
    facts = study.facts()
    last = max((r.round for r in study.runs()), default=0)
    return turns(contenders, range(last + 1, last + rounds + 1), facts.warmup, facts.seed)


def time_all(
    study: Study,
    todo: Iterable[Turn],
    watch: Watcher = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> bool:
    """Make these runs in this order; True when all of them ended well.

    A contender that fails is not tried again in the same call; the others go on. Raises OvrikError
    when another process is timing this study, or its footage is not there or not the same.
    """
    if not study.hold.take():
        raise OvrikError(f"{study.path} is being timed by another Ovrik", "Wait until it has ended")
    try:
        study.hold.release()
        study.close_interrupted()
        if not study.hold.take():
            raise OvrikError(f"{study.path} is being timed by another Ovrik", "Wait for it")
        return _Course(study, list(todo), watch, should_stop).go()
    finally:
        study.hold.release()


class _Course:
    def __init__(self, study: Study, todo: list[Turn], watch: Watcher,
                 should_stop: Callable[[], bool]) -> None:  # fmt: skip
        self.study, self.todo, self.watch, self.should_stop = study, todo, watch, should_stop
        self.contenders = {c.id: c for c in study.contenders()}
        self.builds = builds_for(self.contenders.values())
        self.footage = study.footage()
        self.excerpt = study.facts().excerpt
        self.machine = fingerprint(study).to_json()
        self.took: dict[int, list[float]] = {}
        for run in counted(study):
            self.took.setdefault(run.contender_id, []).append(run.wall_s or 0.0)

    def go(self) -> bool:
        self._check_footage()
        barred = {e.contender.id: e.reason
                  for e in checked(self.contenders.values(), self.builds,
                                   self.excerpt.frames == self.footage.frames) if e.reason}  # fmt: skip
        well = not any(t.contender in barred for t in self.todo)
        for number, turn in enumerate(self.todo, 1):
            if self.should_stop():
                return False
            if turn.contender in barred or turn.contender not in self.contenders:
                continue
            result = self._run(turn, number)
            if result.state == "failed":
                barred[turn.contender] = result.reason
                well = False
            if result.state == "stopped":
                return False
        return well

    def _check_footage(self) -> None:
        there = probe(Path(self.footage.path))
        if there.checksum != self.footage.checksum:
            raise OvrikError(f"{self.footage.path} has changed since the study was made",
                             "Put the old file back, or choose the footage again")  # fmt: skip

    def _run(self, turn: Turn, number: int) -> RunResult:
        contender = self.contenders[turn.contender]
        build = self.builds[contender.build]
        folder = self.study.outputs
        folder.mkdir(parents=True, exist_ok=True)
        output = folder / output_name(contender)
        partial = folder / f"partial {output.name}"
        argv, reader = self._command(contender, build, partial)
        run_id = self.study.begin_run(
            contender.id, build.to_json(), self.machine, self.footage, self.excerpt, turn.round,
            turn.warmup, argv, output.name,
        )  # fmt: skip
        self._say(turn, number, contender, None)
        result = timed_run(argv, partial, output, lambda p: self._say(turn, number, contender, p),
                           self.should_stop, reader=reader)  # fmt: skip
        self.study.end_run(run_id, run_values(result, output))
        if result.state == "done" and result.usage:
            self.took.setdefault(turn.contender, []).append(result.usage.wall_s)
        self._say(turn, number, contender, None, result)
        return result

    def _command(self, contender: Contender, build: Build, partial: Path) -> tuple[list[str], Reader | None]:
        if not build.key.startswith(DESCRIBED_KEY):
            argv = export_command(build.path, self.footage, self.excerpt, contender.recipe, partial,
                                  build.options)  # fmt: skip
            return argv, None
        description = description_of(build.key)
        argv = description.command(build.path, self.footage, self.excerpt, partial)
        ask = description.progress
        rate = float(self.footage.rate)
        return argv, PatternReader(ask.pattern, ask.unit, self.excerpt.frames, rate) if ask else None

    def _say(self, turn: Turn, number: int, contender: Contender, progress: Progress | None,
             result: RunResult | None = None) -> None:  # fmt: skip
        left = self._left(turn, number, progress, ended=result is not None)
        self.watch(Moment(turn, number, len(self.todo), contender.label, progress,
                          self.excerpt.frames, left, result.state if result else "",
                          result.reason if result else ""))  # fmt: skip

    def _left(self, turn: Turn, number: int, now: Progress | None, ended: bool) -> float | None:
        """Seconds for the rest: medians of what each took, the mean of all for one unknown."""
        medians = {c: statistics.median(t) for c, t in self.took.items()}
        if now and now.frame and turn.contender not in medians:
            medians[turn.contender] = now.at_s * self.excerpt.frames / now.frame
        if not medians:
            return None
        usual = statistics.fmean(medians.values())
        rest = sum(medians.get(t.contender, usual) for t in self.todo[number:])
        if ended:
            return rest
        return rest + max(medians.get(turn.contender, usual) - (now.at_s if now else 0.0), 0.0)


def run_values(result: RunResult, output: Path) -> dict[str, object]:
    """Columns of the table `run` that a finished run fills."""
    values: dict[str, object] = {
        "state": result.state, "reason": result.reason,
        "first_picture_s": result.first_picture_s, "last_picture_s": result.last_picture_s,
        "frames_written": result.frames, "output_bytes": result.output_bytes or None,
        "output_sha256": file_sha256(output) if result.state == "done" else None,
        "other_cpu_s": result.other_cpu_s, "stolen_s": result.stolen_s,
    }  # fmt: skip
    usage = result.usage
    if usage:
        values |= {
            "wall_s": usage.wall_s, "user_s": usage.user_s, "system_s": usage.system_s,
            "peak_bytes": usage.peak_bytes, "read_bytes": usage.read_bytes,
            "written_bytes": usage.written_bytes, "exit_code": usage.exit_code,
            "log": json.dumps(usage.log), "own_cpu_s": usage.own_cpu_s,
        }  # fmt: skip
    return values


def seconds_words(seconds: float | None) -> str:
    """A rough time for people: "12 s", "3 min 20 s", "1 h 05 min"."""
    if seconds is None:
        return "unknown"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02d} min"


def share_done(moment: Moment) -> float:
    """How far a whole course has come, 0 to 1, counting runs."""
    if moment.ended:
        return moment.number / moment.total
    within = moment.progress.frame / moment.frames if moment.progress else 0.0
    return (moment.number - 1 + min(within, 1.0)) / moment.total
