"""What a study's sittings come to, each against another."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from ovrik.analysis.times.day_to_day import DayChange, Held, Repeats, Shift, change, shift_of
from ovrik.analysis.times.noise import Noise, moderated
from ovrik.errors import OvrikError
from ovrik.machine.workstation.facts import differences, lasting
from ovrik.store.study import Study
from ovrik.study.facts.point import TREATED
from ovrik.study.facts.reason import Reason
from ovrik.study.question.sitting import Sitting
from ovrik.work.evidence.counted_times import prior_of
from ovrik.work.evidence.gathered import Evidence, gather
from ovrik.work.evidence.summary import Summary

VMAF_STEP = 0.5
"""A quality lower by more than this is worse: what the same encoder gives in two builds mostly lies within it."""


@dataclass(frozen=True)
class TimedBy:
    """The program that timed a contender. Fields: `version`; `sha256` of its file; `identity` of that and of the
    libraries that it loads, "" where those were not read."""

    version: str = ""
    sha256: str = ""
    identity: str = ""

    @property
    def known(self) -> bool:
        """Whether its file was read."""
        return bool(self.sha256)

    def same_as(self, other: "TimedBy") -> bool:
        """Whether it is the same program with the same libraries, as far as both are known."""
        both = self.identity and other.identity
        return self.identity == other.identity if both else self.sha256 == other.sha256


@dataclass(frozen=True, eq=False)
class Sat:
    """One sitting with what came of it. Fields: `sitting`; `evidence`; `held`, the usual time of each contender that
    was timed, by number; `builds`, the program that timed each, likewise; `machine`, facts of
    the one that counted runs were made on, by key, the last of several."""

    sitting: Sitting
    evidence: Evidence
    held: Mapping[int, Held]
    builds: Mapping[int, TimedBy]
    machine: Mapping[str, Any]


@dataclass(frozen=True, eq=False)
class OverSittings:
    """Fields: `each` sitting that something was timed in, the first one first; `shift`, what the machine does from
    day to day."""

    each: tuple[Sat, ...]
    shift: Shift

    def pair(self, then: int, now: int) -> "SittingPair":
        """Two sittings, by their numbers. Raises OvrikError where nothing was timed in one."""
        found = {s.sitting.id: s for s in self.each}
        for number in (then, now):
            if number not in found:
                raise OvrikError(
                    f"There is no sitting {number} with times",
                    f"Choose among {', '.join(map(str, found)) or 'none'}",
                )
        return SittingPair(found[then], found[now], self.shift)


class Got(StrEnum):
    """In what a contender got worse."""

    SLOWER = "slower"
    WRONG = "wrong"
    SOFTER = "softer"
    LARGER = "larger"


@dataclass(frozen=True)
class Worse:
    """One thing that is worse beyond doubt. Fields: `got`; `by` how much, of a softer one in points of VMAF, of a
    larger one as a share; `reason` that speaks against it now and did not then, None else."""

    got: Got
    by: float = 0.0
    reason: Reason | None = None


@dataclass(frozen=True, eq=False)
class Changed:
    """One contender in two sittings. Fields: `then`, `now`, its summaries; `change` of its time, None where one lacks
    times; `build_then`, `build_now`, versions; `new_build`, whether another program timed it; `size`, bytes now over
    bytes then, None unknown; `quality`, mean VMAF now less then, None unknown; `worse`, what is worse beyond
    doubt; `treated`, what the build now does otherwise with the treatments and did not then, in a clause, or ""."""

    then: Summary
    now: Summary
    change: DayChange | None
    build_then: str
    build_now: str
    new_build: bool
    size: float | None
    quality: float | None
    worse: tuple[Worse, ...]
    treated: str = ""

    @property
    def label(self) -> str:
        """The contender's."""
        return self.now.contender.label

    @property
    def build_words(self) -> str:
        """From which version to which."""
        short = [short_version(v) for v in (self.build_then, self.build_now)]
        return " → ".join(short if short[0] != short[1] else [self.build_then, self.build_now])


def short_version(version: str) -> str:
    """The number in a version: "9.0.2" of "n9.0.2-17-g2a571b6068"; all of it where there is none."""
    number = re.search(r"\d+(?:\.\d+)+", version)
    return number[0] if number else version


@dataclass(frozen=True, eq=False)
class SittingPair:
    """Two sittings against one another. Fields: `then`, `now`; `shift`."""

    then: Sat
    now: Sat
    shift: Shift

    @property
    def changed(self) -> list[Changed]:
        """Every contender that was timed, or failed, in either."""
        before = {s.contender.contender_id: s for s in self.then.evidence.summaries}
        both = [
            (before[s.contender.contender_id], s)
            for s in self.now.evidence.summaries
            if s.contender.contender_id in before
        ]
        tried = [(a, b) for a, b in both if a.runs or b.runs]
        among = max(
            sum(
                a.contender.contender_id in self.then.held and b.contender.contender_id in self.now.held
                for a, b in tried
            ),
            1,
        )
        return [self._changed(a, b, among) for a, b in tried]

    @property
    def machine(self) -> list[str]:
        """What differs in the machine, in words, the weightiest first."""
        return differences(self.then.machine, self.now.machine)

    @property
    def new_builds(self) -> list[str]:
        """Which program took which one's place, in words."""
        return list(dict.fromkeys(f"{c.build_then} → {c.build_now}" for c in self.changed if c.new_build))

    @property
    def unfair(self) -> str:
        """Why a change can't be put down to the new builds alone, or ""."""
        if not self.machine:
            return ""
        what = "the builds" if self.new_builds else "the day"
        return f"More than {what} changed: {'; '.join(self.machine)}"

    def _changed(self, then: Summary, now: Summary, among: int) -> Changed:
        number = now.contender.contender_id
        before, after = self.then.held.get(number), self.now.held.get(number)
        by = change(before, after, self.shift, among, now_band(self.now)) if before and after else None
        old, new = (sat.builds.get(number, TimedBy()) for sat in (self.then, self.now))
        size = now.bytes / then.bytes if now.bytes and then.bytes else None
        quality = now.vmaf.mean - then.vmaf.mean if now.vmaf and then.vmaf else None
        treated = _treated_otherwise(then, now)  # another picture takes other room: no fault of its encoder
        return Changed(
            then=then,
            now=now,
            change=by,
            build_then=old.version,
            build_now=new.version,
            new_build=old.known and new.known and not old.same_as(new),
            size=size,
            quality=quality,
            worse=tuple(_worse(then, now, by, None if treated else size, quality, now_band(self.now))),
            treated=treated,
        )


def _treated_otherwise(then: Summary, now: Summary) -> str:
    """What the build makes of the treatments now, where it is not what it made of them then."""
    if not then.score or not now.score or then.score.facts.treated_by == now.score.facts.treated_by:
        return ""
    own = (p.words for p in now.score.points if p.name == TREATED)
    return next(own, "it is treated as the reference is again")


def now_band(sat: Sat) -> float:
    """The tie band of a sitting's study."""
    return sat.evidence.facts.tie_band


def _worse(
    then: Summary, now: Summary, by: DayChange | None, size: float | None, quality: float | None, band: float
) -> Iterator[Worse]:
    if by and by.answer == "slower":
        yield Worse(Got.SLOWER)
    if now.faults and not then.faults:
        yield Worse(Got.WRONG, reason=now.faults[0])
    elif now.acceptable is False and then.acceptable:
        yield Worse(Got.WRONG, reason=now.reasons[0])
    if quality is not None and quality < -VMAF_STEP:
        yield Worse(Got.SOFTER, -quality)
    if size is not None and size > 1 + band and (quality or 0) < VMAF_STEP:
        yield Worse(Got.LARGER, size - 1)


def gather_sittings(study: Study, present: Evidence | None = None) -> OverSittings:
    """Read every sitting; `present`, evidence that was gathered already, is not gathered again."""
    found = []
    for sitting in study.sittings():
        same = present is not None and present.sitting == sitting.id
        evidence = present if present is not None and same else gather(study.at(sitting))
        if any(s.runs for s in evidence.summaries):
            found.append(sat(study, sitting, evidence))
    return OverSittings(tuple(found), shift_of(_repeats(found)))


def sat(study: Study, sitting: Sitting, evidence: Evidence) -> Sat:
    """A sitting with its times as they are compared with those of others."""
    timed = [s for s in evidence.summaries if s.counted and s.usual_s is not None]
    noise, found = _noise(timed, evidence), evidence.times.found
    held = {
        s.contender.contender_id: Held(
            log=float(np.log(s.usual_s or 1.0)),
            variance=float(noise.variances[n]) * found.alike.widening(len(s.times)) / len(s.times),
            freedom=float(noise.freedoms[n]),
            read=float(found.read[evidence.times.rows[s.contender.contender_id]]),
            runs=len(s.times),
            disturbed=float(np.mean([bool(r.disturbed) for r in s.counted])),
        )
        for n, s in enumerate(timed)
    }
    builds = {
        s.contender.contender_id: TimedBy(r.build, r.build_sha256, r.build_identity)
        for s in evidence.summaries
        for r in s.runs
    }
    last = max((r for s in timed for r in s.counted), key=lambda r: r.id, default=None)
    machine = study.machines().get(last.machine_id or 0, {}) if last else {}
    return Sat(sitting, evidence, held, builds, machine)


def _noise(timed: Sequence[Summary], evidence: Evidence) -> Noise:
    """The spread of whole times, effects of rounds included: another sitting has other rounds."""
    logs = [np.log(s.times) for s in timed]
    squares = np.array([((x - x.mean()) ** 2).sum() for x in logs], float)
    freedoms = np.array([len(x) - 1 for x in logs], float)
    return moderated(squares, freedoms, prior_of(evidence.facts.conduct))


def _repeats(each: Sequence[Sat]) -> list[Repeats]:
    """Sets of sittings on one machine, with contenders that one and the same program timed in all of them. Two sets
    have no two sittings in common: a shift is counted once."""
    out, taken = [], list[frozenset[int]]()
    for ids, same in sorted(_unchanged(each).items(), key=lambda found: (-len(found[0]), -len(found[1]))):
        if len(ids) < 2 or any(len(ids & other) > 1 for other in taken):
            continue
        taken.append(ids)
        sats = [s for s in each if s.sitting.id in ids]
        logs = [[s.held[i].log for s in sats] for i in same]
        out.append(Repeats(np.array(logs), np.array([[s.held[i].variance for s in sats] for i in same])))
    return out


def _unchanged(each: Sequence[Sat]) -> dict[frozenset[int], list[int]]:
    """Contenders by the numbers of the sittings in which one program timed them on one machine."""
    there: dict[tuple[int, str, str], set[int]] = {}
    for one in each:
        for number in one.held:
            by = one.builds.get(number, TimedBy())
            program = by.identity or by.sha256
            if program:
                there.setdefault((number, program, _machine_key(one)), set()).add(one.sitting.id)
    out: dict[frozenset[int], list[int]] = {}
    for (number, _program, _machine), ids in there.items():
        out.setdefault(frozenset(ids), []).append(number)
    return out


def _machine_key(one: Sat) -> str:
    return repr(sorted(lasting(one.machine).items()))
