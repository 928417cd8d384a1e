"""What speaks against a contender, and what happened to a run, in words."""

import math
from collections import Counter
from collections.abc import Iterable, Sequence

from ovrik.analysis.choice.entrant import Standing, Wanting
from ovrik.machine.devices.paths import PATHS
from ovrik.report.words.phrases import gain_words
from ovrik.store.records.decision import Decision
from ovrik.store.records.run import RunRecord
from ovrik.store.records.study_facts import StudyFacts
from ovrik.store.schema.set_aside import named
from ovrik.study.facts.device_use import FellBack, OnProcessor, Showed
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.facts.origin import Origin
from ovrik.study.facts.reason import Against, Reason
from ovrik.study.question.limit_kinds import LIMIT_KINDS, LimitKind
from ovrik.work.evidence.summary import OPEN

TITLES = {p.key: p.title for p in PATHS} | {"standin": "the simulated device"}


def reason_words(r: Reason) -> str:
    """One reason in a clause."""
    where = f"on {r.on}: " if r.on else ""
    if r.kind is Against.LIMIT:
        return where + limit_clause(LIMIT_KINDS[r.limit], r.value, r.bound)
    if r.kind is Against.FELL_BACK:
        return f"{where}it fell back: {fell_back_words(r.fell_back)}"
    return where + REASONS[r.kind].format(r.said)


REASONS = {
    Against.BARRED: "it can't run: {}",
    Against.FAILED: "it failed: {}",
    Against.PICTURE: "{}",
    Against.CHECKS: "{}",
    Against.EARLIER: "{}",
    Against.NOT_PLAYED: "it does not play in real time here",
    Against.SEEN: "it was told from the reference in a blind comparison",
}


def reasons_words(reasons: Sequence[Reason]) -> list[str]:
    """Each of them."""
    return [reason_words(r) for r in reasons]


def first_reason(reasons: Sequence[Reason]) -> str:
    """The gravest, "" without any."""
    return reason_words(reasons[0]) if reasons else ""


def limit_clause(kind: LimitKind, value: float, bound: float) -> str:
    """Value and limit in a clause: "mean VMAF 92.9 is under the floor of 93"."""
    at = f"{value:.{kind.digits}f}"
    if kind.fails(value, bound) and float(at) == round(bound, kind.digits):
        at = f"{value:.{kind.digits + 2}f}"
    how = "under the floor" if kind.floor else "over the ceiling"
    unit = f" {kind.unit}" if kind.unit else ""
    return f"{kind.title} {at}{unit} is {how} of {bound:g}"


def brief(s: Standing) -> str:
    """A limit that is missed, in few words: "VMAF 4.1 too low"."""
    away = f"{abs(s.margin or 0.0):.{s.kind.digits}f}"
    return f"{s.kind.heading.removesuffix(' mean')} {away} too {'low' if s.kind.floor else 'high'}"


def close_words(s: Standing) -> str:
    """A limit that is close to deciding: "mean VMAF 92.6, floor 93"."""
    bound = "floor" if s.kind.floor else "ceiling"
    return f"{s.kind.title} {s.kind.words(s.value or 0.0)}, {bound} {s.limit:g}"


WANTING = {
    Wanting.CHECK: "its output has not been checked yet",
    Wanting.PROOF: "its treatments have not been compared with software's yet: time it again",
    Wanting.PLAYBACK: "it has not been played yet",
    Wanting.BLIND: "no blind comparison has come to an end",
    Wanting.FIRST: "what comes first has not been timed: time it again",
}


def wanting_words(wanting: Sequence[str]) -> str:
    """What is asked for and not known, in a clause; "" where all is."""
    return ", and ".join(
        WANTING[Wanting(w)] if w in set(Wanting) else f"the {LIMIT_KINDS[w].title} is not known"
        for w in wanting
    )


def fell_back_words(f: FellBack | None) -> str:
    """How it showed that a device did not do the work; "" where it did."""
    if f is None:
        return ""
    titles = ", ".join(TITLES.get(p, p) for p in f.paths)
    return {
        Showed.LOG: f"asked for {titles}, and its log says: {f.said}",
        Showed.UNIT: f"asked {titles} to {f.what}, and its {f.unit} showed no load",
        Showed.KERNEL: f"asked for {titles}, and by the kernel's count no engine of a graphics device worked for it",
        Showed.EARLIER: f.said,
    }[f.showed]


def disturbed_words(found: Sequence[Disturbance]) -> str:
    """Who or what disturbed a run, with the size of it; "" when nothing did."""
    return "; ".join(map(_disturbance_words, found))


WHAT = {
    Disturber.PROGRAMS: "other programs",
    Disturber.HOST: "the virtual machine's host",
    Disturber.ASLEEP: "a suspended machine",
    Disturber.HALTED: "whoever stopped the export",
    Disturber.DISKS: "other programs on the disks",
    Disturber.DEVICE: "another program on the device",
    Disturber.LIMITED: "heat or power",
    Disturber.CLOCK: "a lower clock",
    Disturber.EARLIER: "what an earlier Ovrik noted",
}


def damaged_words(facts: StudyFacts) -> str:
    """Which rows of the study are left out since they are damaged, in a clause; "" when none is."""
    if not facts.damaged:
        return ""
    return (
        f"{named(facts.damaged)} and left out, with all that rests on such rows (damaged: see ovrik rescue)"
    )


def how_disturbed(runs: Iterable[RunRecord]) -> str:
    """How many of the runs that count were disturbed, and mostly by what, in a clause; "" when none was."""
    counted = [r for r in runs if r.counts]
    disturbed = [r for r in counted if r.disturbed]
    if not disturbed:
        return ""
    by = Counter(_by_whom(d) for r in disturbed for d in r.disturbed).most_common(1)[0][0]
    were = "was" if len(disturbed) == 1 else "were"
    return f"{len(disturbed)} of {len(counted)} counted runs {were} disturbed, mostly by {by}"


def _by_whom(d: Disturbance) -> str:
    named = [name for name, _size in d.who[:1]] or [d.name] * (d.by is Disturber.DEVICE)
    return f"{WHAT[d.by]} ({named[0]})" if any(named) else WHAT[d.by]


def _disturbance_words(d: Disturbance) -> str:
    share = f"{100 * d.size:.0f} %"
    if d.by is Disturber.PROGRAMS:
        who = ", ".join(f"{name} {100 * each:.0f} % of a core" for name, each in d.who)
    else:
        who = ", ".join(f"{name} {each:.0f} MB/s" for name, each in d.who)
    behind = f" ({who})" if who else ""
    return {
        Disturber.PROGRAMS: f"other programs used {share} of the processors{behind}",
        Disturber.HOST: f"the virtual machine's host used {share} of the processor",
        Disturber.ASLEEP: f"the machine was suspended for {d.size:.0f} s",
        Disturber.HALTED: f"the export was stopped for {d.size:.1f} s",
        Disturber.DISKS: f"other programs moved {d.size:.0f} MB/s on the disks{behind}",
        Disturber.DEVICE: f"{d.name} used {share} of the device",
        Disturber.LIMITED: f"heat or power limited the device {share} of the time",
        Disturber.CLOCK: f"the {d.name} dropped from {d.was:.0f} to {d.size:.0f} MHz",
        Disturber.EARLIER: d.said,
    }[d.by]


def on_processor_words(found: Sequence[OnProcessor]) -> str:
    """Which devices are the processor itself; "" for none."""
    return "; ".join(
        f"{TITLES.get(o.path, o.path)} is the processor itself here: {o.device}" if o.path else o.device
        for o in found
    )


def device_words(r: RunRecord) -> str:
    """What has to be known of the devices that a run asked for; "" for nothing."""
    titles = ", ".join(TITLES.get(p, p) for p in r.untold)
    open_ = (
        f"can't tell whether {titles} did the work: it was too short, or nothing here counts it"
        if titles
        else ""
    )
    return "; ".join(filter(None, (on_processor_words(r.on_processor), open_)))


def odd_words(r: RunRecord) -> str:
    """What of a run did not go as it should, in a clause; "" where all did."""
    if r.disturbed:
        return f"disturbed: {disturbed_words(r.disturbed)}"
    return f"fell back: {fell_back_words(r.fell_back)}" if r.fell_back else ""


def only_bounds(run: RunRecord) -> bool:
    """Whether a watched export is known no better than by bounds."""
    return run.watched and run.doubt_s > OPEN * (run.wall_s or 0.0)


def doubt_words(run: RunRecord) -> str:
    """How a time that Ovrik did not drive was come by, and how exact it is; "" for one that it did."""
    brought, watched = (run.conditions.get(key) for key in ("brought_in", "watched"))
    if run.by_hand:
        # A study from elsewhere may hold anything.
        from_file = run.origin is Origin.BROUGHT_IN and isinstance(brought, dict)
        source = f", brought in from {brought.get('file')}, row {brought.get('row')}" if from_file else ""  # type: ignore[union-attr]
        return f"read in steps of {2 * run.doubt_s:g} s{source}"
    if not run.watched:
        return ""
    by = watched.get("began_by") if isinstance(watched, dict) else "nothing that is on file"
    if only_bounds(run):
        low, high = (
            (run.wall_s or 0.0) * math.exp(sign * run.doubt_s / (run.wall_s or 1.0)) for sign in (-1, 1)
        )
        helps = "press the start key, or name the program, to know it"
        return f"{low:.2f} to {high:.2f} s: start by {by}, end by the file; {helps}"
    return f"±{run.doubt_s:.2f} s: start by {by}, end by the file"


def decision_words(d: Decision | None, choice: str) -> str:
    """Why a contender is not timed any more, or is again, with the label of the choice; "" without a decision."""
    if d is None:
        return ""
    if d.asked:
        return "brought back by hand" if not d.out and d.kind == "kept" else "no longer brought back by hand"
    if d.why is not None:
        return f"not acceptable: {reason_words(d.why)}"
    if not d.out:
        return "it could be the fastest after all"
    return bound_words(d.gain or 0.0, choice or "the choice")


def bound_words(gain: float, choice: str) -> str:
    """ "at the best 12 % slower than x264 fast", "at most 0.4 % faster than x264 fast"."""
    if gain >= 0:
        return f"at most {gain_words(gain)} faster than {choice}"
    return f"at the best {gain_words(1 / (1 + gain) - 1)} slower than {choice}"
