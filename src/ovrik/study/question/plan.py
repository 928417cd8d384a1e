"""The plan file: a study's question as TOML that a person can write by hand."""

import tomllib
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ovrik.errors import OvrikError
from ovrik.study.contender.as_table import (
    LEVEL_KEYS,
    SETTING,
    contender_of,
    intermediate_text,
    parse_size,
    table_of,
)
from ovrik.study.contender.contender import SIMULATED, Contender, labelled
from ovrik.study.contender.grid import COMBINE, FULL, combined, expanded, filtered
from ovrik.study.files.text_file import read_text
from ovrik.study.programme.methods import PREFIX
from ovrik.study.programme.treatment import Treatment, treatment
from ovrik.study.programme.treatment_kinds import KINDS
from ovrik.study.question.asked import Question, Source, Span
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.plan_tables import ExcerptTable, PlanFile, TimingTable, placed, rate
from ovrik.study.question.worth import Worth


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
        excerpts=tuple(_span(e, path) for e in plan.excerpt or single),
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
        return placed(path.parent, name)

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
        timeline_rate=rate(about.timeline_rate),
        size=_size(about.size, path),
        fit=about.fit,
    )


def _span(table: ExcerptTable, path: Path) -> Span:
    try:
        return table.span(path.parent)
    except OvrikError as exc:
        raise OvrikError(f"{path}: excerpt {table.name}, key size: {exc.problem}", exc.remedy) from None


def _size(said: str, path: Path) -> tuple[int, int] | None:
    if not said:
        return None
    try:
        return parse_size(said)
    except OvrikError as exc:
        raise OvrikError(f"{path}: key study.size: {exc.problem}", exc.remedy) from None


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
