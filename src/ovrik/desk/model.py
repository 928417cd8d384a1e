"""What the window shows: an open study, its evidence, and what is selected. Knows nothing of Qt."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from psygnal import Signal

from ovrik.machine.added import added_builds
from ovrik.machine.builds import Build
from ovrik.machine.described import descriptions
from ovrik.store.study import Study
from ovrik.study.contender import Contender, labelled
from ovrik.study.described import Description
from ovrik.study.excerpt import Excerpt, checked, whole
from ovrik.study.footage import Footage
from ovrik.study.limits import Limits
from ovrik.work.evidence import Evidence, Summary, gather
from ovrik.work.lineup import builds_for
from ovrik.work.lineup import checked as checked_lineup
from ovrik.work.plan_study import exports_whole, take_in_programs


class DeskModel:
    """One open study.

    Signals: `evidence_changed` when something about the study is new; `selected` with a contender's
    number; `frame_moved` with a frame of the excerpt; `live` with a timing `Moment` or None.
    """

    evidence_changed = Signal()
    selected = Signal(int)
    frame_moved = Signal(int)
    live = Signal(object)

    def __init__(self, study: Study) -> None:
        self.study = study
        take_in_programs(study)
        self.barred: dict[int, str] = {}
        self.builds: dict[str, Build] = {}
        self.programs: dict[str, Description] = descriptions()
        self.evidence: Evidence = gather(study)
        self.selection = self.evidence.facts.baseline_id or 0
        self.frame = 0

    def look(self) -> Callable[[], None]:
        """Read the study anew; may be called in any thread. The result puts it in place."""
        contenders = self.study.contenders()
        builds = builds_for([*contenders, *(Contender(k, c.recipe) for c in contenders[:1]
                                            for k in ("bundled", "system", *added_builds()))])  # fmt: skip
        barred = {
            e.contender.id: e.reason
            for e in checked_lineup(contenders, builds, exports_whole(self.study))
            if e.reason
        }
        evidence, programs = gather(self.study, barred), descriptions()

        def take() -> None:
            self.builds, self.barred, self.evidence = builds, barred, evidence
            self.programs = programs
            if evidence.of(self.selection) is None and evidence.summaries:
                self.selection = evidence.facts.baseline_id or evidence.summaries[0].contender.id
            self.evidence_changed.emit()

        return take

    def refresh(self) -> None:
        """Read the study anew at once."""
        self.look()()

    # What is looked at

    @property
    def summary(self) -> Summary | None:
        """The selected contender's summary."""
        return self.evidence.of(self.selection)

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
        self.study.set_excerpt(checked(self.evidence.footage, excerpt))
        self.frame = 0
        self.refresh()

    def set_footage(self, footage: Footage) -> None:
        """Choose another clip, whole."""
        self.study.set_footage(footage, whole(footage))
        self.frame = 0
        self.refresh()

    def set_limits(self, limits: Limits) -> None:
        """Change what is acceptable."""
        if limits != self.evidence.facts.limits:
            self.study.set_limits(limits)
            self.refresh()

    def set_baseline(self, contender_id: int) -> None:
        """Compare the others with this one."""
        self.study.set_baseline(contender_id)
        self.refresh()

    def add(self, contender: Contender) -> None:
        """Add a contender and select it."""
        made = self.study.add_contender(replace(contender, id=0))
        self._relabel()
        self.selection = made.id
        self.refresh()
        self.selected.emit(made.id)

    def change(self, contender: Contender) -> None:
        """Keep changed settings; one that was timed is replaced, not overwritten."""
        made = self.study.change_contender(contender)
        self._relabel()
        self.selection = made.id
        self.refresh()
        self.selected.emit(made.id)

    def drop(self, contender_id: int) -> None:
        """Take a contender out of the line-up; its runs stay on file."""
        self.study.drop_contender(contender_id)
        self._relabel()
        self.selection = 0
        self.refresh()
        self.selected.emit(self.selection)

    def _relabel(self) -> None:
        self.study.relabel(labelled(self.study.contenders()))

    def output_path(self, summary: Summary) -> Path | None:
        """The output file of a contender, if it is there."""
        done = [r for r in summary.runs if r.state == "done" and r.output]
        path = self.study.outputs / done[-1].output if done and done[-1].output else None
        return path if path and path.exists() else None
