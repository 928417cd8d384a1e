"""Times that were taken by hand: a stopwatch beside a program that can't be driven."""

import json

from ovrik.errors import OvrikError
from ovrik.store.records import RunRecord
from ovrik.store.study import Study
from ovrik.study.contender import Contender
from ovrik.work.fingerprint import fingerprint

STEP_S = 1.0
"""What a stopwatch is usually read to."""
BUILD = {"key": "by hand", "path": "", "version": "by hand", "sha256": ""}


def enter_time(study: Study, contender: Contender, seconds: float, step_s: float = STEP_S) -> RunRecord:
    """Keep a time that was taken by hand as a run, read in steps of `step_s` seconds.

    The n-th time of a contender is paired with the n-th one of the others. Raises OvrikError on a time that can't be.
    """
    if not 0 < seconds < 1e6 or not 0 < step_s <= seconds:
        raise OvrikError(f"{seconds:g} s in steps of {step_s:g} s is no time of an export",
                         "Give seconds above 0, and the step in which they were read")  # fmt: skip
    before = sum(r.by_hand for r in study.runs(contender.id))
    # Rounds below zero can't be taken for those that Ovrik makes itself.
    run_id = study.begin_run(contender.id, BUILD, fingerprint(study).to_json(), study.programme(),
                             study.facts().excerpt, -(before + 1), False, [[]], "")  # fmt: skip
    study.end_run(run_id, {"state": "done", "wall_s": seconds, "conditions": json.dumps({"step_s": step_s})})
    return next(r for r in study.runs(contender.id) if r.id == run_id)
