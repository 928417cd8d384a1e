"""The evidence as plain values for JSON; docs/formats.md describes them."""

from typing import Any

from ovrik.analysis.pooling import Pooled
from ovrik.analysis.ratio import Ratio
from ovrik.quality.metric_table import METRICS
from ovrik.store.records import RunRecord
from ovrik.study.losses import programme_losses, recipe_losses
from ovrik.study.programme import Programme
from ovrik.work.evidence import Evidence, Summary


def verdict_json(evidence: Evidence) -> dict[str, Any]:
    """What `ovrik verdict --json` prints."""
    labels = {s.contender.id: s.contender.label for s in evidence.summaries}
    return {
        "study": evidence.facts.title,
        "programme": _programme(evidence.programme),
        "excerpt": {
            "start_frame": evidence.facts.excerpt.start_frame,
            "frames": evidence.facts.excerpt.frames,
        },
        "limits": vars(evidence.facts.limits),
        "judged_against": evidence.facts.conduct.reference or "programme",
        "tie_band": evidence.facts.tie_band,
        "machine_differences": list(evidence.machines),
        "noise": _noise(evidence),
        "decisions": [{**vars(d), "label": labels.get(d.contender_id, "")} for d in evidence.decisions],
        "comparisons_together": evidence.comparisons,
        "looks": evidence.facts.conduct.looks,
        "order_effects": [{"with": o.name, **vars(o.trend), "clear": o.trend.clear} for o in evidence.order],
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
        "verdict": {
            "labels": list(evidence.verdict.labels),
            "kind": evidence.verdict.kind,
            "decided": evidence.verdict.decided,
            "most_gain": evidence.verdict.gain,
            "sentence": evidence.verdict.sentence,
        },
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
    noise, row = evidence.times.found.noise, evidence.times.rows[s.contender.id]
    return {"spread": float(noise.variances[row]) ** 0.5, "freedom": float(noise.freedoms[row])}


def _contender(s: Summary) -> dict[str, Any]:
    c = s.contender
    return {
        "label": c.label,
        "build": c.build,
        "encoder": c.recipe.encoder,
        "simulated": c.simulated,
        "recipe": c.recipe.to_json(),
        "runs": [_run(r) for r in s.runs if r.state != "running"],
        "usual_s": s.usual_s,
        "doubt_s": s.doubt_s,
        "plays": s.plays,
        "unseen": s.unseen,
        "median_s": s.median_s,
        "spread": vars(s.spread) if s.spread else None,
        "erratic": s.erratic,
        "ratio": _ratio(s.ratio),
        "answer": s.answer,
        "more_rounds": s.more_rounds,
        "standing": s.standing,
        "most_gain": s.gain,
        "left_out": s.left_out,
        "bytes": s.bytes,
        "megabytes_per_minute": s.mb_per_minute,
        "quality": {m.key: _pooled(s.quality.get(m.key)) for m in METRICS},
        "conforms": s.conforms,
        "points": [vars(p) for p in s.score.points] if s.score else [],
        "acceptable": s.acceptable,
        "reasons": list(s.reasons),
        "decode": c.decode,
        "treatments": c.treat,
        "prerendered": c.prerendered.to_json() if c.prerendered else None,
        "differs_in": [{"factor": f, "baseline": a, "here": b} for f, a, b in s.apart.differ],
        "payoff": vars(s.payoff) if s.payoff else None,
    }


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
        "disturbed": r.disturbed,
        "fell_back": r.fell_back,
        "conditions": r.conditions,
        "argv": list(r.argv),
        "earlier_passes": [list(c) for c in r.earlier_passes],
    }


def _ratio(ratio: Ratio | None) -> dict[str, Any] | None:
    if ratio is None:
        return None
    return {"value": ratio.value, "low": ratio.low, "high": ratio.high, "rounds": ratio.pairs}


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
