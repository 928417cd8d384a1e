"""What a study's runs and scores come to: one summary for each contender, and the verdict."""

import statistics
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ovrik.analysis.acceptance import Measured, megabytes_per_minute, misses
from ovrik.analysis.pooling import Pooled, pooled
from ovrik.analysis.ratio import Ratio, answer, paired_ratio, rounds_to_tell
from ovrik.analysis.verdict import Entrant, Verdict, decide, shared_times
from ovrik.machine.facts import differences
from ovrik.quality.reference import reference_key
from ovrik.store.records import RunRecord, ScoreRecord, StudyFacts
from ovrik.store.study import Study
from ovrik.study.contender import Contender
from ovrik.study.footage import Footage


@dataclass(frozen=True, eq=False)
class Summary:
    """All that is known of one contender.

    Fields: `contender`; `runs` of the present excerpt, in order; `median_s` of the counted ones;
    `ratio` to the baseline, None without shared rounds; `answer`, one of baseline, faster, slower,
    tie, unsure; `more_rounds` that would tell, when unsure; `bytes` and `mb_per_minute` of the
    output; `score` on file for it, or None; `vmaf`, `psnr`, `ssim` pooled, or None; `reasons`
    against it, the gravest first; `judged`, whether its output was checked.
    """

    contender: Contender
    runs: tuple[RunRecord, ...]
    median_s: float | None
    ratio: Ratio | None
    answer: str
    more_rounds: int | None
    bytes: int | None
    mb_per_minute: float | None
    score: ScoreRecord | None
    vmaf: Pooled | None
    psnr: Pooled | None
    ssim: Pooled | None
    reasons: tuple[str, ...]
    judged: bool

    @property
    def counted(self) -> list[RunRecord]:
        """Runs whose times enter the statistics."""
        return [r for r in self.runs if r.counts]

    @property
    def conforms(self) -> bool | None:
        """Whether the output is what it should be; None while unchecked."""
        return None if self.score is None else not self.score.faults

    @property
    def acceptable(self) -> bool | None:
        """Checked and within the limits; None while that is open."""
        if self.reasons:
            return False
        return True if self.judged else None

    @property
    def fps(self) -> float | None:
        """Pictures per second at the median time."""
        if not self.median_s or not self.runs:
            return None
        return self.runs[-1].excerpt.frames / self.median_s


@dataclass(frozen=True, eq=False)
class Evidence:
    """Fields: `facts` and `footage` of the study; `summaries` in line-up order; `verdict`;
    `machines`, what differs between the machines, or states of one, that the
    counted runs were made on, in words; `set_aside`, runs on file
    that belong to another excerpt or other footage and do not count."""

    facts: StudyFacts
    footage: Footage
    summaries: tuple[Summary, ...]
    verdict: Verdict
    machines: tuple[str, ...]
    set_aside: int

    def of(self, contender_id: int) -> Summary | None:
        """The summary of one contender."""
        return next((s for s in self.summaries if s.contender.id == contender_id), None)


def belongs(run: RunRecord, facts: StudyFacts, footage: Footage) -> bool:
    """Whether a run exported the present excerpt of the present footage."""
    return run.excerpt == facts.excerpt and run.footage == footage.checksum


def counted(study: Study) -> list[RunRecord]:
    """Runs whose times enter the statistics of the present question."""
    facts, footage = study.facts(), study.footage()
    return [r for r in study.runs() if r.counts and belongs(r, facts, footage)]


def latest_output(study: Study, contender_id: int) -> RunRecord | None:
    """The run that wrote the output file now on disk."""
    facts, footage = study.facts(), study.footage()
    done = [r for r in study.runs(contender_id) if r.state == "done"]
    return done[-1] if done and belongs(done[-1], facts, footage) else None


def gather(study: Study, barred: Mapping[int, str] | None = None) -> Evidence:
    """Read everything and sum it up; `barred` says which contenders can't run here, and why."""
    facts, footage = study.facts(), study.footage()
    every = study.runs()
    mine = [r for r in every if belongs(r, facts, footage)]
    by_contender: dict[int, list[RunRecord]] = {}
    for run in mine:
        by_contender.setdefault(run.contender_id, []).append(run)
    base = times(by_contender.get(facts.baseline_id or 0, []))
    key = reference_key(footage, facts.excerpt)
    summaries = tuple(
        _summary(
            study,
            c,
            by_contender.get(c.id, []),
            base,
            facts,
            footage,
            key,
            (barred or {}).get(c.id, ""),
        )
        for c in study.contenders()
    )
    used = {r.machine_id for s in summaries for r in s.counted}
    kept = [facts_ for number, facts_ in study.machines().items() if number in used]
    verdict = decide([_entrant(s) for s in summaries], facts.tie_band)
    return Evidence(facts, footage, summaries, verdict, _differences(kept), len(every) - len(mine))


def _differences(machines: list[dict[str, Any]]) -> tuple[str, ...]:
    """What differs among machines, each against the first, the weightiest first."""
    found = [words for other in machines[1:] for words in differences(machines[0], other)]
    return tuple(dict.fromkeys(found))


def times(runs: list[RunRecord]) -> dict[int, float]:
    """Seconds by round of the counted runs; the last one where a round was timed twice."""
    return {r.round: r.wall_s for r in runs if r.counts and r.wall_s is not None}


def _entrant(s: Summary) -> Entrant:
    return Entrant(s.contender.label, times(list(s.runs)), s.median_s, s.reasons, s.judged)


def _summary(
    study: Study, c: Contender, runs: list[RunRecord], base: dict[int, float],
    facts: StudyFacts, footage: Footage, key: str, barred: str,
) -> Summary:  # fmt: skip
    mine = times(runs)
    ratio = paired_ratio(*shared_times(base, mine))
    said = "baseline" if c.id == facts.baseline_id else answer(ratio, facts.tie_band)
    more = rounds_to_tell(ratio, facts.tie_band) if said == "unsure" and mine else None
    done = [r for r in runs if r.state == "done" and r.output_sha256]
    size = done[-1].output_bytes if done else None
    duration = facts.excerpt.frames / float(footage.rate)
    per_minute = megabytes_per_minute(size, duration) if size else None
    score = study.score(c.id, done[-1].output_sha256 or "", key) if done else None
    scored = score is not None and len(score.vmaf) > 0
    rate = float(footage.rate)
    vmaf, psnr, ssim = (
        (pooled(score.vmaf, rate), pooled(score.psnr, rate), pooled(score.ssim, rate))
        if scored and score is not None else (None, None, None)
    )  # fmt: skip
    reasons = list(_failures(runs, mine))
    if barred and not mine:
        reasons.insert(0, f"it can't run: {barred}")
    if score is not None:
        reasons += [*score.faults, *([score.problem] if score.problem and not score.faults else [])]
    reasons += misses(facts.limits, Measured(vmaf.mean if vmaf else None,
                                             vmaf.p5 if vmaf else None, per_minute))  # fmt: skip
    return Summary(c, tuple(runs), statistics.median(mine.values()) if mine else None, ratio, said,
                   more, size, per_minute, score, vmaf, psnr, ssim, tuple(reasons),
                   score is not None)  # fmt: skip


def _failures(runs: list[RunRecord], mine: dict[int, float]) -> list[str]:
    """A contender whose every try failed is out; one that failed and later worked is not."""
    if mine or not runs or runs[-1].state != "failed":
        return []
    return [f"it failed: {runs[-1].reason}"]
