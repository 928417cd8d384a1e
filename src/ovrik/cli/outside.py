"""Exports of other programs without a window: `ovrik outside`."""

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ovrik.cli.terminal import DONE, answered, say, stop_on_signal

PREVIEW = 8


def add_(chosen: argparse.Namespace) -> int:
    """`ovrik outside add STUDY --program NAME`: a contender that another program exports."""
    from ovrik.store.study import Study
    from ovrik.work.outside.exports import outside_contender

    study = Study.open(chosen.study)
    try:
        made = outside_contender(chosen.program, chosen.version, dict(chosen.set), chosen.container)
        kept = study.add_contender(made)
        answered(chosen, {"label": kept.label}, f"Added: {kept.label}")
    finally:
        study.close()
    return DONE


def watch_(chosen: argparse.Namespace) -> int:
    """`ovrik outside watch STUDY FOLDER`: time what other programs export into a folder, until stopped."""
    from ovrik.errors import OvrikError
    from ovrik.outside.programs import pid_of
    from ovrik.report.words.watched import kept_words, trial_words
    from ovrik.store.study import Study
    from ovrik.work.checking.scoring import score_all
    from ovrik.work.outside.exports import Card
    from ovrik.work.outside.watching import Orders, Watched, watch_for

    study, asked = Study.open(chosen.study), list[Card]()
    labels = {c.contender_id: c.label for c in study.contenders()}

    seen_runs: list[dict[str, Any]] = []
    checked = None

    def show(seen: Watched) -> None:
        if seen.tried:
            say(trial_words(seen.tried, pid is not None))
        if seen.run:
            run = seen.run
            seen_runs.append(
                {
                    "run": run.id,
                    "label": labels[run.contender_id],
                    "wall_s": run.wall_s,
                    "doubt_s": run.doubt_s,
                    "output": run.output,
                }
            )
            say(f"{labels[run.contender_id]}: {kept_words(run)} ({run.output}), run {run.id}")
        if chosen.first:
            if seen.ended:
                say(seen.words)
            return
        if seen.card not in asked:
            asked.append(seen.card)
            settings = ", ".join(f"{k} {v}" for k, v in seen.card.settings)
            say(f"Next: {seen.card.contender.label} ({settings}). First: {', '.join(seen.card.checks)}.")
            say(f"  Export to {chosen.folder / seen.card.name}")

    try:
        stop, pid = stop_on_signal(), pid_of(chosen.process)
        first = next((c for c in study.contenders() if c.label == chosen.first), None)
        if chosen.first and (first is None or not first.outside):
            raise OvrikError(
                f'No contender "{chosen.first}" is exported by another program',
                "Give the label of one that is",
            )
        watch_for(study, chosen.folder, pid, Orders(trial=chosen.trial), show, stop, chosen.exports, first)
        if chosen.check:
            checked = score_all(study)
            say(f"{checked} output{'s' * (checked != 1)} checked")
    finally:
        study.close()
    answered(chosen, {"runs": seen_runs, "checked": checked})
    return DONE


def move_(chosen: argparse.Namespace) -> int:
    """`ovrik outside move STUDY RUN LABEL`: give a watched export to the contender whose it is."""
    from ovrik.errors import OvrikError
    from ovrik.store.study import Study
    from ovrik.work.outside.exports import move_run

    study = Study.open(chosen.study)
    try:
        to = next((c for c in study.contenders() if c.label == chosen.label), None)
        if to is None:
            raise OvrikError(f'There is no contender "{chosen.label}"', "Choose one of the line-up")
        move_run(study, chosen.run, to)
    finally:
        study.close()
    answered(chosen, {"run": chosen.run, "label": to.label})
    return DONE


def import_(chosen: argparse.Namespace) -> int:
    """`ovrik outside import STUDY FILE`: show the times of a table, and bring them in with --yes."""
    from ovrik.store.study import Study
    from ovrik.work.outside.old_results import bring_in, left_out_words, read_table, times_of

    table = read_table(chosen.file, chosen.contender, chosen.time, chosen.unit)
    found, left = times_of(table)
    rows = [{"row": o.row, "label": o.label, "seconds": o.seconds, "step_s": o.step_s} for o in found]
    made = {"contender": table.name, "time": table.time, "unit": table.unit or None, "times": rows}
    made["left_out"] = [{"row": one.row, "why": one.why} for one in left]
    say(
        f"Columns: contender “{table.name}”, time “{table.time}”"
        + (f" in {table.unit}" if table.unit else "")
    )
    for one in found[:PREVIEW]:
        say(f"  row {one.row}: {one.label}: {one.text} = {one.seconds:g} s ± {one.step_s / 2:g}")
    if len(found) > PREVIEW:
        say(f"  and {len(found) - PREVIEW} more")
    if left:
        say(left_out_words(left))
    if not chosen.yes:
        answered(chosen, {**made, "brought_in": 0}, "Nothing was brought in. Say --yes if this is right.")
        return DONE
    study = Study.open(chosen.study)
    try:
        count = bring_in(study, found, chosen.file.name, chosen.add)
        answered(chosen, {**made, "brought_in": count}, f"{count} time{'s' * (count != 1)} brought in")
    finally:
        study.close()
    return DONE


def setting(text: str) -> tuple[str, str]:
    """NAME=VALUE."""
    name, equals, value = text.partition("=")
    if not equals or not name.strip() or not value.strip():
        raise argparse.ArgumentTypeError(f"“{text}” is not NAME=VALUE")
    return name.strip(), value.strip()


def commands(top: argparse.ArgumentParser) -> None:
    """The commands below `ovrik outside`."""
    acts = top.add_subparsers(required=True, metavar="add|watch|import|move")

    def act(name: str, done_by: Callable[[argparse.Namespace], int], about: str) -> argparse.ArgumentParser:
        made = acts.add_parser(name, help=about, description=about)
        made.set_defaults(act=done_by)
        made.add_argument("--json", action="store_true", help="print JSON")
        return made

    one = act("add", add_, "add a contender that another program exports")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("--program", required=True, metavar="NAME", help="the program, as it calls itself")
    one.add_argument("--version", default="", metavar="V", help="its exact version")
    one.add_argument(
        "--set", type=setting, action="append", default=[], metavar="NAME=VALUE", help="a setting"
    )
    one.add_argument("--container", choices=("mp4", "mov", "mkv", "webm"), default="mp4")
    one = act("watch", watch_, "time what is exported into a folder")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("folder", type=Path, metavar="FOLDER")
    one.add_argument(
        "--process", default="", metavar="PID|NAME", help="the running program, to date its start"
    )
    one.add_argument("--exports", type=int, default=-1, metavar="N", help="stop after so many")
    one.add_argument("--check", action="store_true", help="then check the outputs")
    one.add_argument(
        "--trial", action="store_true", help="the first export only shows how exactly they can be timed"
    )
    one.add_argument(
        "--first", default="", metavar="LABEL", help="what is written is what comes before this one's exports"
    )
    one = act("import", import_, "bring in times from a CSV table")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("file", type=Path, metavar="FILE")
    one.add_argument("--contender", default="", metavar="COLUMN", help="the column that names the contender")
    one.add_argument("--time", default="", metavar="COLUMN", help="the column of times")
    one.add_argument("--unit", choices=("s", "min", "h"), default="", help="of plain numbers")
    one.add_argument("--add", action="store_true", help="add contenders that the line-up lacks")
    one.add_argument("--yes", action="store_true", help="bring them in; else they are only shown")
    one = act("move", move_, "give a watched export to another contender")
    one.add_argument("study", type=Path, metavar="STUDY")
    one.add_argument("run", type=int, metavar="RUN")
    one.add_argument("label", metavar="LABEL")
