"""What the stations set going on the study: timing, explaining, measuring, checking."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ovrik.desk.jobs.open_study import OpenStudy
from ovrik.desk.model.study import DeskModel
from ovrik.desk.viewing.pictures import image_of
from ovrik.study.contender.contender import Contender

if TYPE_CHECKING:
    from ovrik.desk.jobs.work import Work
    from ovrik.work.outside.watching import Watched
    from ovrik.work.timing.series import TimingUpdate


SOON_MS = 200
"""Outputs that were judged together come one right after another: they are read together."""
SAMPLE = 8
"""Every how many frames a sample has one."""


class StudyJobs(QObject):
    """Jobs on the study that is open.

    Signals: `timing_began`; `findings` with what could spoil a timing, read just before it; `thumbnails` with the
    model whose thumbnails have come; `still` with a programme's checksum, a frame and its treated image; `watched`
    with what a watch shows; `moments` with two contenders' numbers and what to look at, or `no_moments` with the
    reason; `sound` with samples to be played; `contenders_added` after a grid's combinations are in the line-up."""

    timing_began = pyqtSignal()
    findings = pyqtSignal(object)
    thumbnails = pyqtSignal(object)
    still = pyqtSignal(str, int, object)
    contenders_added = pyqtSignal()
    watched = pyqtSignal(object)
    moments = pyqtSignal(int, int, object)
    no_moments = pyqtSignal(str)
    sound = pyqtSignal(object)

    def __init__(self, opened: OpenStudy, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.opened, self.runner = opened, opened.runner
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(lambda: self.opened.look_again())

    def start_timing(self, ids: list[int], rounds: int, score: bool, every: bool = False) -> None:
        """Time these contenders for so many more rounds, on this excerpt or on every kind of footage;
        then check their outputs if wished."""
        from ovrik.desk.jobs import work

        if self.opened.model is None:
            return
        timing = work.timing(self.opened.model.study, ids, rounds, score, every)
        job = self.runner.big("Timing", timing, _timing_words)
        if job:
            job.updated.connect(self._moment)
            job.judged.connect(lambda _label: self._soon.start())
            job.noted.connect(self.findings)
            self.timing_began.emit()

    def watch(self, folder: Path, pid: int | None, orders: object, first: Contender | None = None) -> None:
        """Time what other programs export into a folder, or make `first` before a contender's exports, until
        stopped."""
        from ovrik.desk.jobs import work

        if self.opened.model is None:
            return
        job = self.runner.big(
            "Watching",
            work.watching(self.opened.model.study, folder, pid, orders, first),
            lambda n: f"{n} {'time' if first else 'export'}{'s' * (n != 1)} kept.",
        )
        if job:
            job.updated.connect(self._watched)

    def _watched(self, seen: "Watched") -> None:
        self.watched.emit(seen)
        if seen.run is not None or (seen.ended and seen.tried is None):
            self.opened.look_again()

    def explain(self, kind: str, contender_id: int) -> None:
        """Time a contender's parts, segments of the programme, or all of it, to learn where its time goes."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        chosen = model.evidence.of(contender_id) if model else None
        if model and chosen:
            self.runner.big(
                f"Timing the {kind}",
                work.explaining(model.study, chosen.contender, kind),
                lambda _found: f"Timed the {kind} of {chosen.contender.label}.",
            )

    def time_first(self, times: int) -> None:
        """Time what comes first of every contender, until each was made so often."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        if model:
            self.runner.big(
                "Timing what comes first",
                work.timing_first(model.study, times),
                lambda failed: "; ".join(failed) or "Timed what comes first.",
            )

    def play(self, what: str, contender_id: int) -> None:
        """Play the excerpt with a contender, or its output, and see whether it keeps up."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        chosen = model.evidence.of(contender_id) if model else None
        if model and chosen:
            self.runner.big(
                "Playing",
                work.playing(model.study, chosen.contender, what),
                lambda _found: f"Played: {chosen.contender.label}.",
            )

    def match(self, ids: list[int], key: str, floor: float) -> None:
        """Search the setting of each that just meets a floor."""
        from ovrik.desk.jobs import work

        if self.opened.model:
            self.runner.big(
                "Searching for equal quality",
                work.matching(self.opened.model.study, ids, key, floor),
                lambda found: (
                    "; ".join(
                        f"{m.found.label}: {m.value:.2f} in {m.encodes} encodes"
                        if m.found
                        else f"{m.contender.label}: {m.why}"
                        for m in found
                    )
                    + ". Time them like any other."
                ),
            )

    def find_moments(self, contender_id: int, other_id: int) -> None:
        """Where to look at an output, and where it differs most from another one; not while something is timed."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        if model is None:
            return
        if self.runner.job is not None:
            self.no_moments.emit(f"{self.runner.job.name} goes first; ask again then.")
            return
        looking = work.moments_job(
            model.study, model.evidence, contender_id, other_id, lambda: self.runner.job is not None
        )
        job = self.runner.small(
            "Looking for moments", looking, lambda found: self.moments.emit(contender_id, other_id, found)
        )
        job.stopped.connect(self._overtaken)
        job.failed.connect(self.no_moments.emit)

    def _overtaken(self) -> None:
        self.no_moments.emit("Something else went first; ask again.")

    def play_sound(self, path: Path, start_s: float) -> None:
        """Decode a file's sound from a moment on."""
        from ovrik.desk.jobs import work

        self.runner.small("Sound", work.sound_job(path, start_s), self.sound.emit)

    def _moment(self, handed: "tuple[TimingUpdate, Any]") -> None:
        update, shown = handed
        if self.opened.model is None:
            return
        self.opened.model.live.emit(update)
        if update.ended:
            self.opened.look_again(shown.set)

    def make_thumbnails(self) -> None:
        """Make the strip's thumbnails in the background, and show them as they come."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        if model is None:
            return

        def seen(_count: object) -> None:
            if model is self.opened.model:
                self.thumbnails.emit(model)

        self.runner.small("Thumbnails", work.thumbnails(model.study), seen).noted.connect(seen)
        self.count_frames()

    def count_frames(self) -> None:
        """Count the frames of long clips, until anything long begins; a timing counts them itself."""
        from ovrik.desk.jobs import work
        from ovrik.work.footage.frame_counts import uncounted

        model = self.opened.model
        if model is None or self.runner.job is not None or not uncounted(model.evidence.programme):
            return

        def done(said: list[str]) -> None:
            if model is self.opened.model:
                self.runner.say(
                    f"{'; '.join(said)}: it is what was counted that holds." if said else "", bool(said)
                )
                self.opened.look_again()

        self.runner.began.connect(
            self.runner.small("Counting frames", work.counting(model.study), done).ask_to_stop
        )

    def measure(self) -> None:
        """Measure the programme's complexity; then proposals can be made."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        if model is None:
            return

        def measured(sampled: bool) -> str:
            if sampled:
                self._refine(model)
            how = "sampled, and measured throughout while nothing else is going on" if sampled else "measured"
            return f"Complexity is {how}: Propose offers excerpts to time."

        self.runner.big("Measuring complexity", work.measuring(model.study), measured)

    def _refine(self, model: DeskModel) -> None:
        """Measure all of what was sampled, until anything long begins: nothing may run beside a timing."""
        from ovrik.desk.jobs import work

        def look(_done: object) -> None:
            if model is self.opened.model:
                self.opened.look_again()

        job = self.runner.small("Measuring complexity throughout", work.refining(model.study), look)
        self.runner.began.connect(job.ask_to_stop)

    def add_contenders(self, wanted: list[Contender]) -> None:
        """Put the combinations of a grid in the line-up."""
        model = self.opened.model
        if model is None:
            return

        def added(count: int) -> None:
            self.runner.say(f"{count} added; those already in the line-up are unchanged.")
            self.opened.look_again(self.contenders_added.emit)

        self.runner.small("Adding contenders", lambda _job: model.add_many(wanted), added)

    def try_line_up(self) -> None:
        """A short trial of each contender of which nothing is known, for the estimate."""
        from ovrik.desk.jobs import work

        model = self.opened.model
        if model is None:
            return
        able = [s.contender for s in model.driven if not s.counted]
        self.runner.big(
            "Trying the line-up",
            work.trying(model.study, able),
            lambda n: f"{n} contenders tried." if n else "All had been tried already.",
        )

    def make_still(self, frame: int) -> None:
        """One treated frame for the viewer, unless something is being timed."""
        from ovrik.desk.jobs import work

        if self.opened.model is None or self.runner.job is not None:
            return
        programme = self.opened.model.evidence.programme
        show: Callable[[Any], None] = lambda pixels: self.still.emit(  # noqa: E731
            programme.checksum, frame, image_of(pixels)
        )
        self.runner.small("Treating a frame", work.still(programme, frame), show)

    def sample_scoring(self) -> None:
        """The same, scoring every eighth frame only."""
        self.start_scoring(SAMPLE)

    def start_scoring(self, every: int = 1) -> None:
        """Check the outputs that have not been checked yet."""
        from ovrik.desk.jobs import work

        if self.opened.model:
            self._checking(
                work.scoring_everywhere(self.opened.model.study, every),
                lambda n: f"{n} outputs checked." if n else "All had been checked already.",
            )

    def judge_against(self, path: Path | None) -> None:
        """Judge outputs against a file from now on, or against the programme with None."""
        from ovrik.desk.jobs import work

        if self.opened.model:
            self._checking(
                work.judging_against(self.opened.model.study, path), lambda n: f"{n} outputs checked."
            )

    def _checking(self, checks: "Work", words: Callable[[int], str]) -> None:
        """Check outputs; what has been judged is shown while the others are."""
        job = self.runner.big("Checking the outputs", checks, words)
        if job:
            job.judged.connect(lambda _label: self._soon.start())

    def prepare_demo(self) -> None:
        """Make the demo's footage and reference if they are not there; blocks nothing."""
        from ovrik.desk.jobs import work

        if self.opened.model and not work.demo_is_ready(self.opened.model.study):
            self.runner.big(
                "Making the demo's footage",
                work.demo_footage(self.opened.model.study),
                lambda _r: "The demo's footage is ready. Ctrl+R times the line-up.",
            )


def _timing_words(result: tuple[bool, int]) -> str:
    well, scored = result
    tail = f" {scored} outputs checked." if scored else ""
    return ("Timing finished." if well else "Timing finished, but some runs failed.") + tail
