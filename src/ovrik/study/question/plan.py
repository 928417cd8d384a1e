"""The plan file: a study's question as TOML that a person can write by hand."""

import tomllib
from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, create_model, model_validator

from ovrik.errors import OvrikError
from ovrik.study.contender.as_table import (
    LEVEL_KEYS,
    SETTING,
    ContenderTable,
    contender_of,
    intermediate_text,
    parse_rate,
    table_of,
)
from ovrik.study.contender.contender import SIMULATED, Contender, labelled
from ovrik.study.contender.described import Description
from ovrik.study.contender.grid import COMBINE, FULL, combined, expanded, filtered
from ovrik.study.files.text_file import read_text
from ovrik.study.programme.methods import PREFIX
from ovrik.study.programme.ready_set import READY_SETS
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.programme.treatment_kinds import KINDS
from ovrik.study.question.asked import Question, Source, Span
from ovrik.study.question.conduct import AS_IT_IS, CACHE_STATES, CHOICE, DECIDES, Conduct
from ovrik.study.question.footage_kind import MOST_WEIGHT
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.study.question.limits import READY_LIMITS, Limits, limits_from
from ovrik.study.question.worth import Worth


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", defer_build=True, strict=False)


class ExcerptTable(_Strict):
    """An excerpt: `start` and `duration` in seconds, or `start_frame` and `frames`; to the end if neither
    length is given. Of other footage than the plan's own where `footage`, `clips` or `timeline` names it."""

    name: str = ""
    start: float = Field(0.0, ge=0)
    duration: float | None = Field(None, gt=0)
    start_frame: int | None = Field(None, ge=0)
    frames: int | None = Field(None, ge=2)
    footage: str = ""
    clips: list[str] = Field(default_factory=list)
    timeline: str = ""
    timeline_rate: float | str = ""
    media: list[str] = Field(default_factory=list)
    treatments: str = ""
    weight: float = Field(1.0, ge=0, le=MOST_WEIGHT)

    @model_validator(mode="after")
    def _one_source(self) -> "ExcerptTable":
        given = [name for name in ("footage", "clips", "timeline") if getattr(self, name)]
        if len(given) > 1:
            raise ValueError(f"{' and '.join(given)} contradict each other: keep one of them")
        if given and not self.name:
            raise ValueError("an excerpt of other footage needs a name")
        if self.treatments and not given:
            raise ValueError("treatments go with footage, clips or timeline of its own")
        if self.treatments and self.treatments not in READY_SETS:
            raise ValueError(f"treatments names a ready set: one of {', '.join(READY_SETS)}")
        return self

    @model_validator(mode="after")
    def _one_way(self) -> "ExcerptTable":
        if self.start_frame is not None and (self.start or self.duration is not None):
            raise ValueError("start_frame and frames contradict start and duration: keep one pair")
        return self

    def span(self, folder: Path) -> Span:
        """As a value; files are named from the plan's folder."""
        source = None
        if self.footage or self.clips or self.timeline:
            names = [self.footage] if self.footage else self.clips
            source = Source(
                tuple(_placed(folder, n) for n in names),
                _placed(folder, self.timeline) if self.timeline else None,
                tuple(_placed(folder, m) for m in self.media),
                self.treatments,
                timeline_rate=_rate(self.timeline_rate),
            )
        return Span(
            name=self.name,
            start_s=self.start,
            duration_s=self.duration,
            start_frame=self.start_frame,
            frames=self.frames,
            source=source,
            weight=self.weight,
        )


def _rate(said: float | str) -> Fraction | None:
    return Fraction(parse_rate(said)) if said else None


def _placed(folder: Path, name: str) -> Path:
    found = Path(name).expanduser()
    return found if found.is_absolute() else folder / found


class WorthTable(_Strict):
    """`[worth]`: how the times are used."""

    delivered: bool = False
    line_mbit_s: float = Field(20.0, gt=0, le=1e6)
    exports_a_week: float = Field(10.0, ge=0, le=1e5)
    minutes: float = Field(10.0, ge=0, le=1e5)
    an_hour: float = Field(0.0, ge=0, le=1e6)
    years_kept: float = Field(1.0, ge=0, le=100)


class StudyTable(_Strict):
    """`[study]`."""

    title: str = Field(min_length=1)
    footage: str = ""
    clips: list[str] = Field(default_factory=list)
    timeline: str = ""
    timeline_rate: float | str = ""
    media: list[str] = Field(default_factory=list)
    treatments: str = ""
    excerpt: ExcerptTable | None = None
    rounds: int = Field(3, ge=1, le=100)
    warmup: int = Field(1, ge=0, le=5)
    baseline: str = ""
    tie_band: float = Field(0.02, ge=0, le=0.2)
    reference: str = ""

    @model_validator(mode="after")
    def _one_source(self) -> "StudyTable":
        given = [name for name in ("footage", "clips", "timeline") if getattr(self, name)]
        if not given:
            raise ValueError("give footage (one clip), clips (several in order) or timeline (a file)")
        if len(given) > 1:
            raise ValueError(f"{' and '.join(given)} contradict each other: keep one of them")
        if self.treatments and self.treatments not in READY_SETS:
            raise ValueError(f"treatments names a ready set: one of {', '.join(READY_SETS)}")
        return self


class TimingTable(_Strict):
    """`[timing]`: how runs are made."""

    cache: str = AS_IT_IS
    rest: bool = True
    rest_limit_s: float = Field(60.0, ge=0, le=3600)
    nice: int = Field(0, ge=0, le=19)
    cores: list[int] = Field(default_factory=list)
    until_decided: bool = False
    decides: str = CHOICE
    set_aside: bool = True
    warm_all: bool = False
    most_rounds: int = Field(12, ge=3, le=50)
    most_minutes: float = Field(0.0, ge=0)
    drop_hopeless: bool = False
    disturbed_share: float = Field(0.05, gt=0, le=1)
    repeat_disturbed: bool = True
    outputs: str = ""
    remove_left: bool = True
    sync: bool = True
    refuse_forms: bool = False

    @model_validator(mode="after")
    def _known(self) -> "TimingTable":
        if self.cache not in CACHE_STATES:
            raise ValueError(f"cache is one of {', '.join(CACHE_STATES)}")
        if self.decides not in DECIDES:
            raise ValueError(f"decides is one of {', '.join(DECIDES)}")
        return self


class _LimitsTable(_Strict):
    """`[limits]`: `ready`, the name of a ready set to start from, then what goes before it."""

    ready: str = ""
    plays: bool | None = None
    unseen: bool | None = None

    @model_validator(mode="after")
    def _known(self) -> "_LimitsTable":
        if self.ready and self.ready not in READY_LIMITS:
            raise ValueError(f"ready names a set of limits: one of {', '.join(READY_LIMITS)}")
        return self

    def limits(self) -> Limits:
        """As a value: what is written goes before what the ready set says."""
        begun = READY_LIMITS[self.ready][1] if self.ready else Limits()
        written = {key: getattr(self, key) for key in LIMIT_KINDS if key in self.model_fields_set}
        return limits_from(
            {**dict(begun.values), **written},
            begun.plays if self.plays is None else self.plays,
            begun.unseen if self.unseen is None else self.unseen,
        )


_ASKED: dict[str, Any] = {
    k.key: (float | None, Field(None, ge=k.least, le=k.most)) for k in LIMIT_KINDS.values()
}
LimitsTable: type[_LimitsTable] = create_model("LimitsTable", __base__=_LimitsTable, **_ASKED)


class PlanFile(_Strict):
    """The whole file. `[[treatment]]` and `[[grid]]` have keys of their own kind: they are checked later."""

    study: StudyTable
    limits: LimitsTable = Field(default_factory=lambda: LimitsTable.model_validate({}))  # type: ignore[valid-type]
    worth: WorthTable = Field(default_factory=lambda: WorthTable.model_validate({}))
    timing: TimingTable = Field(default_factory=lambda: TimingTable.model_validate({}))
    excerpt: list[ExcerptTable] = Field(default_factory=list)
    treatment: list[dict[str, Any]] = Field(default_factory=list)
    contender: list[ContenderTable] = Field(default_factory=list)
    grid: list[dict[str, Any]] = Field(default_factory=list)
    program: list[Description] = Field(default_factory=list)

    @model_validator(mode="after")
    def _something_to_time(self) -> "PlanFile":
        if not self.contender and not self.grid:
            raise ValueError("there is nothing to time: add a [[contender]] or a [[grid]]")
        return self


def load_plan(path: Path) -> Question:
    """Read and check a plan. Raises OvrikError naming the file, the key and the remedy."""
    text = read_text(path)
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as exc:
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
    if fault["type"] == "value_error":
        return f"{key}{': ' if key else ''}{fault['ctx']['error']}"
    given = fault.get("input")
    shown = f" (it is {given!r})" if isinstance(given, str | int | float | bool) else ""
    return f"{key}: {fault['msg'][:1].lower()}{fault['msg'][1:]}{shown}; change it"


LISTED = ("contender", "excerpt", "treatment", "grid", "program")


def _key(loc: tuple[int | str, ...]) -> str:
    """The place of a fault as a person would find it: contender 2, "preset"."""
    words = [str(part + 1) if isinstance(part, int) else str(part) for part in loc]
    if not words:
        return ""
    if words[0] in LISTED and len(words) > 1 and words[1].isdigit():
        return f"{words[0]} {words[1]}" + (f", key {words[2]}" if len(words) > 2 else "")
    return "key " + ".".join(words)


def _conduct(given: TimingTable, reference: str, path: Path) -> Conduct:
    """How runs are made; the folder of outputs and the named reference are relative to the plan, and must be
    there."""
    made = Conduct.from_json(given.model_dump())
    if reference:
        file = (path.parent / Path(reference).expanduser()).resolve()
        if not file.is_file():
            raise OvrikError(f"{path}: key study.reference: there is no file {file}", "Name another")
        made = replace(made, reference=str(file))
    if not made.outputs:
        return made
    place = (path.parent / made.outputs).resolve()
    if not place.is_dir():
        raise OvrikError(
            f"{path}: key timing.outputs: there is no folder {place}", "Make it, or name another"
        )
    return replace(made, outputs=str(place))


def _question(plan: PlanFile, path: Path) -> Question:
    contenders, refused = _contenders(plan, path)
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
    if about.excerpt and plan.excerpt:
        raise OvrikError(f"{path}: study.excerpt and [[excerpt]] contradict each other", "Keep one of them")
    single = [about.excerpt] if about.excerpt else [ExcerptTable.model_validate({})]
    return Question(
        title=about.title,
        source=_source(plan, path),
        excerpts=tuple(e.span(path.parent) for e in plan.excerpt or single),
        rounds=about.rounds,
        warmup=about.warmup,
        baseline=baseline,
        limits=plan.limits.limits(),  # type: ignore[attr-defined]
        contenders=ready,
        tie_band=about.tie_band,
        programs=tuple(plan.program),
        refused=tuple(refused),
        conduct=_conduct(plan.timing, about.reference, path),
        worth=Worth(**plan.worth.model_dump()),
    )


def _source(plan: PlanFile, path: Path) -> Source:
    about = plan.study

    def place(name: str) -> Path:
        return _placed(path.parent, name)

    over, on_shots = [], []
    for number, said in enumerate(plan.treatment, 1):
        try:
            shot, made = _treatment(dict(said), path.parent)
        except OvrikError as exc:
            raise OvrikError(f"{path}: treatment {number}: {exc.problem}", exc.remedy) from None
        if shot:
            on_shots.append((shot, made))
        else:
            over.append(made)
    if about.treatments and plan.treatment:
        raise OvrikError(
            f"{path}: study.treatments and [[treatment]] contradict each other", "Keep one of them"
        )
    clips = tuple(place(n) for n in ([about.footage] if about.footage else about.clips))
    return Source(
        clips=clips,
        timeline=place(about.timeline) if about.timeline else None,
        media=tuple(map(place, about.media)),
        ready_set=about.treatments,
        treatments=tuple(over),
        on_shots=tuple(on_shots),
        timeline_rate=_rate(about.timeline_rate),
    )


def _treatment(said: dict[str, Any], folder: Path) -> tuple[int, Treatment]:
    """The number of the shot it is for, 0 for the whole, and the treatment."""
    kind, shot = str(said.pop("kind", "")), said.pop("shot", 0)
    if not isinstance(shot, int) or shot < 0:
        raise OvrikError(f'shot is "{shot}"', "Give the shot's number, from 1")
    for p in KINDS[kind].parameters if kind in KINDS else ():
        if p.is_file and said.get(p.name) and not Path(str(said[p.name])).is_absolute():
            said[p.name] = str(folder / str(said[p.name]))
    made = treatment(kind, said)
    return shot, made


Refused = list[tuple[str, str]]


def _contenders(plan: PlanFile, path: Path) -> tuple[list[Contender], Refused]:
    """Contenders written one by one, then those of the grids; the same thing twice is one."""
    made: list[Contender] = []
    refused: Refused = []
    for number, table in enumerate(plan.contender, 1):
        try:
            made.append(contender_of(table.model_dump(exclude_unset=True), path.parent))
        except OvrikError as exc:
            if "bit rate" in exc.problem:
                raise OvrikError(
                    f"{path}: contender {number}, key bit_rate: {exc.problem}", exc.remedy
                ) from None
            refused.append((table.label or f"contender {number}", str(exc)))
    for number, said in enumerate(plan.grid, 1):
        try:
            found, impossible = _grid(said, path.parent, _centre(made, plan.study.baseline))
        except OvrikError as exc:
            raise OvrikError(f"{path}: grid {number}: {exc.problem}", exc.remedy) from None
        made += found
        refused += impossible
    unique: dict[tuple[object, ...], Contender] = {}
    for c in made:
        unique.setdefault((*c.identity, c.label if c.label_given else ""), c)
    return list(unique.values()), refused


def _centre(made: list[Contender], baseline: str) -> dict[str, Any]:
    """The keys of the baseline, where that is a contender written out above: one at a time goes around it."""
    named = next((c for c in made if c.label_given and c.label == baseline), None)
    if named is None:
        return {}
    into = {"prerendered": intermediate_text(named.prerendered)} if named.prerendered else {}
    return {**table_of(named), **into}


def _grid(said: dict[str, Any], folder: Path, around: Mapping[str, Any]) -> tuple[list[Contender], Refused]:
    """The combinations of one `[[grid]]` that can be, and the others with their reasons."""
    rest = dict(said)
    free = rest.pop("settings", {})
    if not isinstance(free, dict):
        raise OvrikError(
            "settings names each setting with its levels", 'Write settings.preset = ["fast", "slow"]'
        )
    rest |= {f"{SETTING}{name}": levels for name, levels in free.items()}
    ways = rest.pop("methods", {})
    if not isinstance(ways, dict):
        raise OvrikError(
            "methods names each kind with its levels", 'Write methods.upscale = ["lanczos", "bicubic"]'
        )
    rest |= {f"{PREFIX}{kind}": levels for kind, levels in ways.items()}
    combine, only = str(rest.pop("combine", FULL)), str(rest.pop("only", ""))
    wrong = [k for k in rest if k not in LEVEL_KEYS and not k.startswith(SETTING)]
    if wrong:
        raise OvrikError(
            f"{wrong[0]} is not a factor of a grid",
            f"Choose among combine ({', '.join(COMBINE)}), only, {', '.join(LEVEL_KEYS)}",
        )
    levels = {k: v if isinstance(v, list) else [v] for k, v in rest.items()}
    found = filtered(expanded(combined(levels, combine, around), folder), only)
    refused = [(c.contender.label if c.contender else c.words, c.reason) for c in found if c.reason]
    return [c.contender.unnamed() for c in found if c.contender and not c.reason], refused
