"""A plan file becomes a study, or is brought into one that exists already."""

from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.described import deposit
from ovrik.store.study import Study
from ovrik.study.excerpt import from_seconds
from ovrik.study.probe import probe
from ovrik.study.question import Question


def study_from_plan(question: Question, path: Path) -> Study:
    """The study at `path`, made from the plan or brought up to it.

    Runs that were made stay. Contenders are known again by build and recipe, so that a changed
    label keeps its runs. Raises OvrikError when the footage is another than the study's.
    """
    footage = probe(question.footage)
    excerpt = from_seconds(footage, question.start_s, question.duration_s)
    if path.exists() and path.stat().st_size:
        study = Study.open(path)
        if study.footage().checksum != footage.checksum:
            study.close()
            raise OvrikError(
                f"{path} was made from other footage than {question.footage}",
                "Name another study file for this plan",
            )
        study.move_footage(question.footage.resolve())
        study.set_excerpt(excerpt)
    else:
        study = Study.create(path, question.title, footage, excerpt)
        study.move_footage(question.footage.resolve())
    study.set_plan(question.title, question.rounds, question.warmup, question.tie_band)
    study.set_limits(question.limits)
    study.keep_programs(question.programs)
    take_in_programs(study)
    _line_up(question, study)
    return study


def take_in_programs(study: Study) -> None:
    """Make a study's described programs known here. None of them runs before it is approved."""
    for description in study.programs():
        deposit(description)


def _line_up(question: Question, study: Study) -> None:
    known = study.contenders(with_dropped=True)
    placed, relabelled, baseline = [], [], None
    for wanted in question.contenders:
        match = next((c for c in known if c.same_thing(wanted) and c.id not in placed), None)
        if match is None:
            match = study.add_contender(wanted)
        placed.append(match.id)
        relabelled.append(type(match)(wanted.build, wanted.recipe, wanted.label,
                                      wanted.label_given, match.id))  # fmt: skip
        if wanted.label == question.baseline:
            baseline = match.id
    study.relabel(relabelled)
    study.place(placed)
    if baseline is not None:
        study.set_baseline(baseline)


def question_of(study: Study) -> Question:
    """The study's question, as a plan file would say it."""
    facts, footage = study.facts(), study.footage()
    rate = footage.rate
    contenders = tuple(study.contenders())
    baseline = next((c.label for c in contenders if c.id == facts.baseline_id), "")
    all_of_it = facts.excerpt.start_frame == 0 and facts.excerpt.frames == footage.frames
    return Question(
        title=facts.title,
        footage=Path(footage.path),
        start_s=0.0 if all_of_it else float(facts.excerpt.start_frame / rate),
        duration_s=None if all_of_it else float(facts.excerpt.frames / rate),
        rounds=facts.rounds,
        warmup=facts.warmup,
        baseline=baseline,
        limits=facts.limits,
        contenders=contenders,
        tie_band=facts.tie_band,
    )


def exports_whole(study: Study) -> bool:
    """Whether the excerpt is the whole clip."""
    return study.facts().excerpt.frames == study.footage().frames
