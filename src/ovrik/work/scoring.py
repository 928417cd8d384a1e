"""Check and score the outputs that have not been judged yet."""

import dataclasses
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import OvrikError, PassingTrouble, Stopped
from ovrik.machine.builds import find_build
from ovrik.quality.conformity import conformity_faults
from ovrik.quality.cut_short import frames_shown
from ovrik.quality.metrics import LEAST_SIDE, frame_scores
from ovrik.quality.reference import make_reference
from ovrik.quality.reference_key import reference_key
from ovrik.store.records import RunRecord, ScoreRecord
from ovrik.store.study import Study
from ovrik.study.checksum import file_sha256
from ovrik.study.contender import Contender
from ovrik.study.delivery import Delivery, delivery
from ovrik.study.probe import probe
from ovrik.study.unchanged import check_unchanged
from ovrik.work.evidence import latest_output, output_path


@dataclass(frozen=True)
class ScoringUpdate:
    """Fields: `what` is being done, in words; `share` of the whole, 0 to 1; `ended`, the label of
    an output that has just been scored, or ""."""

    what: str
    share: float
    ended: str = ""


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
    watch: Callable[[ScoringUpdate], None] = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> int:
    """Score every output not judged yet; gives how many. What could not be judged for a passing reason is left for
    another time and reported at the end. Raises OvrikError, Stopped."""
    todo = unscored(study)
    if not todo:
        return 0
    excerpt, programme = study.facts().excerpt, study.programme()
    wanted = [delivery(programme, excerpt, c.recipe) for c, _run in todo]
    references: dict[str, Path] = {}
    steps = len(todo) + len({reference_key(programme, excerpt, w) for w in wanted})
    judge, at = find_build("bundled").to_json(), 0
    passing: list[str] = []
    check_unchanged(programme)
    for (contender, run), asked in zip(todo, wanted, strict=True):
        key = reference_key(programme, excerpt, asked)
        if key not in references:
            report = _reporting(watch, "Making the reference", at / steps, steps)
            references[key] = make_reference(programme, excerpt, asked, report, should_stop)
            at += 1
        what = f"Scoring {contender.label}"
        try:
            record = judged(
                output_path(study, run),
                references[key],
                key,
                asked,
                contender,
                run,
                _reporting(watch, what, at / steps, steps),
                should_stop,
            )
            check_unchanged(programme)
            study.keep_score(record, judge)
        except PassingTrouble as exc:
            passing.append(f"{contender.label}: {exc}")
        at += 1
        watch(ScoringUpdate(what, at / steps, contender.label))
    if passing:
        more = f", and {len(passing) - 1} more" if len(passing) > 1 else ""
        raise PassingTrouble(f"Not checked: {passing[0]}{more}", "Finished checks are kept")
    return len(todo)


def _same_output(output: Path, run: RunRecord) -> None:
    try:
        same = file_sha256(output) == run.output_sha256
    except OSError as exc:
        raise PassingTrouble(
            f"the output {output.name} can't be read ({exc.strerror})",
            "Reconnect its drive, or time this contender again",
        ) from None
    if not same:
        raise PassingTrouble(
            f"the output {output.name} has changed since its run", "Time this contender again"
        )


def _reporting(
    watch: Callable[[ScoringUpdate], None], what: str, at: float, steps: int
) -> Callable[[float], None]:
    return lambda share: watch(ScoringUpdate(what, at + share / steps))


def judged(
    output: Path,
    reference: Path,
    key: str,
    wanted: Delivery,
    contender: Contender,
    run: RunRecord,
    on_share: Callable[[float], None],
    should_stop: Callable[[], bool],
) -> ScoreRecord:
    """Conformity and per-frame scores of one output; a fault becomes part of the record. Raises PassingTrouble when
    the trouble lies elsewhere than in the output."""
    blank = ScoreRecord(0, contender.id, run.output_sha256 or "", key, (), "", {})
    _same_output(output, run)
    try:
        facts = probe(output)
        shown = frames_shown(output, should_stop)
    except OvrikError as exc:
        _same_output(output, run)
        return dataclasses.replace(blank, problem=str(exc), faults=(f"it can't be judged: {exc}",))
    if should_stop():
        raise Stopped
    facts = dataclasses.replace(facts, frames=shown) if facts.constant_rate else facts
    said = {
        "codec": facts.codec,
        "profile": facts.profile,
        "frames": str(facts.frames),
        "size": f"{facts.width}×{facts.height}",
        "pixel format": facts.pixel_format,
        "rate": f"{float(facts.rate):g} fps",
        "duration": f"{facts.container_s:.2f} s",
        "audio": ", ".join(s.codec for s in facts.sounds) or "none",
    }
    faults = tuple(conformity_faults(facts, wanted, contender.recipe))
    if min(wanted.width, wanted.height) < LEAST_SIDE:
        small = (
            f"{wanted.width}×{wanted.height} is too small for VMAF, which takes {LEAST_SIDE} pixels and more"
        )
        return dataclasses.replace(blank, problem=small, faults=faults, facts=said)
    try:
        scores = frame_scores(
            output, reference, wanted, facts.colour, os.cpu_count() or 1, on_share, should_stop
        )
    except OvrikError as exc:
        # It was decoded to its end a moment ago: what failed is the scoring, not the output.
        raise PassingTrouble(exc.problem, exc.remedy) from None
    _same_output(output, run)
    return dataclasses.replace(blank, faults=faults, facts=said, metrics=scores)
