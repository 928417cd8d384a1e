"""Runs and scores put on file without an export."""

import numpy as np

from ovrik.quality.reference.key import reference_key
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.records.score import MetricScores, ScoreRecord
from ovrik.store.study import Study
from ovrik.study.contender.delivery import delivery
from ovrik.study.facts.output_facts import OutputFacts

BUILD = {"key": "bundled", "path": "/b/ffmpeg", "version": "9", "sha256": "aa"}


def add_run(
    study: Study,
    contender: int,
    round_: int,
    wall: float,
    state: str = "done",
    warmup: bool = False,
    machine: str = "P",
    version: str = "9",
    series: bytes = b"",
) -> None:
    """One finished run."""
    made = RunRecord(
        contender_id=contender,
        excerpt=study.facts().excerpt,
        started_utc="",
        round=round_,
        warmup=warmup,
        argv=("x",),
        output=f"{contender}.mp4",
        state=RunState(state),
        wall_s=wall,
        output_bytes=1_000_000,
        output_sha256="ff",
        reason="no luck" if state == "failed" else "",
    )
    build = BUILD | {"version": version, "sha256": "aa" if version == "9" else version}
    study.keep_run(made, build, {"processor": machine}, study.programme(), series)


def scored(
    study: Study, contender: int, vmaf: list[float], faults: tuple[str, ...] = (), treated_by: str = ""
) -> None:
    """A finished run of a contender whose output has these scores, by frames that a build treated."""
    add_run(study, contender, 1, 3.0)
    found = next(c for c in study.contenders() if c.contender_id == contender)
    wanted = delivery(study.programme(), study.facts().excerpt, found.recipe)
    key = reference_key(study.programme(), study.facts().excerpt, wanted)
    metrics = {"vmaf": MetricScores("", np.array(vmaf))}
    facts = OutputFacts(treated_by=treated_by)
    study.keep_score(ScoreRecord(contender, "ff", key, faults, metrics=metrics, facts=facts), BUILD)
