"""A study is gone through once more: a new sitting of the same line-up, later or with another build."""

from collections.abc import Mapping
from dataclasses import replace

from ovrik.errors import OvrikError
from ovrik.machine.builds.build import find_build
from ovrik.store.records.run import RunRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, is_simulated, labelled
from ovrik.study.encoder.encoders import OUTSIDE
from ovrik.study.question.sitting import Sitting
from ovrik.work.lineup.able import driven
from ovrik.work.timing.schedule import remaining


def in_place(study: Study, asked: list[str]) -> dict[str, str]:
    """Builds that take the places of others, from words such as "bundled=wheel-0.6.0", or "wheel-0.6.0" alone where
    the line-up has one build only. Raises OvrikError on one that is not there."""
    there = list(dict.fromkeys(c.build for c in study.contenders(as_asked=True) if c.build != OUTSIDE))
    out = {}
    for words in asked:
        old, between, new = words.partition("=")
        if not between:
            if len(there) != 1:
                raise OvrikError(
                    f"The line-up has {len(there)} builds: {', '.join(there)}",
                    f"Say which one it takes the place of: {there[0] if there else 'OLD'}={words}",
                )
            old, new = there[0], words
        if old not in there:
            raise OvrikError(f"No contender has the build “{old}”", f"Choose among {', '.join(there)}")
        find_build(new)
        if not may_replace(old, new):
            raise OvrikError(
                f"“{new}” can't take the place of “{old}”: one of them is simulated, the other real",
                "Choose another build",
            )
        out[old] = new
    return out


def may_replace(old: str, new: str) -> bool:
    """Whether one build can take another's place, by their keys: a stand-in only a stand-in's."""
    return old != new and is_simulated(old) == is_simulated(new)


def begin(study: Study, builds: Mapping[str, str], name: str = "", together: bool = False) -> Sitting:
    """Begin another sitting, or take up the last one where it was left unfinished on the same builds, and no other
    name is given. With `together` the builds do not take others' places: the line-up gets contenders that have
    them, so that old and new are timed in the same shuffled rounds. Raises OvrikError before anything has been
    timed."""
    if not study.runs(every_sitting=True):
        raise OvrikError("Nothing has been timed yet", "Time the study first: ovrik run, or Ctrl+R")
    if together:
        _add(study, builds)
        builds = {}
    last = study.sitting
    same = dict(last.builds) == dict(builds) and name in ("", last.name)
    if last.id > 1 and same and unfinished(study):
        return last
    return study.begin_sitting(name, builds)


def unfinished(study: Study) -> bool:
    """Whether rounds of the last sitting are still to be made, of contenders that did not fail in it; one that joined
    the line-up when the others had theirs leaves nothing unfinished."""
    runs = study.runs()
    if not runs:
        return True
    if study.facts().conduct.until_decided:
        return False
    failed = {r.contender_id for r in runs if _last_of(runs, r.contender_id).state == "failed"}
    timed = {r.contender_id for r in study.runs(every_sitting=True)}  # who never was joined it later
    every = (c.contender_id for c in driven(study.contenders(), {}))
    able = [i for i in every if i in timed and i not in failed]
    return bool(remaining(study, able, study.facts().rounds))


def _last_of(runs: list[RunRecord], contender_id: int) -> RunRecord:
    return [r for r in runs if r.contender_id == contender_id][-1]


def _add(study: Study, builds: Mapping[str, str]) -> None:
    """Put contenders with the new builds beside those of the old ones."""
    every = study.contenders(as_asked=True)
    known = {c.identity for c in every}
    new = [_with_build(c, builds[c.build]) for c in every if c.build in builds]
    study.add_contenders([c for c in new if c.identity not in known])
    study.relabel(labelled(study.contenders(as_asked=True)))


def _with_build(c: Contender, key: str) -> Contender:
    label = f"{c.label}, {key}" if c.label_given else ""
    return replace(c, contender_id=0, build=key, label=label)
