"""A plan file becomes a study, or is brought into one that exists already."""

from dataclasses import replace
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline_apart
from ovrik.store.study import Study
from ovrik.study.contender.follow_source import all_following
from ovrik.study.files.whole_file import write_asked
from ovrik.study.programme.excerpt import Excerpt, excerpt_checked, from_seconds
from ovrik.study.programme.programme import INSIDE, Programme, of_clips
from ovrik.study.programme.ready_set import with_set
from ovrik.study.programme.whole_treatments import treated_over_all, with_over_all
from ovrik.study.question.asked import Question, Source, Span
from ovrik.study.question.plan_text import plan_text
from ovrik.study.timeline.writer import write_timeline
from ovrik.work.footage.references import name_reference
from ovrik.work.lineup.programs import take_in_programs


def programme_of(source: Source, name: str) -> Programme:
    """The programme that a plan describes. Raises OvrikError when a clip is missing or a shot is not there."""
    if source.timeline:
        found = read_timeline_apart(source.timeline, source.media, source.timeline_rate)
        if found.programme is None:
            raise OvrikError(
                f"{source.timeline} uses clips that were not found: {', '.join(found.missing)}",
                "Name their folder as media in [study]",
            )
        made = found.programme
    else:
        clips = [probe(path.resolve()) for path in source.clips]
        made = of_clips(name if len(clips) > 1 else source.clips[0].name, clips)
    if source.size or source.fit:
        made = made.sized(*(source.size or (made.width, made.height)), source.fit)
    if source.ready_set:
        made = with_set(made, source.ready_set)
    for number, t in source.on_shots:
        if number > len(made.shots):
            raise OvrikError(
                f"There is no shot {number}: the programme has {len(made.shots)}", "Correct its number"
            )
        shot = made.shots[number - 1]
        made = made.with_shot(number - 1, replace(shot, treatments=(*shot.treatments, t)))
    return with_over_all(made, (*treated_over_all(made), *source.treatments)) if source.treatments else made


def excerpt_of(programme: Programme, span: Span) -> Excerpt:
    """The excerpt that a span means. Raises OvrikError when it does not lie inside the programme."""
    if span.start_frame is None and span.frames is None:
        return from_seconds(programme, span.start_s, span.duration_s)
    start = span.start_frame or 0
    return excerpt_checked(programme, Excerpt(start, span.frames or programme.frames - start))


def for_programme(question: Question, programme: Programme) -> Question:
    """The same question with what its recipes leave open taken from the programme."""
    made = all_following(question.contenders, programme)
    base = next((n for n, c in enumerate(question.contenders) if c.label == question.baseline), None)
    return replace(
        question, contenders=made, baseline=question.baseline if base is None else made[base].label
    )


def study_from_plan(question: Question, path: Path) -> Study:
    """The study at `path`, made from the plan or brought up to it.

    Runs that were made stay. Contenders are known again by all that decides their command, so that a changed
    label keeps its runs. Raises OvrikError when the programme is another than the study's.
    """
    programme = programme_of(question.source, question.title)
    question = for_programme(question, programme)
    spans = [(s, excerpt_of(programme, s)) for s in question.excerpts if s.source is None]
    if not spans:
        raise OvrikError("Every excerpt is of other footage", "Give one of the plan's own footage too")
    others = [(s, programme_of(s.source, s.name)) for s in question.excerpts if s.source is not None]
    if path.exists() and path.stat().st_size:
        study = Study.open(path)
        if study.programme().checksum != programme.checksum:
            study.close()
            raise OvrikError(
                f"{path} was made from a different programme than this plan's",
                "Name another study file for this plan",
            )
        for clip in programme.clips:
            study.move_footage(Path(clip.path), clip.checksum)
        study.set_excerpt(spans[0][1])
    else:
        study = Study.create(path, question.title, programme, spans[0][1])
    for span, excerpt in spans:
        if span.name or len(question.excerpts) > 1:
            number = study.keep_excerpt(span.name or f"from frame {excerpt.start_frame}", excerpt)
            study.set_weight(number, span.weight)
    for span, other in others:
        study.set_weight(study.add_kind(span.name, other, excerpt_of(other, span)).id, span.weight)
    study.set_plan(question.title, question.rounds, question.warmup, question.tie_band)
    study.set_limits(question.limits)
    study.set_worth(replace(question.worth, prices=study.facts().worth.prices))
    found = study.facts().conduct  # what earlier runs on this machine showed is no part of a plan
    seen = {
        name: getattr(found, name)
        for name in ("noise", "noise_runs", "noise_job", "noise_alike", "noise_pairs")
    }
    study.set_conduct(replace(question.conduct, **seen))
    if question.conduct.reference:
        name_reference(study, Path(question.conduct.reference))
    study.keep_programs(question.programs)
    take_in_programs(study)
    _line_up(question, study)
    return study


def _line_up(question: Question, study: Study) -> None:
    known = {c.identity: c for c in reversed(study.contenders(with_dropped=True, as_asked=True))}
    placed, relabelled, baseline = [], [], None
    for wanted in question.contenders:
        match = known.pop(wanted.identity, None) or study.add_contender(wanted)
        placed.append(match.contender_id)
        relabelled.append(replace(wanted, contender_id=match.contender_id))
        if wanted.label == question.baseline:
            baseline = match.contender_id
    study.relabel(relabelled)
    study.place(placed)
    if baseline is not None:
        study.set_baseline(baseline)


def question_of(study: Study, timeline: Path | None = None) -> Question:
    """The study's question, as a plan file would say it; `timeline` is where its programme is written."""
    facts, programme = study.facts(), study.programme()
    contenders = tuple(study.contenders(as_asked=True))
    baseline = next((c.label for c in contenders if c.contender_id == facts.baseline_id), "")
    weights = {k.id: k.weight for k in study.kinds()}
    named = [
        replace(_span(programme, e.excerpt, e.name), weight=weights.get(e.id, 1.0)) for e in study.excerpts()
    ]
    own = _span(programme, facts.excerpt, "")
    first = [s for s in named if (s.start_frame, s.frames) == (own.start_frame, own.frames)]
    source = Source(timeline=timeline) if timeline else Source(tuple(Path(c.path) for c in programme.clips))
    return Question(
        title=facts.title,
        source=source,
        excerpts=(*(first or [own]), *(s for s in named if s not in first), *_other_kinds(study)),
        rounds=facts.rounds,
        warmup=facts.warmup,
        baseline=baseline,
        limits=facts.limits,
        contenders=contenders,
        programs=tuple(study.programs()),
        tie_band=facts.tie_band,
        conduct=facts.conduct,
        worth=facts.worth,
    )


def _other_kinds(study: Study) -> list[Span]:
    """Excerpts of other programmes, where their clips say what they are; a programme that is cut or treated stands in
    the plan as its clips in order."""
    own, out = study.programme().checksum, []
    for kind in study.kinds():
        if kind.programme == own:
            continue
        programme = study.on(kind).programme()
        first, size = programme.clips[0], (programme.width, programme.height)
        source = Source(
            tuple(Path(c.path) for c in programme.clips),
            size=size if size != (first.shown_width, first.shown_height) else None,
            fit=programme.fit if programme.fit != INSIDE else "",
        )
        out.append(replace(_span(programme, kind.excerpt, kind.name), source=source, weight=kind.weight))
    return out


def _span(programme: Programme, excerpt: Excerpt, name: str) -> Span:
    if excerpt == Excerpt(0, programme.frames):
        return Span(name)
    return Span(name, start_frame=excerpt.start_frame, frames=excerpt.frames)


def save_plan(study: Study, path: Path) -> list[Path]:
    """Write the question as a plan, and its programme as a timeline beside it where one clip's name does not
    say it; gives the files written."""
    programme = study.programme()
    timeline = None if programme.plain else path.with_suffix(".otio")
    if timeline:
        write_timeline(programme, timeline)
    write_asked(path, plan_text(question_of(study, Path(timeline.name) if timeline else None)))
    return [path, *([timeline] if timeline else [])]
