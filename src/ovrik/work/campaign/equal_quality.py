"""At equal quality: the setting of each encoder that just meets a floor, found by few encodes of the excerpt."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ovrik.analysis.scores.pooling import pooled
from ovrik.analysis.scores.search import MOST_ENCODES, Aim, SearchScale, next_step
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.run.timed import timed_run
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import key_of
from ovrik.quality.scores.metric_table import METRICS
from ovrik.quality.scores.metrics import ToScore, scores_of
from ovrik.store.records.searched import SearchPoint
from ovrik.store.schema.file import nothing_timed
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.delivery import Delivery, delivery
from ovrik.study.contender.quality_series import but_quality, has_a_setting
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.files.checksum import sha256_now
from ovrik.study.files.scratch import scratch_folder
from ovrik.study.programme.unchanged import check_unchanged
from ovrik.study.question.limit_kinds import LIMIT_KINDS, LimitKind
from ovrik.work.evidence.gathered import Evidence, gather
from ovrik.work.footage.references import against_for, treating_build
from ovrik.work.lineup.able import barred, builds_for
from ovrik.work.lineup.approvals_wanted import not_allowed
from ovrik.work.prepare.fingerprint import fingerprint
from ovrik.work.prepare.preparing import plan_for, prepare
from ovrik.work.timing.fairness import wall_for

TOPS = {"vmaf": 100.0, "ssim": 1.0}
LITTLE = 0.5
"""What counts as little of a quality, in steps of the limit: half a point of VMAF."""

Say = Callable[[float, str], None]


@dataclass(frozen=True)
class Matched:
    """What a search came to. Fields: `contender` that it was made for; `found`, the contender with the setting that
    just meets the floor, None for none; `value`, its quality; `encodes` that were made now; `why` it ended."""

    contender: Contender
    found: Contender | None
    value: float | None
    encodes: int
    why: str


def searchable(e: Evidence) -> list[Contender]:
    """Contenders whose rate control is a quality number, one of each that differ in nothing else."""
    out: dict[tuple[object, ...], Contender] = {}
    for s in e.summaries:
        c = s.contender
        if not has_a_setting(c) or (s.reasons and not s.times):
            continue
        out.setdefault(but_quality(c), c)
    return list(out.values())


def points_of(study: Study, e: Evidence, c: Contender, key: str) -> dict[float, float]:
    """What is known of a contender's quality by its setting: from outputs in the line-up, and earlier searches."""
    same = [
        s for s in e.summaries if has_a_setting(s.contender) and but_quality(s.contender) == but_quality(c)
    ]
    out = {
        s.contender.recipe.quality: s.measured.values[key]
        for s in same
        if key in s.measured.values and s.conforms and not s.sampled
    }
    wanted = key_of(e.facts, e.programme, delivery(e.programme, e.facts.excerpt, c.recipe))
    ids = {s.contender.contender_id for s in same} | {c.contender_id}
    for p in study.search_points(e.programme.checksum, e.facts.excerpt):
        alike = replace(p.recipe, quality=0.0) == replace(c.recipe, quality=0.0)
        if p.contender_id in ids and alike and p.reference == wanted and key in p.values:
            out.setdefault(p.recipe.quality, p.values[key])
    return {float(q): v for q, v in out.items() if q is not None}


def match_all(
    study: Study,
    contenders: Sequence[Contender],
    key: str,
    floor: float,
    say: Say = lambda _s, _w: None,
    should_stop: Ask = lambda: False,
    most: int = MOST_ENCODES,
) -> list[Matched]:
    """Search for each of these, and put what is found in the line-up. Raises OvrikError, Stopped; what was found
    until then, and every encode, is kept."""
    kind = LIMIT_KINDS[key]
    if not kind.metric:
        raise OvrikError(f"{kind.title} is no quality", "Name a floor such as vmaf_mean")
    out = []
    with nothing_timed():
        check_unchanged(study.programme())
        for number, c in enumerate(contenders):
            share: Say = lambda s, w, number=number: say((number + s) / len(contenders), w)  # type: ignore[misc] # noqa: E731
            out.append(Search(study, c, kind, floor, share, should_stop, most).go())
    say(1.0, "Searched")
    return out


class Search:
    """One contender's search. Raises OvrikError, Stopped from all that it does."""

    def __init__(
        self, study: Study, c: Contender, kind: LimitKind, floor: float, say: Say, should_stop: Ask, most: int
    ) -> None:
        self.study, self.c, self.kind, self.say, self.should_stop = study, c, kind, say, should_stop
        self.most = most
        scale = c.recipe.facts.quality
        self.scale = SearchScale(scale.low, scale.high, scale.step, scale.best_low)
        self.aim = Aim(floor, LITTLE * kind.step, TOPS.get(kind.metric, np.inf))
        self.evidence = gather(study)

    def go(self) -> Matched:
        """Try settings until the last that meets the floor is found, and put it in the line-up."""
        if not has_a_setting(self.c):
            raise OvrikError(
                f"{self.c.label} is not made by a quality number",
                "Choose one with constant quality, such as CRF",
            )
        if (refused := not_allowed(self.c)) or (refused := barred(self.study).get(self.c.contender_id, "")):
            raise OvrikError(f"{self.c.label}: {refused}", "Choose another contender")
        points, made = points_of(self.study, self.evidence, self.c, self.kind.key), 0
        known = len(points)
        while True:
            first = self.c.recipe.quality or 0.0
            step = next_step(points, self.scale, self.aim, first, known + self.most)
            if step.setting is None:
                return self._kept(step.found, points, made, step.why)
            if self.should_stop():
                raise Stopped
            self.say(
                made / self.most,
                f"{self.c.label}: encoding at {step.setting:g}, {made + 1} of at most {self.most}",
            )
            points[step.setting] = self.quality(replace(self.c.recipe, quality=step.setting))
            made += 1

    def _kept(self, setting: float | None, points: dict[float, float], made: int, why: str) -> Matched:
        if setting is None:
            return Matched(self.c, None, None, made, why)
        wanted = replace(self.c.unnamed(), recipe=replace(self.c.recipe, quality=setting))
        known = next((x for x in self.study.contenders() if x.same_thing(wanted)), None)
        if known is None:
            known = self.study.add_contender(wanted)
            self.study.relabel(labelled(self.study.contenders()))
            known = next(x for x in self.study.contenders() if x.contender_id == known.contender_id)
        return Matched(self.c, known, points[setting], made, why)

    def quality(self, recipe: Recipe) -> float:
        """Encode the excerpt with a recipe, score it, and keep both."""
        e = self.evidence
        trial = replace(self.c, recipe=recipe)
        build = builds_for([trial])[trial.build]
        plan = plan_for(self.study, trial, build, e.programme, e.facts.excerpt)
        machine = fingerprint(self.study).to_json()
        problem = prepare(self.study, plan, machine, lambda _w, _p: None, self.should_stop)
        if problem:
            raise (
                Stopped if problem == "stopped" else OvrikError(f"{trial.label}: {problem}", "Mend it first")
            )
        wanted = delivery(e.programme, e.facts.excerpt, recipe)
        by = treating_build(e.programme, trial)
        against = against_for(e.facts, e.programme, wanted, by, lambda _s: None, self.should_stop)
        with scratch_folder("search") as place:
            output = place / f"try.{recipe.container}"
            partial = output.with_name(f"partial.{recipe.container}")
            commands = plan.commands(partial, place / "stats")
            wall = wall_for(plan, Path(place))
            done = timed_run(
                commands, partial, output, should_stop=self.should_stop, reader=plan.reader(), wall=wall
            )
            if done.state == "stopped":
                raise Stopped
            if done.state != "done" or done.usage is None:
                raise OvrikError(f"{trial.label} failed: {done.reason}", "Choose another contender")
            values = self._scored(output, against.path, wanted)
            sha256 = sha256_now(output)
        key = key_of(e.facts, e.programme, wanted)
        point = SearchPoint(
            contender_id=self.c.contender_id,
            recipe=recipe,
            reference=key,
            wall_s=done.usage.wall_s,
            bytes=done.output_bytes,
            output_sha256=sha256,
            values=values,
        )
        self.study.keep_search_point(point, e.programme, e.facts.excerpt)
        if self.kind.key not in values:
            raise OvrikError(f"{self.kind.title} can't be measured here", "Choose another floor")
        return values[self.kind.key]

    def _scored(self, output: Path, reference: Path, wanted: Delivery) -> dict[str, float]:
        job = ToScore(output, wanted, probe(output).colour)
        [found] = scores_of([job], reference, should_stop=self.should_stop)
        metrics = {m.key: found[m.key].values for m in METRICS if m.key in found}
        each = {k: pooled(v, float(wanted.rate)) for k, v in metrics.items() if len(v)}
        kinds = [k for k in LIMIT_KINDS.values() if k.metric in each]
        return {k.key: float(getattr(each[k.metric], k.statistic)) for k in kinds}
