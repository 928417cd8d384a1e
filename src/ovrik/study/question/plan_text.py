"""A question as the text of a plan file."""

from typing import Any

import tomli_w

from ovrik.study.contender.as_table import table_of
from ovrik.study.question.asked import Question, Source, Span
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import Limits
from ovrik.study.question.worth import PRICES

ELSEWHERE = (
    "noise",
    "noise_runs",
    "noise_job",
    "noise_alike",
    "noise_pairs",
    "reference",
    "reference_checksum",
)
"""What belongs to a study alone, or stands in another place of a plan."""


def plan_text(question: Question) -> str:
    """A question as TOML; `load_plan` reads it back to the same question. Treatments travel in the timeline
    that the plan names."""
    source, usual, own = question.source, Conduct().to_json(), question.conduct.to_json()
    several = len(question.excerpts) > 1 or any(e.name for e in question.excerpts)
    study = {
        "title": question.title,
        **_media(source),
        "excerpt": None if several or not question.excerpts else _span(question.excerpts[0]),
        "rounds": question.rounds,
        "warmup": question.warmup,
        "baseline": question.baseline,
        "tie_band": question.tie_band,
        "reference": question.conduct.reference,
    }
    plan = {
        "study": _kept(study),
        "excerpt": [_kept({"name": e.name, **_own(e), **_span(e)}) for e in question.excerpts]
        if several
        else [],
        "limits": _limits(question.limits),
        "worth": {k: v for k, v in question.worth.to_json().items() if k not in PRICES},
        "timing": {k: v for k, v in own.items() if v != usual[k] and k not in ELSEWHERE},
        "treatment": [
            *({"kind": t.kind, **dict(t.values)} for t in source.treatments),
            *({"kind": t.kind, "shot": number, **dict(t.values)} for number, t in source.on_shots),
        ],
        "contender": [table_of(c) for c in question.contenders],
        "program": [
            d.model_dump(mode="json", exclude_defaults=True, exclude_none=True) for d in question.programs
        ],
    }
    return tomli_w.dumps(_kept(plan))


def _limits(asked: Limits) -> dict[str, Any]:
    said = {k: v for k, v in (("plays", asked.plays), ("unseen", asked.unseen)) if v}
    return {**said, **dict(asked.values)}


def _media(source: Source) -> dict[str, Any]:
    clips = [str(c) for c in source.clips]
    return {
        "timeline": str(source.timeline) if source.timeline else None,
        "footage": clips[0] if len(clips) == 1 and not source.timeline else None,
        "clips": clips if len(clips) > 1 and not source.timeline else None,
        "timeline_rate": str(source.timeline_rate) if source.timeline_rate else None,
        "media": [str(m) for m in source.media],
        "treatments": source.ready_set,
        "size": f"{source.size[0]}x{source.size[1]}" if source.size else None,
        "fit": source.fit,
    }


def _own(span: Span) -> dict[str, Any]:
    """What an excerpt has of its own: other footage, another weight."""
    weight = {} if span.weight == 1.0 else {"weight": span.weight}
    return {**(_kept(_media(span.source)) if span.source else {}), **weight}


def _span(span: Span) -> dict[str, Any]:
    return _kept(
        {
            "start": span.start_s or None,
            "duration": span.duration_s,
            "start_frame": span.start_frame,
            "frames": span.frames,
        }
    )


def _kept(values: dict[str, Any]) -> dict[str, Any]:
    """What is said: what is empty is left to its default."""
    return {k: v for k, v in values.items() if v not in (None, "", [], {})}
