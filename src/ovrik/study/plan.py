"""The plan file: a study's question as TOML that a person can write by hand."""

import tomllib
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ovrik.errors import OvrikError
from ovrik.study.contender import SIMULATED, Contender, labelled
from ovrik.study.described import Description
from ovrik.study.limits import Limits
from ovrik.study.question import Question
from ovrik.study.recipe import parse_bit_rate, recipe


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=False)


class ExcerptTable(_Strict):
    """`excerpt = { start, duration }` in seconds; no duration runs to the end."""

    start: float = Field(0.0, ge=0)
    duration: float | None = Field(None, gt=0)


class StudyTable(_Strict):
    """`[study]`."""

    title: str = Field(min_length=1)
    footage: str = Field(min_length=1)
    excerpt: ExcerptTable = Field(default_factory=lambda: ExcerptTable.model_validate({}))
    rounds: int = Field(3, ge=1, le=100)
    warmup: int = Field(1, ge=0, le=5)
    baseline: str = ""
    tie_band: float = Field(0.02, ge=0, le=0.2)


class LimitsTable(_Strict):
    """`[limits]`."""

    vmaf_mean: float | None = Field(None, ge=0, le=100)
    vmaf_p5: float | None = Field(None, ge=0, le=100)
    megabytes_per_minute: float | None = Field(None, gt=0)


class ContenderTable(_Strict):
    """One `[[contender]]`."""

    label: str = ""
    build: str = "bundled"
    encoder: str
    preset: str | None = None
    quality: float | None = None
    bit_rate: str | int | None = None
    pixel_format: str | None = None
    container: str | None = None
    sound: str | None = None


class PlanFile(_Strict):
    """The whole file."""

    study: StudyTable
    limits: LimitsTable = Field(default_factory=lambda: LimitsTable.model_validate({}))
    contender: list[ContenderTable] = Field(min_length=1)
    program: list[Description] = Field(default_factory=list)


def load_plan(path: Path) -> Question:
    """Read and check a plan. Raises OvrikError naming the file, the key and the remedy."""
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        raise OvrikError(f"{path} is not there", "Check the plan's name") from None
    except (OSError, UnicodeDecodeError) as exc:
        raise OvrikError(f"{path} can't be read as text ({exc})", "A plan is a TOML file") from None
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as exc:
        raise OvrikError(f"{path}: not valid TOML: {exc}", "Mend that line") from None
    try:
        plan = PlanFile.model_validate(data)
    except ValidationError as exc:
        raise OvrikError(f"{path}: {_first_fault(exc)}") from None
    return _question(plan, path)


def _first_fault(exc: ValidationError) -> str:
    fault = exc.errors()[0]
    key = _key(fault["loc"])
    if fault["type"] == "extra_forbidden":
        return f"{key} is not a key of a plan; remove it or check its spelling"
    if fault["type"] == "missing":
        return f"{key} is missing; add it"
    given = fault.get("input")
    shown = f" (it is {given!r})" if isinstance(given, str | int | float | bool) else ""
    return f"{key}: {fault['msg'][:1].lower()}{fault['msg'][1:]}{shown}; change it"


def _key(loc: tuple[int | str, ...]) -> str:
    """The place of a fault as a person would find it: contender 2, "preset"."""
    words = []
    for part in loc:
        words.append(str(part + 1) if isinstance(part, int) else str(part))
    if words[0] == "contender" and len(words) > 1:
        return f"contender {words[1]}" + (f", key {words[2]}" if len(words) > 2 else "")
    return "key " + ".".join(words)


def _question(plan: PlanFile, path: Path) -> Question:
    contenders, refused = [], []
    for number, table in enumerate(plan.contender, 1):
        try:
            contenders.append(_contender(table, path.parent))
        except OvrikError as exc:
            if "bit rate" in exc.problem:
                raise OvrikError(
                    f"{path}: contender {number}, key bit_rate: {exc.problem}", exc.remedy
                ) from None
            refused.append((table.label or f"contender {number}", str(exc)))
    if not contenders:
        raise OvrikError(f"{path}: no contender can be used: {refused[0][1]}")
    ready = tuple(labelled(contenders))
    labels = [c.label for c in ready]
    for label in labels:
        if labels.count(label) > 1:
            raise OvrikError(f'{path}: two contenders have the label "{label}"', "Rename one")
    about = plan.study
    baseline = about.baseline or labels[0]
    if baseline not in labels and baseline + SIMULATED in labels:
        baseline += SIMULATED
    if baseline not in labels:
        raise OvrikError(
            f'{path}: key study.baseline: no contender is labelled "{baseline}"',
            f"Choose one of: {', '.join(labels)}",
        )
    footage = Path(about.footage).expanduser()
    return Question(
        title=about.title,
        footage=footage if footage.is_absolute() else path.parent / footage,
        start_s=about.excerpt.start,
        duration_s=about.excerpt.duration,
        rounds=about.rounds,
        warmup=about.warmup,
        baseline=baseline,
        limits=Limits(**plan.limits.model_dump()),
        contenders=ready,
        tie_band=about.tie_band,
        programs=tuple(plan.program),
        refused=tuple(refused),
    )


def _contender(table: ContenderTable, folder: Path) -> Contender:
    bit_rate = None if table.bit_rate is None else parse_bit_rate(str(table.bit_rate))
    made = recipe(table.encoder, table.preset, table.quality, bit_rate, table.pixel_format,
                  table.container, table.sound)  # fmt: skip
    build = table.build
    if build not in ("bundled", "system") and not build.startswith(("wheel-", "standin-", "described-")):
        place = Path(build).expanduser()
        build = str(place if place.is_absolute() else (folder / place).resolve())
    return Contender(build, made, table.label, bool(table.label))


def plan_text(question: Question) -> str:
    """A question as the text of a plan file; `load_plan` reads it back to the same question."""
    lines = ["[study]", f"title = {_toml(question.title)}",
             f"footage = {_toml(str(question.footage))}"]  # fmt: skip
    if question.start_s or question.duration_s is not None:
        span = f"start = {question.start_s!r}"
        if question.duration_s is not None:
            span += f", duration = {question.duration_s!r}"
        lines.append(f"excerpt = {{ {span} }}")
    lines += [f"rounds = {question.rounds}", f"warmup = {question.warmup}",
              f"baseline = {_toml(question.baseline)}", f"tie_band = {question.tie_band!r}"]  # fmt: skip
    lines += ["", "[limits]"]
    lines += [f"{k} = {v!r}" for k, v in vars(question.limits).items() if v is not None]
    for c in question.contenders:
        lines += ["", "[[contender]]", f"label = {_toml(c.label)}", f"build = {_toml(c.build)}"]
        lines += [f"{k} = {_toml(v)}" for k, v in c.recipe.to_json().items() if v is not None]
    return "\n".join(lines) + "\n"


def _toml(value: Any) -> str:
    if not isinstance(value, str):
        return repr(value)
    escaped = value.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{escaped}"'
