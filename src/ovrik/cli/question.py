"""Clips, timelines, plans and studies: what is asked, timed and answered."""

import argparse
import shlex
import sys
from pathlib import Path
from typing import Any

from ovrik.cli.terminal import DONE, PARTLY, Line, print_json, print_rows, printable, say, stop_on_signal
from ovrik.errors import OvrikError, Stopped


def probe_(chosen: argparse.Namespace) -> int:
    """`ovrik probe FILE`."""
    from ovrik.report.facts import footage_rows
    from ovrik.study.probe import probe

    footage = probe(chosen.file)
    if chosen.json:
        print_json(footage.to_json())
    else:
        print_rows(footage_rows(footage))
    return DONE


def timeline_(chosen: argparse.Namespace) -> int:
    """`ovrik timeline FILE`: what is carried of it and what is not; -o writes it as .otio or .edl."""
    from ovrik.report.facts import programme_rows
    from ovrik.study.timeline_apart import read_timeline_apart
    from ovrik.study.timeline_out import write_timeline

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
        write_timeline(made, chosen.output)
    return DONE


def excerpts_(chosen: argparse.Namespace) -> int:
    """`ovrik excerpts PLAN|CLIP|TIMELINE`: segments worth timing, from measured complexity."""
    from ovrik.analysis.complexity import proposals
    from ovrik.quality.complexity import measure_complexity

    programme = _programme(chosen.file)
    curve = measure_complexity(programme, should_stop=stop_on_signal())
    frames = round(chosen.seconds * programme.rate)
    found = proposals(curve, programme.frames, frames)
    if chosen.json:
        print_json(
            {
                "frames": programme.frames,
                "at": curve.at.tolist(),
                "si": curve.si.tolist(),
                "ti": curve.ti.tolist(),
                "proposals": [vars(p) for p in found],
            }
        )
        return DONE
    print_rows([(p.name, f"from frame {p.start}, {p.frames} frames: {p.why}") for p in found])
    return DONE


def _programme(path: Path) -> Any:
    from ovrik.study.plan import load_plan
    from ovrik.study.question import Source
    from ovrik.study.timeline_file import ADAPTERS
    from ovrik.work.plan_study import programme_of

    if path.suffix == ".toml":
        return programme_of(load_plan(path).source, path.stem)
    if path.suffix.lower() in ADAPTERS:
        return programme_of(Source(timeline=path), path.stem)
    return programme_of(Source((path,)), path.name)


def plan_(chosen: argparse.Namespace) -> int:
    """`ovrik plan PLAN`: every contender it comes to, and what can't run."""
    from ovrik.machine.described import introduce
    from ovrik.study.losses import programme_losses, recipe_losses
    from ovrik.study.plan import load_plan
    from ovrik.work.lineup import checked, judge_for
    from ovrik.work.plan_study import excerpt_of, for_programme, programme_of

    question = load_plan(chosen.plan)
    programme = programme_of(question.source, question.title)
    question = for_programme(question, programme)
    excerpts = [excerpt_of(programme, span) for span in question.excerpts]
    for description in question.programs:
        introduce(description)
    judge = judge_for(programme, excerpts[0], question.contenders)
    entries = checked(question.contenders, judge)
    listed: list[dict[str, Any]] = [
        {
            "label": e.contender.label,
            "can_run": e.can_run,
            "reason": e.reason,
            "loses": [*recipe_losses(programme, e.contender.recipe), *judge.differing(e.contender)],
        }
        for e in entries
    ]
    listed += [
        {"label": label, "can_run": False, "reason": why, "loses": []} for label, why in question.refused
    ]
    if chosen.json:
        print_json({"contenders": listed, "programme_loses": list(programme_losses(programme))})
    else:
        for words in programme_losses(programme):
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
            )
    return DONE if all(e["can_run"] for e in listed) else PARTLY


def run_(chosen: argparse.Namespace) -> int:
    """`ovrik run PLAN -o STUDY`."""
    from ovrik.study.losses import programme_losses
    from ovrik.study.plan import load_plan
    from ovrik.work.plan_study import excerpt_of, study_from_plan

    question = load_plan(chosen.plan)
    study = study_from_plan(question, chosen.output)
    stop = stop_on_signal()
    try:
        for words in programme_losses(study.programme()):
            print(printable(f"note: {words}"), file=sys.stderr)
        for label, why in question.refused:
            print(printable(f"{label} can't run: {why}"), file=sys.stderr)
        asked, programme = study.facts().excerpt, study.programme()
        excerpts = dict.fromkeys(excerpt_of(programme, span) for span in question.excerpts)
        well = not question.refused
        for excerpt in excerpts:
            study.set_excerpt(excerpt)
            well &= _timed_and_scored(study, chosen.rounds or question.rounds, stop)
        study.set_excerpt(asked)
        return DONE if well else PARTLY
    finally:
        study.close()


def _timed_and_scored(study: Any, rounds: int, stop: Any) -> bool:
    """Time and check the line-up on the present excerpt, and print what comes of it."""
    from ovrik.report.as_text import verdict_text
    from ovrik.work.enough import time_until_decided
    from ovrik.work.evidence import gather
    from ovrik.work.lineup import barred, driven
    from ovrik.work.schedule import remaining
    from ovrik.work.scoring import score_all
    from ovrik.work.timing import time_all

    against = barred(study)
    for contender in study.contenders():
        if contender.id in against:
            print(printable(f"{contender.label} can't run: {against[contender.id]}"), file=sys.stderr)
    able = [c.id for c in driven(study.contenders(), against)]
    line = Line()
    if study.facts().conduct.until_decided:
        well = time_until_decided(study, able, line.timing, stop, line.scoring) and not against
    else:
        well = time_all(study, remaining(study, able, rounds), line.timing, stop) and not against
    if stop():
        raise Stopped
    score_all(study, line.scoring, stop)
    line.end()
    evidence = gather(study, against)
    say(verdict_text(evidence))
    return well and bool(evidence.verdict.labels)


def verdict_(chosen: argparse.Namespace) -> int:
    """`ovrik verdict STUDY`."""
    from ovrik.report.as_csv import write_runs_csv
    from ovrik.report.as_json import verdict_json
    from ovrik.report.as_text import verdict_text
    from ovrik.store.study import Study
    from ovrik.work.evidence import gather
    from ovrik.work.lineup import barred
    from ovrik.work.programs import take_in_programs

    study = Study.open(chosen.study)
    try:
        take_in_programs(study)
        excerpt = _excerpt_named(study, chosen.excerpt) if chosen.excerpt else None
        evidence = gather(study, barred(study), excerpt)
    finally:
        study.close()
    if chosen.csv:
        write_runs_csv(evidence, chosen.csv)
    if chosen.json:
        print_json(verdict_json(evidence))
    else:
        say(verdict_text(evidence))
    failed = any(s.runs and s.runs[-1].state == "failed" for s in evidence.summaries)
    return DONE if evidence.verdict.labels and not failed else PARTLY


def check_(chosen: argparse.Namespace) -> int:
    """`ovrik check STUDY`: check and score the outputs that have not been judged; --against names the reference, and
    --sample scores some frames only."""
    from ovrik.store.study import Study
    from ovrik.work.references import name_reference
    from ovrik.work.scoring import score_all

    study, line = Study.open(chosen.study), Line()
    try:
        if chosen.against or chosen.programme:
            name_reference(study, chosen.against)
        count = score_all(study, line.scoring, stop_on_signal(), chosen.sample)
        line.end()
        say(f"{count} output{'s' * (count != 1)} checked")
    finally:
        study.close()
    return DONE


def _excerpt_named(study: Any, name: str) -> Any:
    found = {e.name: e.excerpt for e in study.excerpts()}
    if name not in found:
        raise OvrikError(f'The study has no excerpt "{name}"', f"Choose one of {', '.join(found) or 'none'}")
    return found[name]


def estimate_(chosen: argparse.Namespace) -> int:
    """`ovrik estimate STUDY`: how long it will take; --try makes a short trial of each contender first."""
    from ovrik.report.words import estimate_words
    from ovrik.store.study import Study
    from ovrik.work.estimate import estimate
    from ovrik.work.evidence import gather
    from ovrik.work.lineup import barred, driven
    from ovrik.work.try_out import try_all

    study = Study.open(chosen.study)
    try:
        against = barred(study)
        able = driven(study.contenders(), against)
        if chosen.try_them:
            line = Line()
            try_all(study, able, line.probing, stop_on_signal())
        evidence = gather(study, against)
        found = estimate(study, evidence, [c.id for c in able], evidence.facts.rounds)
        print(estimate_words(found))
        labels = {c.id: c.label for c in able}
        print_rows(
            [
                (labels[i], f"{f.seconds:.1f} s, {f.low:.1f} to {f.high:.1f} s, from {f.basis}")
                for i, f in found.by_contender.items()
                if i in labels
            ]
        )
    finally:
        study.close()
    return DONE


def command_(chosen: argparse.Namespace) -> int:
    """`ovrik command STUDY LABEL`: the full command of a contender, for use elsewhere."""
    from ovrik.store.study import Study
    from ovrik.work.lineup import builds_for
    from ovrik.work.preparing import commands_of

    study = Study.open(chosen.study)
    try:
        found = _labelled(study, chosen.label)
        for command in commands_of(study, found, builds_for([found])[found.build]):
            say(shlex.join(command))
    finally:
        study.close()
    return DONE


def _labelled(study: Any, label: str) -> Any:
    found = next((c for c in study.contenders() if c.label == label), None)
    if found is None:
        labels = ", ".join(c.label for c in study.contenders())
        raise OvrikError(f'There is no contender "{label}"', f"Choose one of {labels}")
    return found


def explain_(chosen: argparse.Namespace) -> int:
    """`ovrik explain STUDY LABEL`: where the time goes, from what was timed apart; --time does so first."""
    from ovrik.report.explain import explain_json, ladder_rows, ladder_words, whole_words
    from ovrik.store.study import Study
    from ovrik.work.parts import Bench, ladder_of
    from ovrik.work.whole import TIMINGS, whole_of

    study = Study.open(chosen.study)
    try:
        contender, line = _labelled(study, chosen.label), Line()
        bench = Bench(study, line.probing, stop_on_signal())
        for kind in chosen.time:
            TIMINGS[kind](bench, contender)
        line.end()
        found, whole = ladder_of(study, contender), whole_of(study, contender)
    finally:
        study.close()
    if chosen.json:
        print_json(explain_json(found, whole))
        return DONE
    if found:
        print_rows(ladder_rows(found))
    say("\n".join([ladder_words(found), *whole_words(whole)]))
    return DONE


def play_(chosen: argparse.Namespace) -> int:
    """`ovrik play STUDY LABEL`: whether the excerpt plays in real time here, at which size, how many streams at
    once."""
    from dataclasses import asdict

    from ovrik.store.study import Study
    from ovrik.work.parts import Bench
    from ovrik.work.playback import MOST_STREAMS, play, play_output, words

    study = Study.open(chosen.study)
    try:
        contender, line = _labelled(study, chosen.label), Line()
        bench = Bench(study, line.probing, stop_on_signal())
        if chosen.its_output:
            found = play_output(bench, contender, MOST_STREAMS, chosen.rounds, chosen.size or ("full",))
        else:
            found = play(bench, contender, chosen.size or ("full", "half", "quarter"), chosen.rounds)
        line.end()
    finally:
        study.close()
    if chosen.json:
        print_json([{**asdict(p), "most_streams": p.most, "limit": p.limit} for p in found])
        return DONE
    for one in found:
        say(words(one))
    return DONE


def enter_(chosen: argparse.Namespace) -> int:
    """`ovrik enter STUDY LABEL SECONDS`: keep a stopwatch's time as a run."""
    from ovrik.report.words import answer_words, ratio_words
    from ovrik.store.study import Study
    from ovrik.work.by_hand import enter_time, parse_time
    from ovrik.work.evidence import gather

    study = Study.open(chosen.study)
    try:
        contender = _labelled(study, chosen.label)
        enter_time(study, contender, parse_time(chosen.seconds), chosen.step)
        found = gather(study).of(contender.id)
    finally:
        study.close()
    if found:
        say(f"Kept. {contender.label}: {ratio_words(found.ratio)}, {answer_words(found)}")
    return DONE


def rescue_(chosen: argparse.Namespace) -> int:
    """`ovrik rescue STUDY -o NEW`: what can still be read of a damaged study, as a new one."""
    from ovrik.store.rescue import rescue

    found = rescue(chosen.study, chosen.output)
    print(
        f"{chosen.output}: {found.kept.get('run', 0)} runs, {found.kept.get('contender', 0)} contenders, "
        f"{found.kept.get('score', 0)} scores"
    )
    for words in found.lost:
        say(f"lost: {words}")
    return PARTLY if found.lost else DONE


def cache_(chosen: argparse.Namespace) -> int:
    """`ovrik cache`: what references take on the disk; --clear removes them."""
    from ovrik.quality.reference import cache_use, clear_cache
    from ovrik.quality.reference_key import cache_folder

    if chosen.clear:
        print(f"{clear_cache() / 1e6:.1f} MB freed")
        return DONE
    use = cache_use()
    print(f"{use.files} references, {use.bytes / 1e6:.1f} MB, in {cache_folder()}")
    return DONE
