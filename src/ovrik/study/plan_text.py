"""A question as the text of a plan file."""

from typing import Any

from ovrik.study.conduct import Conduct
from ovrik.study.contender_table import table_of
from ovrik.study.question import Question, Span


def plan_text(question: Question) -> str:
    """A question as TOML; `load_plan` reads it back to the same question. Treatments travel in the timeline
    that the plan names."""
    source = question.source
    lines = ["[study]", f"title = {toml(question.title)}"]
    if source.timeline:
        lines.append(f"timeline = {toml(str(source.timeline))}")
    elif len(source.clips) == 1:
        lines.append(f"footage = {toml(str(source.clips[0]))}")
    else:
        lines.append(f"clips = {toml([str(c) for c in source.clips])}")
    if source.media:
        lines.append(f"media = {toml([str(m) for m in source.media])}")
    if source.ready_set:
        lines.append(f"treatments = {toml(source.ready_set)}")
    first = _span(question.excerpts[0]) if question.excerpts else {}
    if len(question.excerpts) == 1 and first and not question.excerpts[0].name:
        lines.append(f"excerpt = {toml(first)}")
    lines += [
        f"rounds = {question.rounds}",
        f"warmup = {question.warmup}",
        f"baseline = {toml(question.baseline)}",
        f"tie_band = {question.tie_band!r}",
    ]
    if len(question.excerpts) > 1 or any(e.name for e in question.excerpts):
        for span in question.excerpts:
            lines += _table("excerpt", {"name": span.name, **_span(span)})
    lines += ["", "[limits]"]
    lines += [f"{k} = {v!r}" for k, v in vars(question.limits).items() if v is not None]
    usual, own = Conduct().to_json(), question.conduct.to_json()
    if own != usual:
        lines += ["", "[timing]", *(f"{k} = {toml(v)}" for k, v in own.items() if v != usual[k])]
    for t in source.treatments:
        lines += _table("treatment", {"kind": t.kind, **dict(t.values)})
    for number, t in source.on_shots:
        lines += _table("treatment", {"kind": t.kind, "shot": number, **dict(t.values)})
    for c in question.contenders:
        lines += _table("contender", table_of(c))
    for d in question.programs:
        told = d.model_dump(mode="json", exclude_defaults=True, exclude_none=True)
        lines += _table("program", told)
    return "\n".join(lines) + "\n"


def _span(span: Span) -> dict[str, Any]:
    told = {
        "start": span.start_s or None,
        "duration": span.duration_s,
        "start_frame": span.start_frame,
        "frames": span.frames,
    }
    return {k: v for k, v in told.items() if v is not None}


def _table(name: str, values: dict[str, Any]) -> list[str]:
    return ["", f"[[{name}]]", *(f"{k} = {toml(v)}" for k, v in values.items())]


def toml(value: Any) -> str:
    """A value as TOML writes it."""
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_bare(k)} = {toml(v)}" for k, v in value.items()) + " }"
    if isinstance(value, list):
        return "[" + ", ".join(map(toml, value)) + "]"
    if isinstance(value, bool):
        return "true" if value else "false"
    if not isinstance(value, str):
        return repr(value)
    escaped = value.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{escaped}"'


def _bare(key: str) -> str:
    return key if key.replace("_", "").replace("-", "").isalnum() else toml(key)
