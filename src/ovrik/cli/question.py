"""Clips, timelines and plans: what is asked, and timed."""

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ovrik.cli.terminal import (
    DONE,
    PARTLY,
    ProgressLine,
    print_json,
    print_rows,
    printable,
    say,
    stop_on_signal,
)
from ovrik.errors import Ask, OvrikError, Stopped

if TYPE_CHECKING:
    from ovrik.store.study import Study


def probe_(chosen: argparse.Namespace) -> int:
    """`ovrik probe FILE`."""
    from ovrik.quality.decode.probe import probe
    from ovrik.report.words.rows import footage_rows

    footage = probe(chosen.file)
    if chosen.json:
        print_json(footage.to_json())
    else:
        print_rows(footage_rows(footage))
    return DONE


def timeline_(chosen: argparse.Namespace) -> int:
    """`ovrik timeline FILE`: what is carried of it and what is not; -o writes it as .otio or .edl."""
    from ovrik.quality.decode.timelines import read_timeline_apart
    from ovrik.report.words.rows import programme_rows
    from ovrik.study.timeline.writer import write_timeline

    found = read_timeline_apart(chosen.file, chosen.media, chosen.rate)
    made = found.programme
    if chosen.json:
        print_json(
            {
                "programme": made.to_json() if made else None,
                "missing": list(found.missing),
                "left_out": list(found.left_out if made is None else made.left_out),
            }
        )
    elif made:
        print_rows(programme_rows(made))
    if made is None:
        raise OvrikError(
            f"Clips were not found: {', '.join(found.missing)}", "Name their folder with --media"
        )
    if chosen.output:
        for words in write_timeline(made, chosen.output):
            print(f"Not in {chosen.output.name}: {printable(words)}", file=sys.stderr)
    return DONE


def excerpts_(chosen: argparse.Namespace) -> int:
    """`ovrik excerpts PLAN|CLIP|TIMELINE`: segments worth timing, from measured complexity."""
    from ovrik.analysis.signals.complexity import proposals
    from ovrik.quality.scores.complexity import measure_complexity
    from ovrik.quality.scores.complexity_sampled import is_long, sample_complexity

    programme = _programme(chosen.file)
    sampled = is_long(programme) and not chosen.exact
    line, measure = ProgressLine(), sample_complexity if sampled else measure_complexity
    curve = measure(programme, lambda s: line.probing(s, "Measuring complexity"), stop_on_signal())
    line.end()
    frames = round(chosen.seconds * programme.rate)
    found = proposals(curve, programme.frames, frames)
    if chosen.json:
        print_json(
            {
                "frames": programme.frames,
                "sampled": sampled,
                "at": curve.at.tolist(),
                "si": curve.si.tolist(),
                "ti": curve.ti.tolist(),
                "proposals": [vars(p) for p in found],
            }
        )
        return DONE
    print_rows([(p.name, f"from frame {p.start}, {p.frames} frames: {p.why}") for p in found])
    if sampled:
        print(f"Sampled at {len(curve.at)} places; --exact measures all of it.")
    return DONE


def _programme(path: Path) -> Any:
    from ovrik.study.question.asked import Source
    from ovrik.study.question.plan import load_plan
    from ovrik.study.timeline.file import ADAPTERS
    from ovrik.work.lineup.from_plan import programme_of

    if path.suffix == ".toml":
        return programme_of(load_plan(path).source, path.stem)
    if path.suffix.lower() in ADAPTERS:
        return programme_of(Source(timeline=path), path.stem)
    return programme_of(Source((path,)), path.name)


def plan_(chosen: argparse.Namespace) -> int:
    """`ovrik plan PLAN`: every contender it comes to, and what can't run."""
    from ovrik.machine.builds.described import introduce
    from ovrik.study.contender.losses import programme_losses, recipe_losses
    from ovrik.study.question.plan import load_plan
    from ovrik.work.lineup.able import checked_able, judge_for
    from ovrik.work.lineup.from_plan import excerpt_of, for_programme, programme_of
    from ovrik.work.timing.fairness import missing_cores

    question = load_plan(chosen.plan)
    programme = programme_of(question.source, question.title)
    question = for_programme(question, programme)
    places = [(s, programme_of(s.source, s.name) if s.source else programme) for s in question.excerpts]
    excerpts = [excerpt_of(one, span) for span, one in places]
    for description in question.programs:
        introduce(description)
    judge = judge_for(programme, excerpts[0], question.contenders)
    entries = checked_able(question.contenders, judge)
    listed: list[dict[str, Any]] = [
        {
            "label": e.contender.label,
            "can_run": e.can_run,
            "reason": e.reason,
            "loses": [*recipe_losses(programme, e.contender.recipe), *judge.differing(e.contender)],
            "untried": judge.untried(e.contender),
        }
        for e in entries
    ]
    for (span, one), excerpt in zip(places[1:], excerpts[1:], strict=True):
        if span.source is None:
            continue
        there = judge_for(one, excerpt, question.contenders)
        for entry, e in zip(listed, checked_able(question.contenders, there), strict=True):
            if entry["can_run"] and e.reason:
                entry |= {"can_run": False, "reason": f"on {span.name}: {e.reason}"}
    listed += [
        {"label": label, "can_run": False, "reason": why, "loses": [], "untried": []}
        for label, why in question.refused
    ]
    cores = missing_cores(question.conduct)
    if chosen.json:
        print_json(
            {
                "contenders": listed,
                "programme_loses": list(programme_losses(programme)),
                "cores": cores or None,
            }
        )
    else:
        for words in (*programme_losses(programme), *([cores] if cores else [])):
            say(f"note: {words}")
        for entry in listed:
            say(
                f"{'runs' if entry['can_run'] else 'CAN NOT RUN':<12} {entry['label']}"
                + (
                    f": {entry['reason']}"
                    if entry["reason"]
                    else f" (loses: {'; '.join(entry['loses'])})"
                    if entry["loses"]
                    else ""
                )
                + "".join(f"\n{'':12} {words}" for words in entry["untried"] if entry["can_run"])
            )
    return DONE if all(e["can_run"] for e in listed) and not cores else PARTLY


def run_(chosen: argparse.Namespace) -> int:
    """`ovrik run PLAN -o STUDY`."""
    from ovrik.machine.workstation.readiness import findings, take_reading
    from ovrik.study.contender.losses import programme_losses
    from ovrik.study.question.plan import load_plan
    from ovrik.work.answers.over_kinds import gather_kinds
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.from_plan import study_from_plan

    question = load_plan(chosen.plan)
    study = study_from_plan(question, chosen.output)
    stop = stop_on_signal()
    try:
        for words in programme_losses(study.programme()):
            print(printable(f"note: {words}"), file=sys.stderr)
        for label, why in question.refused:
            print(printable(f"{label} can't run: {why}"), file=sys.stderr)
        for found in findings(take_reading(study.outputs)):
            print(printable(f"note: {found.what}. {found.effect}. {found.remedy}."), file=sys.stderr)
        well = not question.refused
        rounds = chosen.rounds or question.rounds
        well &= time_and_score(study, rounds, stop)
        if chosen.json:
            from ovrik.report.values.everything import evidence_json

            evidence = gather(study)
            print_json(evidence_json(evidence, gather_kinds(study, {}, evidence)))
        return DONE if well else PARTLY
    finally:
        study.close()


def time_and_score(study: "Study", rounds: int, stop: Ask) -> bool:
    """Time and check what is still missing of so many rounds, on every kind of footage that is kept by name, and
    print what comes of it. True when all of it went well."""
    from ovrik.report.forms.as_text import kinds_text, verdict_text
    from ovrik.work.answers.over_kinds import gather_kinds
    from ovrik.work.campaign.rounds import time_line_up
    from ovrik.work.checking.scoring import score_all
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.able import barred, driven

    against, line = barred(study), ProgressLine()
    for contender in study.contenders():
        if contender.contender_id in against:
            print(
                printable(f"{contender.label} can't run: {against[contender.contender_id]}"), file=sys.stderr
            )
    able = [c.contender_id for c in driven(study.contenders(), against)]
    every = len(study.kinds()) > 1
    well = time_line_up(study, able, rounds, line.timing, stop, line.scoring, every) and not against
    if stop():
        raise Stopped
    for view in [study.on(k) for k in study.kinds()] if every else [study]:
        score_all(view, line.scoring, stop)
    line.end()
    found = gather_kinds(study, against) if every else None
    if found is None:
        evidence = gather(study, against)
        say(verdict_text(evidence))
        return well and evidence.choice is not None
    for kind, evidence in zip(found.kinds, found.each, strict=True):
        say(f"== {kind.name}\n")
        say(verdict_text(evidence, found) + "\n")
    say(kinds_text(found))
    return well and found.verdict.choice is not None
