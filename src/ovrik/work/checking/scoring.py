"""Check and score the outputs that have not been judged yet."""

import dataclasses
import os
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import TypeVar

from ovrik.analysis.signals.loss_kinds import LOSS_TABLE
from ovrik.errors import Ask, OvrikError, PassingTrouble
from ovrik.machine.builds.build import Build, find_build
from ovrik.quality.checks.all_points import EDITION as CHECKS
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.sound import excerpt_sound
from ovrik.quality.reference.key import key_of
from ovrik.quality.scores.bits import bits_of
from ovrik.quality.scores.losses import EDITION, losses_of
from ovrik.quality.scores.metrics import scores_of
from ovrik.store.records.run import RunRecord
from ovrik.store.records.score import BITS, MetricScores, ScoreRecord
from ovrik.store.schema.file import nothing_timed
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import Delivery, delivery
from ovrik.study.programme.unchanged import check_unchanged
from ovrik.work.apart.parts import Bench
from ovrik.work.checking.judging import Checked, Judging, checked, same_output
from ovrik.work.checking.playback import play_outputs
from ovrik.work.evidence.outputs_on_disk import latest_output, output_path
from ovrik.work.footage.references import against_for, treating_build

TOGETHER = 4
"""Outputs scored in one pass: decoding the reference is shared, and what each needs of memory adds up."""

Watch = Callable[["ScoringUpdate"], None]


@dataclass(frozen=True)
class ScoringUpdate:
    """Fields: `what` is being done, in words; `share` of the whole, 0 to 1; `ended`, the label of
    an output that has just been scored, or ""."""

    what: str
    share: float
    ended: str = ""


@dataclass(frozen=True)
class Due:
    """An output that is to be judged. Fields: `contender`; `run` that wrote it; `wanted`, what it is to be; `key` of
    its reference; `path` of the file; `by`, the build that treated its frames, None where that is the one that makes
    references."""

    contender: Contender
    run: RunRecord
    wanted: Delivery
    key: str
    path: Path
    by: Build | None = None

    @property
    def judged_with(self) -> tuple[str, str]:
        """What those have in common that are judged against the same frames."""
        return self.key, self.by.identity if self.by else ""


def unscored(study: Study, every: int = 1) -> list[Due]:
    """Outputs that no score on file speaks of, or only one of a sample of frames when all of them are wanted."""
    facts, programme = study.facts(), study.programme()
    out = []
    for contender in study.contenders():
        run = latest_output(study, contender.contender_id)
        if run is None:
            continue
        wanted = delivery(programme, facts.excerpt, contender.recipe)
        due = Due(contender, run, wanted, key_of(facts, programme, wanted), output_path(study, run))
        score = study.score(contender.contender_id, run.output_sha256 or "", due.key)
        if score is None or (_behind(score, every) and due.path.exists()):
            out.append(replace(due, by=treating_build(programme, contender, run.build_identity)))
    return out


def _behind(score: ScoreRecord, every: int) -> bool:
    """Whether an output that was judged is to be looked at again: earlier checks were others, and what could not be
    measured then may be measurable now."""
    return score.facts.checks < CHECKS or (every == 1 and _lacking(score))


def _lacking(score: ScoreRecord) -> bool:
    """Whether frames or kinds of loss are still to be measured."""
    if score.problem or not score.metrics:
        return False
    facts = score.facts
    return facts.every > 1 or (facts.losses_measurable and not LOSS_TABLE.keys() & score.metrics.keys())


def score_all(
    study: Study, watch: Watch = lambda _m: None, should_stop: Ask = lambda: False, every: int = 1
) -> int:
    """Score every output not judged yet, and play it where the limits ask for that; gives how many. `every` n-th
    frame alone is measured where that is more than 1; a later call completes it. What could not be judged for a
    passing reason is left for another time and reported at the end. Raises OvrikError, Stopped."""
    todo, count = unscored(study, every), 0
    if todo:
        with nothing_timed():
            count = _score(study, todo, watch, should_stop, every)
    if study.facts().limits.plays:
        say: Callable[[float, str], None] = lambda _share, what: watch(ScoringUpdate(what, 1.0))  # noqa: E731
        count = max(count, play_outputs(Bench(study, say, should_stop)))
    return count


def _score(study: Study, todo: Sequence[Due], watch: Watch, should_stop: Ask, every: int) -> int:
    """Score these outputs, those of one reference together; gives how many."""
    facts, programme = study.facts(), study.programme()
    steps = len(todo) + len({d.judged_with for d in todo})
    at, passing = 0, list[str]()
    sound = _once(lambda: excerpt_sound(programme, facts.excerpt))
    check_unchanged(programme)
    for group in _by_reference(todo):
        report = _reporting(watch, "Making the reference", at / steps, 1 / steps)
        against = against_for(facts, programme, group[0].wanted, group[0].by, report, should_stop)
        at += 1
        for start in range(0, len(group), TOGETHER):
            some = group[start : start + TOGETHER]
            jobs = [
                Judging(
                    programme=programme,
                    facts=facts,
                    against=against,
                    key=d.key,
                    wanted=d.wanted,
                    contender=d.contender,
                    run=d.run,
                    sound=sound,
                )
                for d in some
            ]
            one_pass = _Pass(
                study=study,
                jobs=jobs,
                due=some,
                at=at / steps,
                share=len(some) / steps,
                watch=watch,
                should_stop=should_stop,
                every=every,
            )
            passing += one_pass.done()
            at += len(some)
    if passing:
        more = f", and {len(passing) - 1} more" if len(passing) > 1 else ""
        raise PassingTrouble(f"Not checked: {passing[0]}{more}", "Finished checks are kept")
    return len(todo)


Made = TypeVar("Made")


def _once(make: Callable[[], Made]) -> Callable[[], Made]:
    """What it makes, made by whoever asks first; the others wait for it."""
    lock, kept = threading.Lock(), cache(make)

    def asked() -> Made:
        with lock:
            return kept()

    return asked


def _by_reference(todo: Sequence[Due]) -> Iterator[list[Due]]:
    for same in dict.fromkeys(d.judged_with for d in todo):
        yield [d for d in todo if d.judged_with == same]


def _reporting(watch: Watch, what: str, at: float, share: float) -> Callable[[float], None]:
    return lambda done: watch(ScoringUpdate(what, at + share * done))


CHECKING, SCORING = 0.2, 0.6
"""Shares of the time that checking takes, and checking and scoring together."""


@dataclass(frozen=True)
class _Pass:
    """A few outputs judged against one reference. Fields: `jobs` and `due`, one of each for each output; `at`, where
    the pass begins, and `share`, its part of the whole."""

    study: Study
    jobs: list[Judging]
    due: list[Due]
    at: float
    share: float
    watch: Watch
    should_stop: Ask
    every: int

    def done(self) -> list[str]:
        """Judge them; gives what could not be judged for a passing reason."""
        passing, found = list[str](), list[tuple[Due, Checked]]()
        self._say(f"Checking {_names(iter(self.due))}", 0.0)
        with ThreadPoolExecutor(os.cpu_count(), "checks") as pool:
            looks = [
                pool.submit(checked, due.path, job, self.should_stop)
                for job, due in zip(self.jobs, self.due, strict=True)
            ]
            for number, (look, due) in enumerate(zip(looks, self.due, strict=True), 1):
                try:
                    found.append((due, look.result()))
                except PassingTrouble as exc:
                    passing.append(f"{due.contender.label}: {exc}")
                self._say(f"Checked {due.contender.label}", CHECKING * number / len(self.jobs))
        # By content: two contenders may have written the very same file.
        new = {
            d.run.output_sha256: (d, c) for d, c in reversed(found) if c.to_score and not self._known(d, c)
        }
        metrics, troubles = self._scored(list(new.values())[::-1])
        for due, one in found:
            label = due.contender.label
            try:
                if trouble := troubles.get(due.run.output_sha256):
                    raise PassingTrouble(trouble, "")
                self._keep(due, self._complete(due, one, metrics.get(due.run.output_sha256)))
            except PassingTrouble as exc:
                passing.append(f"{label}: {exc}")
            self.watch(ScoringUpdate(f"Scored {label}", self.at + self.share, label))
        return passing

    def _say(self, what: str, share: float) -> None:
        self.watch(ScoringUpdate(what, self.at + self.share * share))

    def _known(self, due: Due, one: Checked) -> ScoreRecord | None:
        """The scores of the same file against the same frames, beside one another as now: of another contender that
        wrote it too, or from before the checks were others."""
        found, now = self.study.scored_alike(due.run.output_sha256 or "", due.key), one.record.facts
        alike = found is not None and (found.facts.lag, found.facts.treated_by) == (now.lag, now.treated_by)
        return (
            found if found and alike and found.metrics and not (self.every == 1 and _lacking(found)) else None
        )

    def _scored(
        self, new: list[tuple[Due, Checked]]
    ) -> tuple[dict[str | None, dict[str, MetricScores]], dict[str | None, str]]:
        """Scores by the file's checksum; and, likewise, why there are none."""
        if not new:
            return {}, {}
        reference, names = self.jobs[0].against.path, _names(d for d, _c in new)
        score = [c.to_score for _d, c in new if c.to_score]
        report = self._reporter(f"Scoring {names}", CHECKING, SCORING)
        try:
            found = scores_of(score, reference, self.every, report, self.should_stop)
        except OvrikError as exc:
            if len(new) == 1:  # it was decoded to its end a moment ago: the scoring failed, not the output
                return {}, {new[0][0].run.output_sha256: exc.problem}
            each = [self._scored([one]) for one in new]
            return (
                {key: m for scores, _t in each for key, m in scores.items()},
                {key: why for _s, troubles in each for key, why in troubles.items()},
            )
        if self.every == 1:
            report = self._reporter(f"Measuring losses of {names}", SCORING, 1.0)
            measure = [
                replace(c.to_measure, vmaf=m["vmaf"].values)
                for (_d, c), m in zip(new, found, strict=True)
                if c.to_measure
            ]
            lost = losses_of(measure, reference, probe(reference), report, self.should_stop)
            for metrics, kinds in zip(found, lost, strict=True):
                metrics |= {key: MetricScores(EDITION, values) for key, values in kinds.items()}
        return {d.run.output_sha256: metrics for (d, _c), metrics in zip(new, found, strict=True)}, {}

    def _reporter(self, what: str, start: float, end: float) -> Callable[[float], None]:
        return _reporting(self.watch, what, self.at + self.share * start, self.share * (end - start))

    def _complete(self, due: Due, one: Checked, metrics: dict[str, MetricScores] | None) -> ScoreRecord:
        record, facts = one.record, one.record.facts
        if one.to_score is None:
            return record
        if metrics is None:
            known = self._known(due, one)
            if known is None:
                raise PassingTrouble("another contender wrote the same file, which could not be kept", "")
            metrics, every = known.metrics, known.facts.every
            measurable = known.facts.losses_measurable
        else:
            every = self.every
            measurable = every > 1 or bool(LOSS_TABLE.keys() & metrics.keys())
        bits = MetricScores("", bits_of(due.path, facts.frames))
        facts = dataclasses.replace(facts, every=every, losses_measurable=measurable)
        return dataclasses.replace(record, facts=facts, metrics={**metrics, BITS: bits})

    def _keep(self, due: Due, record: ScoreRecord) -> None:
        same_output(due.path, due.run)
        check_unchanged(self.jobs[0].programme)
        self.study.keep_score(record, find_build("bundled").to_json())


def _names(due: Iterator[Due]) -> str:
    first, *more = [d.contender.label for d in due]
    return f"{first} and {len(more)} more" if more else first
