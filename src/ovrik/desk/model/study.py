"""What the window shows: an open study, its evidence, and what is selected. Knows nothing of Qt."""

import itertools
import shlex
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from psygnal import Signal

from ovrik.analysis.signals.complexity import ComplexityCurve
from ovrik.analysis.times.ahead import Ahead
from ovrik.desk.model.undo import Undo, contender_back, kind_back
from ovrik.errors import OvrikError
from ovrik.machine.builds.added import added_builds
from ovrik.machine.builds.build import Build
from ovrik.machine.builds.described import descriptions
from ovrik.store.records.decision import BACK, KEPT, Decision
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.described import Description
from ovrik.study.programme.excerpt import Excerpt, excerpt_checked, whole
from ovrik.study.programme.programme import Programme
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import Limits
from ovrik.study.question.worth import Worth
from ovrik.work.answers.estimate import Estimate, estimate
from ovrik.work.answers.over_kinds import OverKinds, gather_kinds, summed_up
from ovrik.work.answers.rivals import Rivals, plan_of, rivals
from ovrik.work.answers.sittings import OverSittings, gather_sittings
from ovrik.work.evidence.gathered import Evidence, gather, judged, with_barred
from ovrik.work.evidence.outputs_on_disk import output_path
from ovrik.work.evidence.summary import Summary
from ovrik.work.footage.complexity import curve_of
from ovrik.work.lineup.able import Judge, barred_of, builds_for, driven, judge_for
from ovrik.work.lineup.asked_builds import AskedBuilds
from ovrik.work.lineup.programs import take_in_programs

if TYPE_CHECKING:
    from ovrik.study.facts.notes import Area, Pin
    from ovrik.study.question.footage_kind import FootageKind
    from ovrik.work.outside.old_results import OldTime


class DeskModel:
    """One open study.

    Signals: `evidence_changed` when something about the study is new; `selected` with a contender's number;
    `limits_tried` when limits are tried out and nothing else has changed; `frame_moved` with a frame of the
    excerpt; `live` with a `TimingUpdate` or None."""

    evidence_changed = Signal()
    limits_tried = Signal()
    selected = Signal(int)
    frame_moved = Signal(int)
    live = Signal(object)

    def __init__(self, study: Study) -> None:
        self.study, self.undo = study, Undo()
        take_in_programs(study)
        self.barred: dict[int, str] = {}
        self.builds: dict[str, Build] = {}
        self.programs: dict[str, Description] = descriptions()
        self._looks, self._taken, self._taken_kinds = itertools.count(1), 0, 0
        self._last: tuple[tuple[int, int], Evidence] | None = None
        self._last_over: tuple[object, OverKinds | None] | None = None
        self._last_sittings: tuple[object, OverSittings | None] | None = None
        self.evidence: Evidence = self._gathered()
        self.selection = self.evidence.facts.baseline_id or 0
        self.frame = 0
        self.curve: ComplexityCurve | None = curve_of(study)
        self.asked = AskedBuilds()
        self.judge: Judge | None = None
        self.plan: Estimate | None = None
        self.rivals: Rivals | None = None
        self.ahead: Ahead | None = None
        self.over: OverKinds | None = None
        self.sittings: OverSittings | None = None

    def look(self, with_kinds: bool = True) -> Callable[[], None]:
        """Read the study anew, other kinds of footage than the present one if wished; may be called in any thread.
        The result puts it in place."""
        number = next(self._looks)
        contenders = self.study.contenders()
        programme, excerpt = self.study.programme(), self.study.facts().excerpt
        builds = self.asked.soon([*(c.build for c in contenders), "bundled", "system", *added_builds()])
        judge = judge_for(programme, excerpt, contenders, builds)
        barred = barred_of(contenders, judge)
        evidence, programs = with_barred(self._gathered(), barred), descriptions()
        able = [c.contender_id for c in driven(contenders, barred)]
        still = rivals(evidence, able) if evidence.facts.conduct.looks else None
        ahead = plan_of(evidence, still) if still else None
        over = self._over(barred, evidence) if with_kinds else None
        sittings = self._sittings(evidence) if with_kinds else None
        curve = curve_of(self.study)
        plan = estimate(self.study, evidence, able, evidence.facts.rounds)

        def take() -> None:
            if with_kinds and number > self._taken_kinds:
                self._taken_kinds, self.over, self.sittings = number, over, sittings
            elif number < self._taken:
                return  # what was read later is in place already
            if number < self._taken:
                self.evidence_changed.emit()
                return
            self._taken = number
            self.builds, self.barred, self.evidence = builds, barred, evidence
            self.programs, self.curve, self.judge, self.plan = programs, curve, judge, plan
            self.rivals, self.ahead = still, ahead
            now = self.study.facts()
            if (now.limits, now.worth) != (evidence.facts.limits, evidence.facts.worth):
                self._by(now.limits, now.worth)  # they were changed while it was read
            if evidence.of(self.selection) is None and evidence.summaries:
                self.selection = evidence.facts.baseline_id or evidence.summaries[0].contender.contender_id
            self.evidence_changed.emit()

        return take

    def _gathered(self) -> Evidence:
        """The evidence; read anew only when the study's file has changed since the last time."""
        version = self.study.version
        if self._last is None or self._last[0] != version:
            self._last = version, gather(self.study)
        return self._last[1]

    def _over(self, barred: dict[int, str], evidence: Evidence) -> OverKinds | None:
        """What all kinds of footage come to; read anew only when something has changed since the last time."""
        key = self.study.version, tuple(sorted(barred.items()))
        if self._last_over is None or self._last_over[0] != key:
            self._last_over = key, gather_kinds(self.study, barred, evidence)
        return self._last_over[1]

    def _sittings(self, evidence: Evidence) -> OverSittings | None:
        """What all sittings come to, None with one; read anew only when the study's file has changed."""
        key = self.study.version
        if self._last_sittings is None or self._last_sittings[0] != key:
            several = len(evidence.sittings) > 1
            self._last_sittings = key, gather_sittings(self.study, evidence) if several else None
        return self._last_sittings[1]

    def refresh(self) -> None:
        """Read the study anew at once."""
        self.look()()

    # What is looked at

    @property
    def summary(self) -> Summary | None:
        """The selected contender's summary."""
        return self.evidence.of(self.selection)

    @property
    def driven(self) -> list[Summary]:
        """Contenders that can be timed from here."""
        ids = {c.contender_id for c in driven((s.contender for s in self.evidence.summaries), self.barred)}
        return [s for s in self.evidence.summaries if s.contender.contender_id in ids]

    def select(self, contender_id: int) -> None:
        """Show this contender in every station."""
        if contender_id != self.selection and self.evidence.of(contender_id):
            self.selection = contender_id
            self.selected.emit(contender_id)

    def move(self, frame: int) -> None:
        """Show this frame of the excerpt."""
        frame = max(0, min(frame, self.evidence.facts.excerpt.frames - 1))
        if frame != self.frame:
            self.frame = frame
            self.frame_moved.emit(frame)

    # What is changed

    def set_excerpt(self, excerpt: Excerpt) -> None:
        """Choose another excerpt. Raises OvrikError when it does not lie inside the footage."""
        if excerpt == self.evidence.facts.excerpt:
            return
        self.study.set_excerpt(excerpt_checked(self.evidence.programme, excerpt))
        self.frame = 0
        self.refresh()

    def keep_excerpt(self, name: str) -> None:
        """Keep the present excerpt by a name."""
        self.study.keep_excerpt(name, self.evidence.facts.excerpt)
        self.refresh()

    def drop_excerpt(self) -> None:
        """Forget the present excerpt's name; its runs stay."""
        for e in self.evidence.excerpts:
            if e.excerpt == self.evidence.facts.excerpt:
                self.study.drop_excerpt(e.id)
                self.undo.keep(f"“{e.name}”", partial(self.study.keep_excerpt, e.name, e.excerpt))
        self.refresh()

    def set_programme(self, programme: Programme) -> None:
        """Choose another programme. The excerpt stays where it lies inside; runs of the old one stay on file."""
        if programme == self.evidence.programme:
            return
        old = self.evidence.facts.excerpt
        same_cut = programme.frames == self.evidence.programme.frames
        excerpt = old if same_cut and old.end_frame <= programme.frames else whole(programme)
        self.study.set_programme(programme, excerpt)
        self.frame = min(self.frame, excerpt.frames - 1)
        self.refresh()

    def set_limits(self, limits: Limits) -> None:
        """Change what is acceptable."""
        before = self.study.facts().limits
        if limits != before:
            self.study.set_limits(limits)
            gone = {key for key, _v in before.values} - {key for key, _v in limits.values}
            if gone or before.plays > limits.plays or before.unseen > limits.unseen:
                self.undo.keep("a limit", lambda: self.study.set_limits(before))
            self._judge_anew(limits, self.evidence.facts.worth)

    def try_limits(self, limits: Limits) -> None:
        """Show what limits would come to, without keeping them: while one is dragged."""
        if limits != self.evidence.facts.limits:
            self.evidence = judged(self.evidence, limits)
            self.limits_tried.emit()

    def set_worth(self, worth: Worth) -> None:
        """Change how the times are used. Raises OvrikError on what can't be."""
        if worth != self.evidence.facts.worth:
            self.study.set_worth(worth)
            self._judge_anew(self.evidence.facts.limits, worth)

    def _judge_anew(self, limits: Limits, worth: Worth) -> None:
        """What was measured stands as it is: nothing has to be read again."""
        self._by(limits, worth)
        self.evidence_changed.emit()

    def _by(self, limits: Limits, worth: Worth) -> None:
        self.evidence = judged(self.evidence, limits, worth)
        if self.over is not None:
            self.over = summed_up(self.over.kinds, [judged(e, limits, worth) for e in self.over.each])
        able = [s.contender.contender_id for s in self.driven]
        self.rivals = rivals(self.evidence, able) if self.evidence.facts.conduct.looks else None
        self.ahead = plan_of(self.evidence, self.rivals) if self.rivals else None

    def set_tie_band(self, band: float) -> None:
        """Change how far from 1 a speed may lie to be a tie."""
        if abs(band - self.evidence.facts.tie_band) > 1e-9:
            self.study.set_tie_band(band)
            self.refresh()

    def set_conduct(self, conduct: Conduct) -> None:
        """Make runs another way from now on."""
        if conduct != self.evidence.facts.conduct:
            self.study.set_conduct(conduct)
            self.refresh()

    def add_outside(self, program: str, version: str, settings: dict[str, str], container: str) -> None:
        """Add a contender that another program exports. Raises OvrikError."""
        from ovrik.work.outside.exports import outside_contender

        self.add(outside_contender(program, version, settings, container))

    def bring_in(self, found: "Sequence[OldTime]", source: str, add: bool) -> None:
        """Keep times from a table as runs. Raises OvrikError."""
        from ovrik.work.outside.old_results import bring_in

        bring_in(self.study, found, source, add)
        self.refresh()

    def move_run(self, run_id: int, to: int) -> None:
        """Give a watched export to the contender whose it is. Raises OvrikError."""
        from ovrik.work.outside.exports import move_run

        target = next(c for c in self.study.contenders() if c.contender_id == to)
        move_run(self.study, run_id, target)
        self.refresh()

    def keep_timing(self, contender_id: int, wanted: bool) -> None:
        """Time a contender in further rounds though it can't win, or leave that to what its times say again."""
        e = self.evidence
        rounds = self.rivals.rounds if self.rivals else 0
        made = Decision(contender_id, rounds, KEPT if wanted else BACK, asked=True)
        self.study.keep_decisions([made], e.programme, e.facts.excerpt)
        self.refresh()

    def enter_time(self, seconds: float, step_s: float) -> None:
        """Keep a stopwatch's time of the selected contender. Raises OvrikError on one that can't be."""
        from ovrik.work.outside.by_hand import enter_time

        if self.summary:
            enter_time(self.study, self.summary.contender, seconds, step_s)
            self.refresh()

    def add_kind(self, name: str, programme: Programme) -> None:
        """Keep another programme as a kind of footage, whole; what is present now is kept by name too."""
        e = self.evidence
        if not e.excerpt_name:
            self.study.keep_excerpt(e.programme.name.rsplit(".", 1)[0] or "first", e.facts.excerpt)
        self.study.add_kind(name, programme, whole(programme))
        self.refresh()

    def choose_kind(self, kind: "FootageKind") -> None:
        """Make a kind of footage the one that is shown and worked on."""
        self.study.choose(kind)
        self.frame = 0
        self.refresh()

    def drop_kind(self, kind: "FootageKind") -> None:
        """Forget a kind of footage; its runs stay."""
        programme = self.study.on(kind).programme()
        self.study.drop_excerpt(kind.id)
        self.undo.keep(f"“{kind.name}”", kind_back(self.study, kind, programme))
        self.refresh()

    def set_weight(self, kind: "FootageKind", weight: float) -> None:
        """How much a kind of footage counts over all. Raises OvrikError."""
        if weight != kind.weight:
            self.study.set_weight(kind.id, weight)
            self.refresh()

    def begin_sitting(self, builds: dict[str, str], name: str, together: bool) -> None:
        """Begin another sitting. Raises OvrikError."""
        from ovrik.work.timing.new_sitting import begin

        begin(self.study, builds, name, together)
        self.refresh()

    def set_baseline(self, contender_id: int) -> None:
        """Compare the others with this one."""
        self.study.set_baseline(contender_id)
        self.refresh()

    def add(self, contender: Contender) -> None:
        """Add a contender and select it."""
        made = self.study.add_contender(replace(contender, contender_id=0))
        self._relabel()
        self.selection = made.contender_id
        self.refresh()
        self.selected.emit(made.contender_id)

    def add_many(self, contenders: Sequence[Contender]) -> int:
        """Add contenders that are not in the line-up yet, in one step; gives how many were added. May be called
        in any thread: what is shown follows when the study is read anew."""
        known = {c.identity for c in self.study.contenders()}
        new = [
            replace(c, contender_id=0, label="", label_given=False)
            for c in contenders
            if c.identity not in known
        ]
        self.study.add_contenders(new)
        self._relabel()
        return len(new)

    def shift(self, contender_id: int, by: int) -> None:
        """Move a contender up or down in the line-up."""
        ids = [c.contender_id for c in self.study.contenders()]
        at = ids.index(contender_id)
        to = max(0, min(len(ids) - 1, at + by))
        ids.insert(to, ids.pop(at))
        self.study.place(ids)
        self.refresh()

    def change(self, contender: Contender) -> None:
        """Keep changed settings; one that was timed is replaced, not overwritten."""
        made = self.study.change_contender(contender)
        self._relabel()
        self.selection = made.contender_id
        self.refresh()
        self.selected.emit(made.contender_id)

    def drop(self, contender_id: int) -> None:
        """Take a contender out of the line-up; its runs stay on file."""
        every = self.study.contenders()
        gone, ids = next(c for c in every if c.contender_id == contender_id), [c.contender_id for c in every]
        base = contender_id == self.evidence.facts.baseline_id
        back = contender_back(self.study, gone, ids, base)
        self.study.drop_contender(contender_id)
        self._relabel()
        self.undo.keep(gone.label, back)
        self.selection = 0
        self.refresh()
        self.selected.emit(self.selection)

    def _relabel(self) -> None:
        self.study.relabel(labelled(self.study.contenders()))

    def put_back(self) -> str:
        """Put back what was removed last; gives what it was, "" for nothing."""
        words = self.undo.back()
        self._relabel()
        self.refresh()
        return words

    def command_of(self, contender: Contender) -> str:
        """A contender's full commands as text, one for each line. Raises OvrikError when there are none."""
        from ovrik.work.prepare.preparing import commands_of

        build = self.builds.get(contender.build) or builds_for([contender])[contender.build]
        return "\n".join(shlex.join(c) for c in commands_of(self.study, contender, build))

    def pin(self, words: str, area: "Area") -> None:
        """Pin a note to the selected output at the frame on show. Raises OvrikError."""
        from ovrik.study.facts.notes import Pin

        s, e = self.summary, self.evidence
        if s is None:
            raise OvrikError("No contender is selected", "Select one in the roster")
        sha256 = (s.output_run.output_sha256 or "") if s.output_run else ""
        made = Pin(s.contender.contender_id, sha256, self.frame, area, words)
        self.study.keep_pin(made, e.programme, e.facts.excerpt)
        self.refresh()

    def drop_pin(self, pin: "Pin") -> None:
        """Take a note away."""
        e = self.evidence
        self.study.drop_pin(pin.id)
        self.undo.keep(
            f"the note “{pin.words}”", lambda: self.study.keep_pin(pin, e.programme, e.facts.excerpt)
        )
        self.refresh()

    def output_path(self, summary: Summary) -> Path | None:
        """The output file of a contender, if it is there."""
        path = output_path(self.study, summary.output_run) if summary.output_run else None
        return path if path and path.exists() else None
