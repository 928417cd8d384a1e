"""Times that were taken by hand: a stopwatch beside a program that can't be driven."""

import re

from ovrik.errors import OvrikError
from ovrik.store.records.made import Preparation, PreparationKind
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.facts.origin import Origin
from ovrik.work.evidence.counted_times import next_round
from ovrik.work.evidence.first import entered_key
from ovrik.work.evidence.gathered import belongs
from ovrik.work.prepare.fingerprint import fingerprint

CLOCK = re.compile(r"^(?:(?:(\d+):)?(\d{1,3}):)?(\d+(?:[.,]\d+)?)$")


def parse_time(text: str) -> float:
    """Seconds of a time as it is read from a stopwatch: "61", "61.4", "61,4", "1:01", "1:01:30.5". Raises
    OvrikError."""
    found = CLOCK.match(text.strip())
    if found is None:
        raise OvrikError(f"“{text}” is not a time", "Write seconds, m:ss or h:mm:ss, such as 61.4 or 1:01.4")
    hours, minutes, seconds = int(found[1] or 0), int(found[2] or 0), float(found[3].replace(",", "."))
    if (found[2] and seconds >= 60) or (found[1] and minutes >= 60):
        raise OvrikError(f"“{text}” is not a time: minutes and seconds go up to 59", "Write it like 1:01.4")
    return hours * 3600 + minutes * 60 + seconds


STEP_S = 1.0
"""What a stopwatch is usually read to."""
BUILD = {"key": "by hand", "path": "", "version": "by hand", "sha256": ""}


def enter_time(study: Study, contender: Contender, seconds: float, step_s: float = STEP_S) -> RunRecord:
    """Keep a time that was taken by hand as a run, read in steps of `step_s` seconds.

    The n-th time of a contender is paired with the n-th one of the others of the same excerpt. Raises OvrikError on
    a time that can't be.
    """
    if not 0 < seconds < 1e6 or not 0 < step_s <= seconds:
        raise OvrikError(
            f"{seconds:g} s in steps of {step_s:g} s can't be the time of an export",
            "Give seconds above 0, and the precision of the reading",
        )
    facts, programme = study.facts(), study.programme()
    mine = (r for r in study.runs(contender.contender_id) if belongs(r, facts, programme))
    made = RunRecord(
        contender_id=contender.contender_id,
        excerpt=facts.excerpt,
        started_utc="",
        origin=Origin.BY_HAND,
        round=next_round(mine, Origin.BY_HAND),
        state=RunState.DONE,
        wall_s=seconds,
        conditions={"step_s": step_s},
    )
    return study.keep_run(made, BUILD, fingerprint(study).to_json(), programme)


def enter_first(study: Study, contender: Contender, seconds: float) -> None:
    """Keep a time that somebody took of what another program makes before its exports, once for a film: its own
    render, cache or proxies. A later one takes its place. Raises OvrikError on a time that can't be."""
    if not 0 < seconds < 1e6:
        raise OvrikError(f"{seconds:g} s can't be the time of what comes first", "Give seconds above 0")
    facts, programme = study.facts(), study.programme()
    made = Preparation(
        key=entered_key(contender.contender_id),
        kind=PreparationKind.PRE_RENDER,
        contender_id=contender.contender_id,
        excerpt=facts.excerpt,
        argv=(),
        state="done",
        wall_s=seconds,
        programme=programme.checksum,
    )
    study.keep_preparation(made, programme, BUILD, fingerprint(study).to_json())
