"""Check and score the outputs that have not been judged yet."""

import math
import statistics
import threading
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import cache
from typing import TypeVar

import psutil

from ovrik.errors import Ask, PassingTrouble
from ovrik.quality.checks.all_points import EDITION as CHECKS
from ovrik.quality.decode.sound import excerpt_sound
from ovrik.quality.reference.key import key_of
from ovrik.store.records.score import ScoreRecord
from ovrik.store.schema.file import nothing_timed
from ovrik.store.study import Study
from ovrik.study.contender.delivery import Delivery, delivery
from ovrik.study.programme.unchanged import check_unchanged
from ovrik.work.apart.parts import Bench
from ovrik.work.checking.judging import Judging
from ovrik.work.checking.one_pass import Due, OnePass, ScoringUpdate, Watch, lacking, reporting
from ovrik.work.checking.playback import play_outputs
from ovrik.work.evidence.gathered import counted
from ovrik.work.evidence.outputs_on_disk import latest_output, output_path
from ovrik.work.footage.references import against_for, is_made, treating_build

TOGETHER = 4
"""Outputs scored in one pass, at the most: decoding the reference is shared, what each needs of memory adds up."""
BYTES_A_PIXEL, OF_REFERENCE, SHARE = 256, 150, 1 / 3
"""Memory that judging takes for each pixel of an output's frames, the program that scores included, and for each of
the reference's (measured with 2160p of 10 bits: 2.1 GB and 1.25 GB); and the share of what is free that it may
take."""
OF_A_REFERENCE = 0.5
"""Making a reference takes about so much of the time that an output does."""


def unscored(study: Study, every: int = 1) -> list[Due]:
    """Outputs that no score on file speaks of, or only one of a sample of frames when all of them are wanted: the
    fastest first, since the first of them that is acceptable is the choice, whatever the slower ones are like."""
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
    usual = _usual_s(study)
    return sorted(out, key=lambda due: usual.get(due.contender.contender_id, math.inf))


def _usual_s(study: Study) -> dict[int, float]:
    """Median seconds of each contender's counted runs."""
    found: dict[int, list[float]] = {}
    for run in counted(study):
        if run.wall_s is not None:
            found.setdefault(run.contender_id, []).append(run.wall_s)
    return {contender_id: statistics.median(times) for contender_id, times in found.items()}


def _behind(score: ScoreRecord, every: int) -> bool:
    """Whether an output that was judged is to be looked at again: earlier checks were others, and what could not be
    measured then may be measurable now."""
    return score.facts.checks < CHECKS or (every == 1 and lacking(score))


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
    groups = list(_by_reference(todo))
    weights = [0.0 if is_made(facts, programme, g[0].wanted, g[0].by) else OF_A_REFERENCE for g in groups]
    steps = len(todo) + sum(weights)
    at, passing = 0.0, list[str]()
    sound = _once(lambda: excerpt_sound(programme, facts.excerpt))
    check_unchanged(programme)
    for group, weight in zip(groups, weights, strict=True):
        report = reporting(watch, "Making the reference", at / steps, weight / steps)
        against = against_for(facts, programme, group[0].wanted, group[0].by, report, should_stop)
        at += weight
        count = together(group[0].wanted)
        for start in range(0, len(group), count):
            some = group[start : start + count]
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
            one_pass = OnePass(
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


def together(wanted: Delivery, free: int | None = None) -> int:
    """How many outputs of this size are scored in one pass; `free` bytes of memory, None for what is free now."""
    pixels = max(wanted.width * wanted.height, 1)
    may_take = SHARE * (psutil.virtual_memory().available if free is None else free)
    return max(1, min(TOGETHER, int((may_take / pixels - OF_REFERENCE) / BYTES_A_PIXEL)))


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
