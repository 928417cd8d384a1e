"""Exports of other programs as runs of a study: which is next, what to check before it, and what was timed."""

import math
import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path
from time import monotonic
from typing import Any

import numpy as np

from ovrik.analysis.choice.whole_cost import READ_S
from ovrik.errors import OvrikError
from ovrik.export.run.trace import Trace
from ovrik.machine.builds.package import package_version, version_in
from ovrik.outside.watch import OutsideTime
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.contender.as_table import parse_rate, parse_size
from ovrik.study.contender.contender import SIMULATED, Contender, outside_label
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.encoders import OUTSIDE
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.origin import Origin
from ovrik.study.files.checksum import sha256_now
from ovrik.study.question.conduct import CHOICE
from ovrik.work.answers.rivals import rivals
from ovrik.work.evidence.counted_times import next_round
from ovrik.work.evidence.gathered import Evidence, belongs
from ovrik.work.evidence.summary import Summary
from ovrik.work.outside.by_hand import enter_first
from ovrik.work.prepare.fingerprint import fingerprint

CHECKS = ("caches cleared", "program restarted", "nothing else running")
"""What to look at before an export is begun by hand; what was ticked is kept with the run."""


@dataclass(frozen=True)
class Card:
    """One planned export. Fields: `contender`; `number`, which of its exports it is, from 1; `name` to give the
    output; `settings` to make in the other program, as pairs of name and value; `checks` to tick before it is
    begun."""

    contender: Contender
    number: int
    name: str
    settings: tuple[tuple[str, str], ...]
    checks: tuple[str, ...] = CHECKS


def outside_contender(
    program: str, version: str, settings: Mapping[str, str], container: str = "mp4"
) -> Contender:
    """A contender that another program exports. Of its settings, `size` and `rate` are what the output is to have;
    all others stand as they are. Raises OvrikError on settings that can't be."""
    for name in ("program", "version"):
        if name in settings:
            raise OvrikError(f"“{name}” is asked for by itself", "Leave it out of the settings")
    if not program.strip():
        raise OvrikError("The other program has no name", "Say which program exports")
    width, height = parse_size(settings["size"]) if "size" in settings else (0, 0)
    rate = parse_rate(settings["rate"]) if "rate" in settings else ""
    free = [(k, v) for k, v in settings.items() if k not in ("size", "rate")]
    raw = (("program", program.strip()), ("version", version.strip()), *free)
    made = recipe(
        OUTSIDE,
        container=container,
        raw=tuple((k, v) for k, v in raw if v),
        width=width,
        height=height,
        rate=rate,
    )
    return Contender(
        OUTSIDE, made, outside_label([*raw, *(s for s in settings.items() if s not in free)]), True
    )


def outside_runs(summary: Summary) -> list[RunRecord]:
    """Watched exports of a contender that count, of the excerpt and programme of its summary, each as it was seen
    last."""
    return list({r.round: r for r in summary.runs if r.watched and r.counts}.values())


def next_card(evidence: Evidence) -> Card:
    """The export that is next: series alternate, so it is the contender with the fewest, in line-up order; while
    the choice is to be decided, of those that can still win. Raises OvrikError without any contender of another
    program."""
    mine = [s for s in evidence.summaries if s.contender.outside]
    if not mine:
        raise OvrikError(
            "No contender is exported by another program", "Add one: ovrik outside add STUDY --program NAME"
        )
    conduct = evidence.facts.conduct
    if conduct.until_decided and conduct.decides == CHOICE:
        left = rivals(evidence, [s.contender.contender_id for s in mine]).ids
        mine = [s for s in mine if s.contender.contender_id in left] or mine
    chosen = min(mine, key=lambda s: len(outside_runs(s)))
    return card_of(chosen.contender, len(outside_runs(chosen)) + 1)


def card_of(contender: Contender, number: int) -> Card:
    """What to do for a contender's n-th export."""
    r = contender.recipe
    asked = [("size", f"{r.width}x{r.height}")] if r.width else []
    asked += [("rate", r.rate)] if r.rate else []
    return Card(contender, number, f"{slug(contender.label)} {number}.{r.container}", (*r.raw, *asked))


def slug(label: str) -> str:
    """A label as part of a file's name."""
    return re.sub(r"[^\w.+-]+", "-", label.removesuffix(SIMULATED)).strip("-.")[:60] or "export"


def matched(study: Study, path: Path, planned: Contender) -> Contender:
    """Whose export a file is: the contender whose name it carries, or else the planned one."""
    carried = [c for c in study.contenders() if c.outside and path.stem.startswith(slug(c.label))]
    return max(carried, key=lambda c: len(c.label), default=planned)


def least_frames(study: Study, path: Path, planned: Contender) -> int:
    """How many frames a file has to hold to be an export of the excerpt: some programs leave one out at either
    end."""
    wanted = delivery(study.programme(), study.facts().excerpt, matched(study, path, planned).recipe).frames
    return max(1, wanted - max(MAY_LACK, wanted // 50))


MAY_LACK = 2


def keep_outside(
    study: Study,
    contender: Contender,
    found: OutsideTime,
    ticked: Sequence[str] = (),
    instead: RunRecord | None = None,
) -> RunRecord:
    """Keep a watched export as a run. One of which only bounds are known stands between these, as far from either by
    ratio, so that it takes part in comparisons by its bounds: nobody shows that as its time. It takes the place of
    the run that was kept `instead`, when the export was taken to be done and went on: that one stays on file."""
    began = datetime.now(UTC) - timedelta(seconds=monotonic() - found.began_s)
    facts = dict(contender.recipe.raw)
    said = f"{facts.get('program', '')} {facts.get('version', '')}".strip()
    package = package_of(found.executable)
    build = {
        "key": OUTSIDE,
        "path": found.executable,
        "version": f"{said} ({package})" if package else said,
        "sha256": checksum_of(found.executable),
    }
    seen = _seen(found, package)
    seen["conditions"] |= {"ticked": list(ticked), **({"corrects": instead.id} if instead else {})}
    made = RunRecord(
        contender_id=contender.contender_id,
        excerpt=study.facts().excerpt,
        started_utc=began.isoformat(timespec="milliseconds"),
        origin=Origin.WATCHED,
        round=instead.round if instead else _next_watched(study, contender.contender_id),
        state=RunState.DONE,
        **seen,
    )
    return study.keep_run(made, build, fingerprint(study).to_json(), study.programme(), _series(found))


def keep_first(study: Study, contender: Contender, found: OutsideTime) -> bool:
    """Keep what another program made before its exports, once for a film; whether it was kept. What is known less
    well than a time that is taken by hand is not: it would count as if it were."""
    if found.doubt_s + found.lead_s / 2 > READ_S:
        return False
    enter_first(study, contender, found.wall_s)
    return True


def first_words(contender: Contender, found: OutsideTime, kept: bool) -> str:
    """What was seen of it."""
    low, high = found.bounds_s
    if kept:
        return f"Kept {found.path.name}: {found.wall_s:.2f} s come before the exports of {contender.label}"
    helps = "press the start key, or name the program, to know it"
    return f"{found.path.name} took {low:.1f} to {high:.1f} s and is not kept: {helps}"


def _seen(found: OutsideTime, package: str) -> dict[str, Any]:
    """What a watch saw of an export, by the fields of its run."""
    low, high = found.bounds_s
    usual = math.sqrt(low * high) if found.lead_s else found.wall_s
    return {
        "wall_s": usual,
        "output": found.path.name,
        "output_bytes": found.bytes,
        "output_sha256": sha256_now(found.path),
        "conditions": {
            "outputs": str(found.path.parent),
            "step_s": usual * math.log(high / low) if found.lead_s else 2 * found.doubt_s,
            "bounds_s": [round(low, 3), round(high, 3)],
            "watched": {
                "began_by": found.began_by,
                "doubt_s": round(found.doubt_s, 3),
                "lead_s": round(found.lead_s, 3),
                "names": list(found.names),
                "parts": found.parts,
                "begun_again": found.begun_again,
                "program": found.program,
                "package": package,
            },
        },
    }


GRAPHICS = "graphics load [%]"


def _next_watched(study: Study, contender_id: int) -> int:
    """The next round of a contender's own that has no run: those of exports that were moved away stay empty."""
    facts, programme = study.facts(), study.programme()
    return next_round((r for r in study.runs(contender_id) if belongs(r, facts, programme)), Origin.WATCHED)


def _series(found: OutsideTime) -> bytes:
    """The program's load as a run's trace, in per cent of all processors; nothing where it was not seen."""
    if not found.load:
        return b""
    moments, cores, engines = np.array(found.load).T
    columns = {"t": moments, "cpu": 100 * cores / (os.cpu_count() or 1)}
    return Trace(columns | ({GRAPHICS: 100 * engines} if engines.any() else {})).packed()


@cache
def package_of(executable: str) -> str:
    """The package that a program came in, or the version in its path; "" where neither says anything. The program is
    not run: that would take an approval."""
    if not executable:
        return ""
    return package_version(Path(executable)) or version_in(executable)


@cache
def checksum_of(executable: str) -> str:
    """The checksum of a program's file, "" where it can't be read."""
    try:
        return sha256_now(Path(executable)) if executable else ""
    except OSError:
        return ""


def move_run(study: Study, run_id: int, to: Contender) -> None:
    """Give a watched export to the contender whose it is; the move is kept with it. Raises OvrikError for any other
    run."""
    run = next((r for r in study.runs() if r.id == run_id), None)
    if run is None or not run.watched or not to.outside:
        raise OvrikError(
            f"Run {run_id} is no watched export", "Only those can be moved, to another program's contender"
        )
    moved = {"from": run.contender_id, "round": run.round, "at": datetime.now(UTC).isoformat()}
    before = run.conditions.get("moved")
    moves = [*(before if isinstance(before, list) else []), moved]
    study.move_run(
        run_id, to.contender_id, _next_watched(study, to.contender_id), {**run.conditions, "moved": moves}
    )
