"""The evidence as plain values for JSON; docs/formats.md describes them."""

from typing import Any

from ovrik.analysis.choice.changes import Crossing
from ovrik.analysis.choice.verdict import Verdict
from ovrik.analysis.scores.pooling import Pooled, lost
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.quality.scores.metric_table import METRICS
from ovrik.report.forms.plain import ratio_json
from ovrik.report.words.factors import effect_words
from ovrik.report.words.progress import changes_words
from ovrik.report.words.reasons import (
    decision_words,
    disturbed_words,
    fell_back_words,
    on_processor_words,
    reasons_words,
)
from ovrik.report.words.sittings import SAID, pair_words, worse_words
from ovrik.report.words.verdict import sentence_of, sentence_over
from ovrik.store.records.decision import Decision
from ovrik.store.records.run import RunRecord
from ovrik.study.contender.losses import programme_losses, recipe_losses
from ovrik.study.facts.notes import Blind
from ovrik.study.programme.programme import Programme
from ovrik.work.answers.factors import factors
from ovrik.work.answers.over_kinds import OverKinds
from ovrik.work.answers.sittings import SittingPair
from ovrik.work.answers.size_quality import base_of, curves, size_against, size_quality
from ovrik.work.answers.what_if import what_if
from ovrik.work.answers.worth import used
from ovrik.work.checking.blind import told_of
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.summary import Summary


def verdict_json(evidence: Evidence, over: OverKinds | None = None) -> dict[str, Any]:
    """What `ovrik verdict --json` prints."""
    labels = {s.contender.contender_id: s.contender.label for s in evidence.summaries}
    limits = evidence.facts.limits
    return {
        "study": evidence.facts.title,
        "programme": _programme(evidence.programme),
        "excerpt": {
            "start_frame": evidence.facts.excerpt.start_frame,
            "frames": evidence.facts.excerpt.frames,
        },
        "limits": {**dict(limits.values), "plays": limits.plays, "unseen": limits.unseen},
        "judged_against": evidence.facts.conduct.reference or "programme",
        "tie_band": evidence.facts.tie_band,
        "machine_differences": list(evidence.machines),
        "noise": _noise(evidence),
        "decisions": [_decision(d, evidence) for d in evidence.decisions],
        "comparisons_together": evidence.comparisons,
        "looks": evidence.looks,
        "order_effects": [{"with": o.along, **vars(o.trend), "clear": o.trend.clear} for o in evidence.order],
        "programme_loses": list(programme_losses(evidence.programme)),
        "contenders": [
            {
                **_contender(s),
                "noise": _own_noise(evidence, s),
                "loses": list(recipe_losses(evidence.programme, s.contender.recipe)),
                "other_forms": list(s.other_forms),
            }
            for s in evidence.summaries
        ],
        "size_and_quality": [
            {"label": o.summary.contender.label, **{k: v for k, v in vars(o).items() if k != "summary"}}
            for o in size_quality(evidence)
        ],
        "at_equal_quality": _at_equal_quality(evidence),
        "notes": [{**vars(p), "label": labels.get(p.contender_id, "")} for p in evidence.pins],
        "blind_comparisons": [_blind(b) for b in evidence.blinds],
        "verdict": _verdict(evidence.verdict, evidence, sentence_of(evidence)),
        "would_change": _would_change(evidence),
        "by_factor": _by_factor(evidence, over),
        "worth": {**vars(evidence.facts.worth), "prices": dict(evidence.facts.worth.prices)},
        "in_use": [{"label": u.summary.contender.label, **vars(u.found)} for u in used(evidence) if u.found],
    }


def evidence_json(evidence: Evidence, kinds: OverKinds | None) -> dict[str, Any]:
    """The same, with the verdict over all kinds of footage, where there are several."""
    over = kinds_json(kinds) if kinds and kinds.begun else None
    return {**verdict_json(evidence, kinds), "over_all": over}


def _decision(d: Decision, e: Evidence) -> dict[str, Any]:
    return {
        "contender_id": d.contender_id,
        "label": e.label(d.contender_id),
        "round": d.round,
        "kind": d.kind,
        "gain": d.gain,
        "choice": e.label(d.choice_id) or None,
        "asked": d.asked,
        "reason": decision_words(d, e.label(d.choice_id)),
        "made_utc": d.made_utc,
    }


def _would_change(evidence: Evidence) -> dict[str, Any]:
    """What would make the verdict another one."""
    found = what_if(evidence)
    return {
        "limits": [
            {
                "limit": c.kind.key,
                "to": c.to,
                "choice": evidence.label(c.choice) or None,
                "usual_s": c.cost_s or None,
            }
            for c in found.changes
        ],
        "line_mbit_s": _crossing(found.line, evidence),
        "excerpt_lengths": _crossing(found.length, evidence),
        "deciding": list(found.deciding),
    }


def _crossing(found: Crossing | None, e: Evidence) -> dict[str, Any] | None:
    return {"label": e.label(found.contender_id), "at": found.at} if found else None


def _by_factor(evidence: Evidence, over: OverKinds | None) -> list[dict[str, Any]]:
    """What each level of each factor brings."""
    found = factors(evidence, over)
    return [
        {
            "factor": f.key,
            "base": f.base,
            "levels": [
                {
                    "level": x.level,
                    "pairs": x.pairs,
                    "ratio": ratio_json(x.ratio),
                    "answer": x.answer,
                    "size": vars(x.size) if x.size else None,
                    "vmaf_mean": vars(x.quality) if x.quality else None,
                    "not_everywhere": x.other or None,
                    "groups": [
                        {"level": g.level, "ratio": ratio_json(g.ratio), "answer": g.answer, "apart": g.apart}
                        for g in x.groups
                    ],
                    "words": effect_words(found, f, x),
                }
                for x in f.levels
            ],
            "never_alone": list(f.alone),
        }
        for f in found.effects
    ]


def kinds_json(found: OverKinds) -> dict[str, Any]:
    """The verdict over all kinds of footage, and on each."""
    return {
        "kinds": [
            {
                "name": k.name,
                "programme": k.programme_name,
                "checksum": k.programme,
                "start_frame": k.excerpt.start_frame,
                "frames": k.excerpt.frames,
                "weight": k.weight,
                "verdict": _verdict(e.verdict, e, sentence_of(e)),
                "usual_s": {
                    s.contender.label: found.seconds(n, s.contender.contender_id) for s in e.summaries
                },
            }
            for n, (k, e) in enumerate(zip(found.kinds, found.each, strict=True))
        ],
        "usual_s": {s.contender.label: found.usual_s(n) for n, s in enumerate(found.each[0].summaries)},
        "ratios": {
            s.contender.label: ratio_json(found.ratios.get(s.contender.contender_id))
            for s in found.each[0].summaries
        },
        "verdict": _verdict(found.verdict, found.each[0], sentence_over(found)),
        "changes": changes_words(found),
    }


def _verdict(v: Verdict, e: Evidence, sentence: str) -> dict[str, Any]:
    return {
        "contender_ids": list(v.ids),
        "labels": [e.label(i) for i in v.ids],
        "kind": v.outcome if v.choice is not None else "none",
        "decided": v.decided,
        "most_gain": v.gain,
        "sentence": sentence,
    }


def _noise(evidence: Evidence) -> dict[str, Any]:
    noise, conduct = evidence.times.found.noise, evidence.facts.conduct
    return {
        "assumed": conduct.noise,
        "assumed_runs": conduct.noise_runs,
        "common": noise.common**0.5,
        "freedom": noise.total,
        "alike": noise.alike,
    }


def _own_noise(evidence: Evidence, s: Summary) -> dict[str, float] | None:
    if not s.times:
        return None
    noise, row = evidence.times.found.noise, evidence.times.rows[s.contender.contender_id]
    return {"spread": float(noise.variances[row]) ** 0.5, "freedom": float(noise.freedoms[row])}


def _contender(s: Summary) -> dict[str, Any]:
    c = s.contender
    return {
        "contender_id": c.contender_id,
        "label": c.label,
        "build": c.build,
        "encoder": c.recipe.encoder,
        "simulated": c.simulated,
        "recipe": c.recipe.to_json(),
        "runs": [_run(r) for r in s.runs if r.state != "running"],
        "usual_s": s.usual_s,
        "fps": s.fps,
        "times_real_time": s.times_real_time,
        "doubt_s": s.doubt_s,
        "plays": s.plays,
        "unseen": s.unseen,
        "median_s": s.median_s,
        "spread": vars(s.spread) if s.spread else None,
        "erratic": s.erratic,
        "ratio": ratio_json(s.ratio),
        "answer": s.answer,
        "more_rounds": s.more_rounds,
        "standing": s.standing,
        "most_gain": s.gain,
        "left_out": s.left_out.kind if s.left_out else "",
        "bytes": s.bytes,
        "megabytes_per_minute": s.mb_per_minute,
        "quality": {m.key: _pooled(s.quality.get(m.key)) for m in METRICS},
        "scored_every": s.score.facts.every if s.score else None,
        "losses": _losses(s),
        "conforms": s.conforms,
        "points": [vars(p) for p in s.score.points] if s.score else [],
        "acceptable": s.acceptable,
        "reasons": reasons_words(s.reasons),
        "decode": c.decode,
        "treatments": c.treat,
        "methods": dict(c.methods),
        "prerendered": c.prerendered.to_json() if c.prerendered else None,
        "differs_in": [{"factor": f, "baseline": a, "here": b} for f, a, b in s.apart.differ],
        "payoff": vars(s.payoff) if s.payoff else None,
    }


def _losses(s: Summary) -> dict[str, dict[str, float]]:
    """Each kind of loss that was measured."""
    found = {k.key: lost(s.score.of(k.key)) for k in LOSS_KINDS} if s.score else {}
    return {key: vars(one) for key, one in found.items() if one}


def _blind(b: Blind) -> dict[str, Any]:
    return {
        **vars(b),
        "spots": [vars(s) for s in b.spots],
        "choices": [vars(c) for c in b.choices],
        "result": vars(told_of(b)),
    }


def _at_equal_quality(evidence: Evidence) -> list[dict[str, Any]]:
    found = curves(size_quality(evidence))
    base = base_of(found, evidence)
    return [
        {
            "series": c.name,
            "labels": [p.summary.contender.label for p in c.points],
            "mbit_s": c.sizes,
            "vmaf": c.qualities,
            "against": base.name,
            **vars(size_against(base, c)),
        }
        for c in found
        if base is not None
    ]


def _programme(p: Programme) -> dict[str, Any]:
    return {
        "name": p.name,
        "checksum": p.checksum,
        "clips": [c.path for c in p.clips],
        "shots": len(p.shots),
        "frames": p.frames,
        "rate": str(p.rate),
        "width": p.width,
        "height": p.height,
        "treatments": [t.to_json() for t in p.every_treatment],
        "left_out": list(p.left_out),
    }


def _run(r: RunRecord) -> dict[str, Any]:
    return {
        "wall_s": r.wall_s,
        "state": r.state,
        "warmup": r.warmup,
        "round": r.round,
        "reason": r.reason,
        "started_utc": r.started_utc,
        "build": r.build,
        "first_frame_s": r.first_frame_s,
        "user_s": r.user_s,
        "system_s": r.system_s,
        "peak_bytes": r.peak_bytes,
        "bytes": r.output_bytes,
        "own_cpu_s": r.own_cpu_s,
        "other_cpu_s": r.other_cpu_s,
        "stolen_s": r.stolen_s,
        "origin": r.origin,
        "disturbed": disturbed_words(r.disturbed),
        "fell_back": fell_back_words(r.fell_back),
        "on_processor": on_processor_words(r.on_processor),
        "conditions": r.conditions,
        "argv": list(r.argv),
        "earlier_passes": [list(c) for c in r.earlier_passes],
    }


def _pooled(pooled: Pooled | None) -> dict[str, Any] | None:
    if pooled is None:
        return None
    return {
        "mean": pooled.mean,
        "p5": pooled.p5,
        "p1": pooled.p1,
        "worst_second": pooled.worst_second,
        "harmonic": pooled.harmonic,
    }


def pair_json(pair: SittingPair) -> dict[str, Any]:
    """The comparison as plain values."""
    return {
        "then": vars(pair.then.sitting) | {"builds": dict(pair.then.sitting.builds)},
        "now": vars(pair.now.sitting) | {"builds": dict(pair.now.sitting.builds)},
        "day_to_day": {"spread": pair.shift.spread, "repeats": pair.shift.freedom},
        "machine_differences": pair.machine,
        "words": pair_words(pair),
        "contenders": [
            {
                "label": c.label,
                "then_s": c.then.usual_s,
                "now_s": c.now.usual_s,
                "ratio": ratio_json(c.change.ratio) if c.change else None,
                "runs_reach": c.change.runs_reach if c.change else None,
                "answer": SAID[c.change.answer] if c.change else None,
                "size": c.size,
                "vmaf_mean": c.quality,
                "build_then": c.build_then,
                "build_now": c.build_now,
                "new_build": c.new_build,
                "worse": list(map(worse_words, c.worse)),
            }
            for c in pair.changed
        ],
    }
