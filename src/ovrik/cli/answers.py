"""What a study answers: verdict, checks, searches, estimates, where the time goes, playback."""

import argparse
import contextlib
import shlex
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ovrik.cli.terminal import (
    DONE,
    PARTLY,
    ProgressLine,
    answered,
    print_json,
    print_rows,
    say,
    stop_on_signal,
)
from ovrik.errors import OvrikError
from ovrik.study.files.scratch import scratch_folder


def verdict_(chosen: argparse.Namespace) -> int:
    """`ovrik verdict STUDY`."""
    from ovrik.cli.first import as_asked
    from ovrik.report.forms.as_csv import write_runs_csv
    from ovrik.report.forms.as_text import kinds_text, verdict_text
    from ovrik.store.study import Study
    from ovrik.work.answers.over_kinds import gather_kinds
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.able import barred
    from ovrik.work.lineup.programs import take_in_programs

    study = Study.open(chosen.study)
    try:
        take_in_programs(study)
        against = barred(study)
        asked = study.on(kind_named(study, chosen.excerpt)) if chosen.excerpt else study
        evidence = gather(asked, against)
        kinds = None if chosen.excerpt else gather_kinds(study, against)
        evidence, kinds = as_asked(chosen, evidence, kinds)
    finally:
        study.close()
    if chosen.csv:
        write_runs_csv(evidence, chosen.csv)
    if chosen.json:
        from ovrik.report.values.everything import (
            evidence_json,
        )  # a third of a second that the words don't need

        print_json(evidence_json(evidence, kinds))
    else:
        say(verdict_text(evidence, kinds) + (f"\n\n{kinds_text(kinds)}" if kinds and kinds.begun else ""))
    failed = any(s.runs and s.runs[-1].state == "failed" for s in evidence.summaries)
    return DONE if evidence.choice and not failed else PARTLY


def check_(chosen: argparse.Namespace) -> int:
    """`ovrik check STUDY`: check and score the outputs that have not been judged; --against names the reference, and
    --sample scores some frames only."""
    from ovrik.store.study import Study
    from ovrik.work.checking.scoring import score_all
    from ovrik.work.evidence.outputs_on_disk import everywhere
    from ovrik.work.footage.references import name_reference

    study, line = Study.open(chosen.study), ProgressLine()
    try:
        if chosen.against or chosen.programme:
            name_reference(study, chosen.against)
        stop = stop_on_signal()
        count = sum(score_all(one, line.scoring, stop, chosen.sample) for one in everywhere(study))
        line.end()
    finally:
        study.close()
    answered(chosen, {"checked": count}, f"{count} output{'s' * (count != 1)} checked")
    return DONE


def kind_named(study: Any, name: str) -> Any:
    """The kind of footage with this name. Raises OvrikError."""
    found = {k.name: k for k in study.kinds()}
    if name not in found:
        raise OvrikError(f'The study has no excerpt "{name}"', f"Choose one of {', '.join(found) or 'none'}")
    return found[name]


def match_(chosen: argparse.Namespace) -> int:
    """`ovrik match STUDY [LABEL ...]`: the setting of each encoder that just meets a floor, by few encodes; what is
    found is put in the line-up."""
    from ovrik.store.study import Study
    from ovrik.study.question.limit_kinds import LIMIT_KINDS
    from ovrik.work.campaign.equal_quality import match_all, searchable
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.able import barred
    from ovrik.work.lineup.programs import take_in_programs

    key, floor = chosen.floor
    study, line = Study.open(chosen.study), ProgressLine()
    try:
        take_in_programs(study)
        floor = floor or study.facts().limits.get(key) or LIMIT_KINDS[key].usual
        against = barred(study)
        able = [c for c in searchable(gather(study, against)) if c.contender_id not in against]
        named = {c.label: c for c in study.contenders()}
        wrong = [label for label in chosen.labels if label not in named]
        if wrong:
            raise OvrikError(f'No contender is labelled "{wrong[0]}"', f"Choose among {', '.join(named)}")
        wanted = [named[label] for label in chosen.labels] or able
        if not wanted:
            raise OvrikError(
                "No contender has a quality number to be searched", "Add one that has, such as CRF"
            )
        found = match_all(study, wanted, key, floor, line.probing, stop_on_signal())
    finally:
        study.close()
    rows = [
        {
            "searched": m.contender.label,
            "floor": floor,
            "key": key,
            "found": m.found.label if m.found else None,
            "setting": m.found.recipe.quality if m.found else None,
            "value": m.value,
            "encodes": m.encodes,
            "why": m.why,
        }
        for m in found
    ]
    if chosen.json:
        print_json(rows)
    else:
        for m in found:
            if m.found is None:
                say(f"{m.contender.label}: nothing meets {LIMIT_KINDS[key].title} {floor:g}: {m.why}")
            else:
                say(f"{m.contender.label}: {m.found.label}, {m.value:.2f}, in {m.encodes} encodes: {m.why}")
    return DONE if all(m.found for m in found) else PARTLY


def estimate_(chosen: argparse.Namespace) -> int:
    """`ovrik estimate STUDY|PLAN`: how long it will take, on every excerpt; --try makes a short trial of each
    contender first. Of a plan nothing is kept."""
    from ovrik.report.words.numbers import estimate_words
    from ovrik.work.answers.estimate import estimate, estimates_together
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.evidence.outputs_on_disk import everywhere
    from ovrik.work.lineup.able import barred, driven
    from ovrik.work.timing.try_out import try_all

    with _asked(chosen.study) as study:
        against, line, stop = barred(study), ProgressLine(), stop_on_signal()
        able, found = driven(study.contenders(), against), {}
        names = {(k.programme, k.excerpt): k.name for k in study.kinds()}
        for one in everywhere(study):
            if chosen.try_them:
                try_all(one, able, line.probing, stop)
            e = gather(one, against)
            name = names.get((e.programme.checksum, e.facts.excerpt), e.programme.name)
            found[name] = estimate(one, e, [c.contender_id for c in able], e.facts.rounds)
    whole, labels = estimates_together(list(found.values())), {c.contender_id: c.label for c in able}
    if chosen.json:
        each = {name: _estimate_json(one, labels) for name, one in found.items()}
        print_json({**_estimate_json(whole, labels), "excerpts": each})
        return DONE
    say(estimate_words(whole))
    for name, made in found.items():
        rows = [
            (labels[i], f"{f.seconds:.1f} s, {f.low:.1f} to {f.high:.1f} s, from {f.basis}")
            for i, f in made.by_contender.items()
            if i in labels
        ]
        if len(found) > 1:
            say(f"\n{name}: {estimate_words(made)}")
        if rows:
            print_rows(rows)
    return DONE


def _estimate_json(found: Any, labels: dict[int, str]) -> dict[str, Any]:
    whole = {k: v for k, v in vars(found).items() if k != "by_contender"}
    each = {labels[i]: vars(f) for i, f in found.by_contender.items() if i in labels}
    return {**whole, "uncertain": found.doubts, "one_run": each}


@contextlib.contextmanager
def _asked(path: Path) -> Iterator[Any]:
    """The study, or one that a plan would come to, which is gone afterwards."""
    from ovrik.store.study import Study
    from ovrik.study.question.plan import load_plan
    from ovrik.work.lineup.from_plan import study_from_plan

    with scratch_folder("estimate") as folder:
        planned = path.suffix.lower() == ".toml"
        study = study_from_plan(load_plan(path), folder / "asked.ovrik") if planned else Study.open(path)
        try:
            yield study
        finally:
            study.close()


def command_(chosen: argparse.Namespace) -> int:
    """`ovrik command STUDY [LABEL]`: the full command of a contender, for use elsewhere, or with --sheet its
    settings, for another program; without a label, of the choice."""
    from ovrik.report.forms.settings_sheet import settings_rows, settings_text
    from ovrik.store.study import Study
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.able import builds_for
    from ovrik.work.prepare.preparing import commands_of

    study = Study.open(chosen.study)
    try:
        e = gather(study)
        s = e.of(e.verdict.choice if chosen.label is None else _labelled(study, chosen.label).contender_id)
        if s is None:
            raise OvrikError("There is no choice yet", "Name a contender")
        found, label = s.contender, s.contender.label
        commands = [] if chosen.sheet else commands_of(study, found, builds_for([found])[found.build])
    finally:
        study.close()
    if chosen.json:
        print_json({"label": label, "commands": commands, "settings": dict(settings_rows(s, e))})
        return DONE
    say(settings_text(s, e) if chosen.sheet else "\n".join(map(shlex.join, commands)))
    return DONE


def _labelled(study: Any, label: str) -> Any:
    found = next((c for c in study.contenders() if c.label == label), None)
    if found is None:
        labels = ", ".join(c.label for c in study.contenders())
        raise OvrikError(f'There is no contender "{label}"', f"Choose one of {labels}")
    return found


def explain_(chosen: argparse.Namespace) -> int:
    """`ovrik explain STUDY LABEL`: where the time goes, from what was timed apart; --time does so first."""
    from ovrik.report.words.explained import explain_json, ladder_rows, ladder_words, whole_words
    from ovrik.store.study import Study
    from ovrik.work.apart.parts import Bench, ladder_of
    from ovrik.work.apart.whole_programme import TIMINGS, whole_of

    study = Study.open(chosen.study)
    try:
        contender, line = _labelled(study, chosen.label), ProgressLine()
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
    from ovrik.work.apart.parts import Bench
    from ovrik.work.checking.playback import MOST_STREAMS, play, play_output, playback_words

    study = Study.open(chosen.study)
    try:
        contender, line = _labelled(study, chosen.label), ProgressLine()
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
        say(playback_words(one))
    return DONE


def enter_(chosen: argparse.Namespace) -> int:
    """`ovrik enter STUDY LABEL SECONDS`: keep a stopwatch's time as a run."""
    from ovrik.report.words.numbers import answer_words, ratio_words
    from ovrik.report.words.whole_cost import cost_words
    from ovrik.store.study import Study
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.outside.by_hand import enter_first, enter_time, parse_time

    study = Study.open(chosen.study)
    try:
        contender = _labelled(study, chosen.label)
        if chosen.first:
            enter_first(study, contender, parse_time(chosen.seconds))
        else:
            enter_time(study, contender, parse_time(chosen.seconds), chosen.step)
        evidence = gather(study)
        found = evidence.of(contender.contender_id)
    finally:
        study.close()
    assert found is not None
    ratio = vars(found.ratio) if found.ratio else None
    warning = f"; it {found.apart.warning} (against the baseline)" if found.apart.warning else ""
    answered(
        chosen,
        {
            "label": contender.label,
            "usual_s": found.usual_s,
            "first_s": found.first_s,
            "cost_s": found.cost_s,
            "ratio": ratio,
            "answer": found.answer,
            "differs_in": [title for title, _a, _b in found.apart.differ],
        },
        f"Kept. {contender.label}: {ratio_words(found.ratio)}, {answer_words(found)}{warning}"
        + (f"; whole cost {whole}" if (whole := cost_words(found, evidence)) else ""),
    )
    return DONE


def rescue_(chosen: argparse.Namespace) -> int:
    """`ovrik rescue STUDY -o NEW`: what can still be read of a damaged study, as a new one."""
    from ovrik.store.rescue import rescue

    found = rescue(chosen.study, chosen.output)
    if chosen.json:
        print_json({"study": chosen.output, "kept": dict(found.kept), "lost": list(found.lost)})
        return PARTLY if found.lost else DONE
    print(
        f"{chosen.output}: {found.kept.get('run', 0)} runs, {found.kept.get('contender', 0)} contenders, "
        f"{found.kept.get('score', 0)} scores"
    )
    for words in found.lost:
        say(f"lost: {words}")
    return PARTLY if found.lost else DONE


def cache_(chosen: argparse.Namespace) -> int:
    """`ovrik cache`: what references take on the disk; --clear removes them."""
    from ovrik.quality.reference.key import references_folder
    from ovrik.quality.reference.made import cache_use, clear_cache

    if chosen.clear:
        freed = clear_cache()
        answered(chosen, {"freed_bytes": freed}, f"{freed / 1e6:.1f} MB freed")
        return DONE
    use, folder = cache_use(), references_folder()
    answered(
        chosen,
        {"files": use.files, "bytes": use.bytes, "folder": folder},
        f"{use.files} references, {use.bytes / 1e6:.1f} MB, in {folder}",
    )
    return DONE
