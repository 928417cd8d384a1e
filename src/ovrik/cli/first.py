"""What comes first: `ovrik first`."""

import argparse
from dataclasses import asdict, replace
from typing import TYPE_CHECKING, Any

from ovrik.cli.terminal import DONE, PARTLY, ProgressLine, print_json, say, stop_on_signal
from ovrik.errors import OvrikError

if TYPE_CHECKING:
    from ovrik.work.answers.over_kinds import OverKinds
    from ovrik.work.evidence.gathered import Evidence


def as_asked(chosen: argparse.Namespace, evidence: "Evidence", kinds: "OverKinds | None") -> Any:
    """Evidence, and that of all kinds of footage, with whole costs as the command asks for; as they are where it
    does not."""
    from ovrik.study.question.worth import checked_worth
    from ovrik.work.answers.over_kinds import with_worth
    from ovrik.work.evidence.gathered import judged

    given: dict[str, Any] = {"exports_a_film": float(chosen.exports_a_film)} if chosen.exports_a_film else {}
    given |= {"first_waits": False} if chosen.nobody_waits else {}
    if not given:
        return evidence, kinds
    worth = checked_worth(replace(evidence.facts.worth, **given))
    return judged(evidence, evidence.facts.limits, worth), with_worth(kinds, worth) if kinds else None


def first_(chosen: argparse.Namespace) -> int:
    """`ovrik first STUDY`: pre-renders and analyses, ranked by themselves; --times makes each so often before."""
    from ovrik.report.words.phrases import listed, table
    from ovrik.report.words.whole_cost import name_of
    from ovrik.store.study import Study
    from ovrik.work.campaign.first_steps import ranked_first, time_first
    from ovrik.work.evidence.gathered import gather
    from ovrik.work.lineup.programs import take_in_programs

    study = Study.open(chosen.study)
    try:
        take_in_programs(study)
        failed = []
        if chosen.times:
            if study.read_only:
                raise OvrikError(f"{study.path} can't be written where it is", "Copy it elsewhere")
            line = ProgressLine()
            failed = time_first(
                study,
                study.contenders(),
                chosen.times,
                lambda words, _p: line.probing(-1.0, words),
                stop_on_signal(),
            )
            line.end()
        found = ranked_first(gather(study))
    finally:
        study.close()
    if chosen.json:
        print_json({"first": [_passed(f) for f in found], "failed": failed})
        return PARTLY if failed else DONE
    rows = [
        (
            name_of(f.step),
            f"{f.seconds:.2f}" if f.seconds else "–",
            f"{f.low:.2f} to {f.high:.2f}" if f.seconds else "–",
            str(len(f.step.times)),
            listed(list(f.labels)),
        )
        for f in found
    ]
    say(
        "\n".join(table([("what", "time s", "95 %", "times", "for"), *rows]))
        if rows
        else "Nothing comes first."
    )
    for words in failed:
        say(words)
    return PARTLY if failed else DONE


def _passed(found: Any) -> dict[str, Any]:
    values = asdict(found)
    step = values.pop("step")
    return {
        "kind": str(step["kind"]),
        "entered": step["entered"],
        "times": step["times"],
        "bytes": step["bytes"],
        **values,
    }
