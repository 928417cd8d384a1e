"""Doing it again: `ovrik again`, `history`."""

import argparse
from typing import Any

from ovrik.cli.terminal import BAD_INPUT, DONE, PARTLY, print_json, say, stop_on_signal
from ovrik.errors import OvrikError

WORSE = PARTLY


def again_(chosen: argparse.Namespace) -> int:
    """`ovrik again STUDY`: another sitting of the same line-up; exit code 1 when something became slower or worse
    beyond doubt, or failed."""
    from ovrik.cli.question import time_and_score
    from ovrik.report.values.of_sittings import pair_passed
    from ovrik.report.words.sittings import pair_text
    from ovrik.store.study import Study
    from ovrik.work.answers.sittings import gather_sittings
    from ovrik.work.lineup.programs import take_in_programs
    from ovrik.work.timing.new_sitting import begin, in_place

    if chosen.together and not chosen.build:
        raise OvrikError("--together needs a build", "Name it with --build")
    study = Study.open(chosen.study)
    try:
        take_in_programs(study)
        if study.read_only:
            raise OvrikError(f"{study.path} can't be written where it is", "Copy it elsewhere")
        sitting = begin(study, in_place(study, chosen.build), chosen.name, chosen.together)
        well = time_and_score(study, chosen.rounds or study.facts().rounds, stop_on_signal())
        over = gather_sittings(study)
        before = [s.sitting.id for s in over.each if s.sitting.id < sitting.id]
        if not before or over.each[-1].sitting.id != sitting.id:
            raise OvrikError("There is nothing to compare with", "Nothing was timed in one of the sittings")
        pair = over.pair(before[-1], sitting.id)
    finally:
        study.close()
    if chosen.json:
        print_json(pair_passed(pair).values())
    else:
        say("\n" + pair_text(pair, over))
    return DONE if well and not any(c.worse for c in pair.changed) else WORSE


def history_(chosen: argparse.Namespace) -> int:
    """`ovrik history STUDY`: the sittings, and each against the one before, or two that are named."""
    from ovrik.report.values.of_sittings import pair_passed, sat_passed
    from ovrik.report.words.sittings import disturbed_in, pair_text
    from ovrik.store.study import Study
    from ovrik.work.answers.sittings import gather_sittings
    from ovrik.work.lineup.programs import take_in_programs

    study = Study.open(chosen.study)
    try:
        take_in_programs(study)
        over = gather_sittings(study)
    finally:
        study.close()
    pairs = _pairs(over, chosen)
    if chosen.json:
        print_json(
            {
                "sittings": [sat_passed(s).values() for s in over.each],
                "pairs": [pair_passed(p).values() for p in pairs],
            }
        )
        return DONE
    for sat in over.each:
        versions = ", ".join(sorted({b.version for b in sat.builds.values() if b.version}))
        odd = f"; {words}" if (words := disturbed_in(sat)) else ""
        say(f"{sat.sitting.id}  {sat.sitting.words}: {len(sat.held)} timed; {versions}{odd}")
    for pair in pairs:
        say("\n" + pair_text(pair, over))
    return DONE if over.each else BAD_INPUT


def _pairs(over: Any, chosen: argparse.Namespace) -> list[Any]:
    if chosen.then or chosen.now:
        numbers = [s.sitting.id for s in over.each]
        now = chosen.now or (numbers[-1] if numbers else 1)
        return [over.pair(chosen.then or max([n for n in numbers if n < now], default=1), now)]
    return [over.pair(a.sitting.id, b.sitting.id) for a, b in zip(over.each[:-1], over.each[1:], strict=True)]
