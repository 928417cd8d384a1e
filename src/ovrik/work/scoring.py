"""Check and score the outputs that have not been judged yet."""

import dataclasses
import math
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np

from ovrik.errors import OvrikError, PassingTrouble
from ovrik.machine.builds import find_build
from ovrik.quality.alignment import Match, doubtful, kept_miniatures, match, whose
from ovrik.quality.conformity import conformity_points
from ovrik.quality.file_points import file_points
from ovrik.quality.metrics import LEAST_SIDE, belonging, frame_scores
from ovrik.quality.miniatures import Miniatures, miniatures
from ovrik.quality.picture_points import Pair, picture_points
from ovrik.quality.reference_key import key_of
from ovrik.quality.sound import excerpt_sound, sound_of
from ovrik.quality.sound_points import LOUDNESS, sound_points
from ovrik.store.records import OFFSET, RunRecord, ScoreRecord, StudyFacts
from ovrik.store.study import Study
from ovrik.study.checksum import file_sha256
from ovrik.study.contender import Contender
from ovrik.study.delivery import Delivery, delivery
from ovrik.study.footage import Footage
from ovrik.study.point import UNKNOWN, Point, point
from ovrik.study.probe import probe
from ovrik.study.programme import Programme
from ovrik.study.unchanged import check_unchanged
from ovrik.work.evidence import latest_output, output_path
from ovrik.work.parts import Bench
from ovrik.work.playback import play_outputs
from ovrik.work.references import reference_for


@dataclass(frozen=True)
class ScoringUpdate:
    """Fields: `what` is being done, in words; `share` of the whole, 0 to 1; `ended`, the label of
    an output that has just been scored, or ""."""

    what: str
    share: float
    ended: str = ""


def unscored(study: Study) -> list[tuple[Contender, RunRecord]]:
    """Outputs that no score on file speaks of."""
    facts, programme = study.facts(), study.programme()
    out = []
    for contender in study.contenders():
        run = latest_output(study, contender.id)
        key = key_of(facts, programme, delivery(programme, facts.excerpt, contender.recipe))
        if run and not study.score(contender.id, run.output_sha256 or "", key):
            out.append((contender, run))
    return out


def score_all(
    study: Study,
    watch: Callable[[ScoringUpdate], None] = lambda _m: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> int:
    """Score every output not judged yet, and play it where the limits ask for that; gives how many. What could not be
    judged for a passing reason is left for another time and reported at the end. Raises OvrikError, Stopped."""
    count = _score(study, unscored(study), watch, should_stop)
    if study.facts().limits.plays:
        say: Callable[[float, str], None] = lambda _share, what: watch(ScoringUpdate(what, 1.0))  # noqa: E731
        count = max(count, play_outputs(Bench(study, say, should_stop)))
    return count


def _score(
    study: Study,
    todo: Sequence[tuple[Contender, RunRecord]],
    watch: Callable[[ScoringUpdate], None],
    should_stop: Callable[[], bool],
) -> int:
    """Score these outputs; gives how many."""
    if not todo:
        return 0
    facts, programme = study.facts(), study.programme()
    wanted = [delivery(programme, facts.excerpt, c.recipe) for c, _run in todo]
    references: dict[str, Path] = {}
    steps = len(todo) + len({key_of(facts, programme, w) for w in wanted})
    judge, at = find_build("bundled").to_json(), 0
    passing: list[str] = []
    sound = cache(lambda: excerpt_sound(programme, facts.excerpt))
    check_unchanged(programme)
    for (contender, run), asked in zip(todo, wanted, strict=True):
        key = key_of(facts, programme, asked)
        if key not in references:
            report = _reporting(watch, "Making the reference", at / steps, steps)
            references[key] = reference_for(facts, programme, asked, report, should_stop)
            at += 1
        what = f"Scoring {contender.label}"
        try:
            job = Judging(programme, facts, references[key], key, asked, contender, run, sound)
            report = _reporting(watch, what, at / steps, steps)
            record = judged(output_path(study, run), job, report, should_stop)
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


@dataclass(frozen=True)
class Judging:
    """What an output is judged by. Fields: `programme` and `facts` of the study; `reference`, the file, and `key`,
    its name; `wanted`, what the output is to be; `contender`; `run` that wrote it; `sound`, what the excerpt sounds
    like."""

    programme: Programme
    facts: StudyFacts
    reference: Path
    key: str
    wanted: Delivery
    contender: Contender
    run: RunRecord
    sound: Callable[[], np.ndarray]


def judged(
    output: Path, job: Judging, on_share: Callable[[float], None], should_stop: Callable[[], bool]
) -> ScoreRecord:
    """Conformity and per-frame scores of one output; a fault becomes part of the record. Raises PassingTrouble when
    the trouble lies elsewhere than in the output."""
    blank = ScoreRecord(0, job.contender.id, job.run.output_sha256 or "", job.key, (), "", {})
    wanted = job.wanted
    _same_output(output, job.run)
    try:
        clip = probe(output)
        seen = miniatures(output, should_stop)
    except OvrikError as exc:
        _same_output(output, job.run)
        return dataclasses.replace(blank, problem=str(exc), faults=(f"it can't be judged: {exc}",))
    clip = dataclasses.replace(clip, frames=seen.count) if clip.constant_rate else clip
    named = bool(job.facts.conduct.reference)
    against, kept = probe(job.reference), kept_miniatures(job.reference, should_stop)
    found = match(seen, clip.rate, kept, wanted.rate, named)
    found = _located(found, seen, clip, job, should_stop)
    points = [
        *conformity_points(clip, wanted, job.contender.recipe),
        *(point(SHOWN, fault) for fault in found.faults or [""]),
        *(picture_points(Pair(seen, clip, kept, against, found)) if found.shown else []),
        *file_points(output, clip.container, seen.broken, job.contender.recipe.bit_rate),
        *(_heard(output, clip, job, should_stop) if wanted.sound and clip.sounds else []),
    ]
    faults = tuple(p.fault for p in points if p.fault)
    done = dataclasses.replace(blank, faults=faults, facts=_facts(clip, found), points=tuple(points))
    if not found.shown:
        return dataclasses.replace(done, problem="it shows something else, so that it has no score")
    if min(wanted.width, wanted.height) < LEAST_SIDE:
        small = (
            f"{wanted.width}×{wanted.height} is too small for VMAF, which takes {LEAST_SIDE} pixels and more"
        )
        return dataclasses.replace(done, problem=small)
    theirs = dataclasses.replace(wanted, colour=against.colour) if named else wanted
    filters = belonging(found, clip, against, wanted)
    try:
        scores = frame_scores(
            output, job.reference, theirs, clip.colour, os.cpu_count() or 1, filters, on_share, should_stop
        )
    except OvrikError as exc:
        # It was decoded to its end a moment ago: what failed is the scoring, not the output.
        raise PassingTrouble(exc.problem, exc.remedy) from None
    _same_output(output, job.run)
    return dataclasses.replace(done, metrics=scores)


SHOWN = "shows the excerpt"


def _heard(output: Path, clip: Footage, job: Judging, should_stop: Callable[[], bool]) -> list[Point]:
    """Points about the sound; that it can't be read is one of them."""
    theirs, ours = job.programme.sounds[0].channels if job.programme.plain else 2, clip.sounds[0].channels
    fault = f"its audio has {ours} channels instead of {theirs}" if ours != theirs else ""
    channels = point("audio channels", fault, str(ours))
    try:
        return [
            channels,
            *sound_points(sound_of(output, should_stop=should_stop), job.sound(), float(1 / clip.rate)),
        ]
    except OvrikError as exc:
        return [channels, Point(LOUDNESS, UNKNOWN, str(exc))]


def _located(
    found: Match, seen: Miniatures, clip: Footage, job: Judging, should_stop: Callable[[], bool]
) -> Match:
    """The same match, with what the output shows instead of the excerpt where that is in doubt."""
    if job.facts.conduct.reference:
        other = "it does not show what the reference shows"
        return found if found.shown else dataclasses.replace(found, faults=(other,))
    if not doubtful(found):
        return found
    where = whose(seen, clip.rate, job.programme, job.facts.excerpt, should_stop)
    if found.shown and not where.startswith("it shows"):
        return found
    return dataclasses.replace(found, faults=(where,), shown=False)


def _facts(clip: Footage, found: Match) -> dict[str, str]:
    """What was read of an output, by name."""
    said = {
        "codec": clip.codec,
        "profile": clip.profile,
        "frames": str(clip.frames),
        "size": f"{clip.width}×{clip.height}",
        "pixel format": clip.pixel_format,
        "rate": f"{float(clip.rate):g} fps",
        "duration": f"{clip.container_s:.2f} s",
        "audio": ", ".join(s.codec for s in clip.sounds) or "none",
    }
    if found.lag:
        said[OFFSET] = f"{found.lag} frames"
    if math.isfinite(found.likeness):
        said["likeness"] = f"{found.likeness:.3f}"
    return said
