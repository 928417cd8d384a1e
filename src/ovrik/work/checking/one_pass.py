"""A few outputs judged against one reference, all at once: each is decoded once for its checks and its losses, while
another program scores them."""

import dataclasses
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property, partial
from pathlib import Path

from ovrik.analysis.signals.loss_kinds import LOSS_TABLE
from ovrik.errors import Ask, OvrikError, PassingTrouble
from ovrik.machine.builds.build import Build, find_build
from ovrik.quality.decode.probe import probe_packets
from ovrik.quality.scores.bits import bits_of
from ovrik.quality.scores.feed import Feed, shape_of
from ovrik.quality.scores.losses import EDITION, ToMeasure, losses_of, measured_meanwhile
from ovrik.quality.scores.metrics import ToScore, scores_of
from ovrik.quality.scores.one_reading import BesideThem, Reading, read_together
from ovrik.store.records.run import RunRecord
from ovrik.store.records.score import BITS, MetricScores, ScoreRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import Delivery
from ovrik.study.programme.unchanged import check_unchanged
from ovrik.work.checking.judging import Checked, Judging, checked, in_place, same_output, to_score
from ovrik.work.checking.meanwhile import Meanwhile, Scores

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


def lacking(score: ScoreRecord) -> bool:
    """Whether frames or kinds of loss are still to be measured."""
    if score.problem or not score.metrics:
        return False
    facts = score.facts
    return facts.every > 1 or (facts.losses_measurable and not LOSS_TABLE.keys() & score.metrics.keys())


def reporting(watch: Watch, what: str, at: float, share: float) -> Callable[[float], None]:
    """Whom to tell the share done of a part of the whole."""
    return lambda done: watch(ScoringUpdate(what, at + share * done))


READ, SCORED = 0.44, 0.53
"""Shares of the time that reading the outputs takes, and scoring them; the rest goes into what is completed then."""
Found = tuple[Due, Checked]
BySum = dict[str | None, Scores]


@dataclass(frozen=True)
class OnePass:
    """A few outputs judged against one reference. Fields: `jobs` and `due`, one of each for each output; `at`, where
    the pass begins, and `share`, its part of the whole; `every`, of how many frames one is measured."""

    study: Study
    jobs: list[Judging]
    due: list[Due]
    at: float
    share: float
    watch: Watch
    should_stop: Ask
    every: int

    def done(self) -> list[str]:
        """Judge them; gives what could not be judged for a passing reason. Raises OvrikError, Stopped."""
        feeds = self._feeds()
        scoring = partial(self._scoring, feeds)
        meanwhile = Meanwhile([job for job, _m in self._foreseen.values()], scoring)
        meanwhile.begin(self.should_stop)
        try:
            readings = self._read(meanwhile, feeds)
            found, passing = self._checked(readings)
            # By content: two contenders may have written the very same file.
            new = {
                d.run.output_sha256: (d, c)
                for d, c in reversed(found)
                if c.to_score and not self._known(d, c)
            }
            metrics, troubles = self._scored(list(new.values())[::-1], meanwhile, readings)
        finally:
            meanwhile.drop()
        return passing + self._kept(found, metrics, troubles)

    @cached_property
    def _unchanged(self) -> list[tuple[Judging, Due]]:
        """Those whose outputs are still what their runs wrote: no other file is decoded."""

        def unchanged(due: Due) -> bool:
            try:
                same_output(due.path, due.run)
            except PassingTrouble:
                return False  # it is said when it comes to the checks
            return True

        with ThreadPoolExecutor(os.cpu_count(), "checksums") as pool:
            same = pool.map(unchanged, self.due)
            return [(j, d) for j, d, there in zip(self.jobs, self.due, same, strict=True) if there]

    @cached_property
    def _foreseen(self) -> dict[Path, tuple[ToScore, ToMeasure]]:
        """How outputs are scored and measured that nothing seems to be wrong with, by their files; each content
        once, and none that was scored before."""
        out, sums = dict[Path, tuple[ToScore, ToMeasure]](), set[str | None]()
        for job, due in self._unchanged:
            known = self.study.scored_alike(due.run.output_sha256 or "", due.key)
            measure = in_place(due.path, job)
            if measure is None or self._suffices(known) or due.run.output_sha256 in sums:
                continue
            sums.add(due.run.output_sha256)
            out[due.path] = to_score(due.path, job, measure.clip, measure.match), measure
        return out

    def _feeds(self) -> dict[Path, Feed]:
        """Those of them, and of the reference, whose frames are handed on as they are read."""
        reference = self.jobs[0].against.path
        shapes = {path: shape_of(m.clip) for path, (job, m) in self._foreseen.items() if job.as_it_is(m.clip)}
        if not any(shapes.values()) or not (theirs := shape_of(probe_packets(reference))):
            return {}
        found = {path: shape for path, shape in (*shapes.items(), (reference, theirs)) if shape}
        # Of a sample most frames can stay here where none of them is read by the program itself.
        every = self.every if len(found) == len(self._foreseen) + 1 else 1
        return {path: Feed(shape, len(found), every) for path, shape in found.items()}

    def _scoring(
        self, feeds: dict[Path, Feed], on_share: Callable[[float], None], should_stop: Ask
    ) -> list[Scores]:
        jobs = [job for job, _m in self._foreseen.values()]
        try:
            return scores_of(jobs, self.jobs[0].against.path, self.every, on_share, should_stop, feeds)
        finally:
            for feed in feeds.values():
                feed.close()

    def _read(self, meanwhile: Meanwhile, feeds: dict[Path, Feed]) -> dict[Path, Reading]:
        """All of them, decoded to their ends."""
        reference = self.jobs[0].against.path
        against = probe_packets(reference)
        readings = {due.path: Reading(due.path, feed=feeds.get(due.path)) for _job, due in self._unchanged}
        for path, (_job, measure) in self._foreseen.items():
            readings[path].measured = measured_meanwhile(measure, against) if self.every == 1 else None
        names = _names(iter(self.due))

        def say(share: float) -> None:
            self._say(f"Checking {names}", READ * share + SCORED * meanwhile.share)

        say(0.0)
        beside = BesideThem(reference, against, feeds.get(reference))
        read_together(list(readings.values()), beside, say, self.should_stop)
        return readings

    def _checked(self, readings: dict[Path, Reading]) -> tuple[list[Found], list[str]]:
        passing, found = list[str](), list[Found]()

        def check(due: Due, job: Judging) -> Checked:
            return checked(due.path, job, lambda: readings[due.path].seen, self.should_stop)

        with ThreadPoolExecutor(os.cpu_count(), "checks") as pool:
            looks = [pool.submit(check, d, j) for j, d in zip(self.jobs, self.due, strict=True)]
            for look, due in zip(looks, self.due, strict=True):
                try:
                    found.append((due, look.result()))
                except PassingTrouble as exc:
                    passing.append(f"{due.contender.label}: {exc}")
        return found, passing

    def _say(self, what: str, share: float) -> None:
        self.watch(ScoringUpdate(what, self.at + self.share * share))

    def _known(self, due: Due, one: Checked) -> ScoreRecord | None:
        """The scores of the same file against the same frames, beside one another as now: of another contender that
        wrote it too, or from before the checks were others."""
        found, now = self.study.scored_alike(due.run.output_sha256 or "", due.key), one.record.facts
        alike = found is not None and (found.facts.lag, found.facts.treated_by) == (now.lag, now.treated_by)
        return found if alike and self._suffices(found) else None

    def _suffices(self, known: ScoreRecord | None) -> bool:
        """Whether nothing that is wanted now is lacking in scores on file."""
        return known is not None and bool(known.metrics) and not (self.every == 1 and lacking(known))

    def _scored(
        self, new: list[Found], meanwhile: Meanwhile, readings: dict[Path, Reading]
    ) -> tuple[BySum, dict[str | None, str]]:
        """Scores by the file's checksum; and, likewise, why there are none."""
        if not new:
            return {}, {}
        wanted = [c.to_score for _d, c in new if c.to_score]
        there = meanwhile.of(
            wanted, self._reporter(f"Scoring {_names(d for d, _c in new)}", READ, READ + SCORED)
        )
        metrics: BySum = {d.run.output_sha256: m for (d, _c), m in zip(new, there, strict=True) if m}
        left = [one for one, m in zip(new, there, strict=True) if m is None]
        more, troubles = self._scored_now(left)
        metrics |= more
        if self.every == 1:
            self._lost([one for one in new if one[0].run.output_sha256 in metrics], metrics, readings)
        return metrics, troubles

    def _scored_now(self, left: list[Found]) -> tuple[BySum, dict[str | None, str]]:
        """Those that were not scored as was foreseen."""
        if not left:
            return {}, {}
        report = self._reporter(f"Scoring {_names(d for d, _c in left)}", READ, READ + SCORED)
        jobs = [c.to_score for _d, c in left if c.to_score]
        try:
            found = scores_of(jobs, self.jobs[0].against.path, self.every, report, self.should_stop)
        except OvrikError as exc:
            if len(left) == 1:  # it was decoded to its end a moment ago: the scoring failed, not the output
                return {}, {left[0][0].run.output_sha256: exc.problem}
            each = [self._scored_now([one]) for one in left]
            return (
                {key: m for scores, _t in each for key, m in scores.items()},
                {key: why for _s, troubles in each for key, why in troubles.items()},
            )
        return {d.run.output_sha256: metrics for (d, _c), metrics in zip(left, found, strict=True)}, {}

    def _lost(self, new: list[Found], metrics: BySum, readings: dict[Path, Reading]) -> None:
        """Add kinds of loss to the scores: what was not measured when they were read."""
        able = [(d, c.to_measure) for d, c in new if c.to_measure]
        if not able:
            return
        jobs = [
            replace(m, vmaf=metrics[d.run.output_sha256]["vmaf"].values, begun=readings[d.path].measured)
            for d, m in able
        ]
        reference = self.jobs[0].against.path
        report = self._reporter(f"Measuring losses of {_names(d for d, _m in able)}", READ + SCORED, 1.0)
        lost = losses_of(jobs, reference, probe_packets(reference), report, self.should_stop)
        for (due, _m), kinds in zip(able, lost, strict=True):
            metrics[due.run.output_sha256] |= {
                k: MetricScores(EDITION, values) for k, values in kinds.items()
            }

    def _kept(self, found: list[Found], metrics: BySum, troubles: dict[str | None, str]) -> list[str]:
        """Keep what was found; gives what could not be judged for a passing reason."""
        passing = []
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

    def _reporter(self, what: str, start: float, end: float) -> Callable[[float], None]:
        return reporting(self.watch, what, self.at + self.share * start, self.share * (end - start))

    def _complete(self, due: Due, one: Checked, metrics: Scores | None) -> ScoreRecord:
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
