"""Check and score the outputs that have not been judged yet."""

import dataclasses
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ovrik.errors import OvrikError
from ovrik.machine.builds import find_build
from ovrik.quality.conformity import conformity_faults
from ovrik.quality.metrics import frame_scores
from ovrik.quality.reference import make_reference, reference_key
from ovrik.store.records import RunRecord, ScoreRecord
from ovrik.store.study import Study
from ovrik.study.checksum import file_sha256
from ovrik.study.contender import Contender
from ovrik.study.delivery import Delivery, delivery
from ovrik.study.probe import probe
from ovrik.work.evidence import latest_output


@dataclass(frozen=True)
class ScoringMoment:
    """Fields: `what` is being done, in words; `share` of the whole, 0 to 1; `ended`, the label of
    an output that has just been scored, or ""."""

    what: str
    share: float
    ended: str = ""


EMPTY = np.zeros(0)


def unscored(study: Study) -> list[tuple[Contender, RunRecord]]:
    """Outputs that no score on file speaks of."""
    excerpt, programme = study.facts().excerpt, study.programme()
    out = []
    for contender in study.contenders():
        run = latest_output(study, contender.id)
        key = reference_key(programme, excerpt, delivery(programme, excerpt, contender.recipe))
        if run and not study.score(contender.id, run.output_sha256 or "", key):
            out.append((contender, run))
    return out


def score_all(
    study: Study,
    watch: Callable[[ScoringMoment], None] = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> int:
    """Score every output not judged yet; gives how many. Raises OvrikError, Stopped."""
    todo = unscored(study)
    if not todo:
        return 0
    excerpt, programme = study.facts().excerpt, study.programme()
    wanted = [delivery(programme, excerpt, c.recipe) for c, _run in todo]
    references: dict[str, Path] = {}
    steps = len(todo) + len({reference_key(programme, excerpt, w) for w in wanted})
    judge, at = find_build("bundled").to_json(), 0
    for (contender, run), asked in zip(todo, wanted, strict=True):
        key = reference_key(programme, excerpt, asked)
        if key not in references:
            tell = _teller(watch, "Making the reference", at / steps, steps)
            references[key] = make_reference(programme, excerpt, asked, tell, should_stop)
            at += 1
        what = f"Scoring {contender.label}"
        record = judged(study.outputs / (run.output or ""), references[key], key, asked, contender, run,
                        _teller(watch, what, at / steps, steps), should_stop)  # fmt: skip
        study.keep_score(record, judge)
        at += 1
        watch(ScoringMoment(what, at / steps, contender.label))
    return len(todo)


def _teller(watch: Callable[[ScoringMoment], None], what: str, at: float,
            steps: int) -> Callable[[float], None]:  # fmt: skip
    return lambda share: watch(ScoringMoment(what, at + share / steps))


def judged(
    output: Path, reference: Path, key: str, wanted: Delivery, contender: Contender,
    run: RunRecord, on_share: Callable[[float], None], should_stop: Callable[[], bool],
) -> ScoreRecord:  # fmt: skip
    """Conformity and per-frame scores of one output; a fault becomes part of the record."""
    blank = ScoreRecord(0, contender.id, run.output_sha256 or "", key, (), "", {},
                        EMPTY, EMPTY, EMPTY)  # fmt: skip
    try:
        if not output.exists():
            raise OvrikError(f"the output {output.name} is gone", "Time this contender again")
        if file_sha256(output) != run.output_sha256:
            raise OvrikError(f"the output {output.name} was changed after its run",
                             "Time this contender again")  # fmt: skip
        facts = probe(output)
    except OvrikError as exc:
        return dataclasses.replace(blank, problem=str(exc), faults=(f"it can't be judged: {exc}",))
    told = {"codec": facts.codec, "profile": facts.profile, "frames": str(facts.frames),
            "size": f"{facts.width}×{facts.height}", "pixel format": facts.pixel_format,
            "rate": f"{float(facts.rate):g} fps", "duration": f"{facts.container_s:.2f} s",
            "sound": ", ".join(s.codec for s in facts.sounds) or "none"}  # fmt: skip
    faults = tuple(conformity_faults(facts, wanted, contender.recipe))
    try:
        scores = frame_scores(output, reference, wanted, facts.colour, os.cpu_count() or 1,
                              on_share, should_stop)  # fmt: skip
    except OvrikError as exc:
        return dataclasses.replace(blank, problem=str(exc), faults=faults, facts=told)
    return dataclasses.replace(blank, faults=faults, facts=told, vmaf=scores.vmaf,
                               psnr=scores.psnr, ssim=scores.ssim)  # fmt: skip
