"""What the stations set going on the study: timing, explaining, measuring, checking."""

from typing import TYPE_CHECKING, Any

from ovrik.desk import work
from ovrik.desk.pictures import image_of
from ovrik.study.contender import Contender
from ovrik.work.timing import Moment

if TYPE_CHECKING:
    from ovrik.desk.window import MainWindow


class StudyJobs:
    """Jobs on the study that one window shows."""

    def __init__(self, window: "MainWindow") -> None:
        self.window = window

    def start_timing(self, ids: list[int], rounds: int, score: bool, every: bool = False) -> None:
        """Time these contenders for so many more rounds, on this excerpt or on every one that is kept by name;
        then check their outputs if wished."""
        if self.window.model is None:
            return
        job = self.window.big_job(
            "Timing", work.timing(self.window.model.study, ids, rounds, score, every), _timing_words
        )
        if job:
            job.moment.connect(self._moment)
            job.noted.connect(lambda found: self.window.timing.show_findings(found))
            self.window.go(2)

    def explain(self, kind: str, contender_id: int) -> None:
        """Time a contender's parts, stretches of the programme, or all of it, to learn where its time goes."""
        model = self.window.model
        chosen = model.evidence.of(contender_id) if model else None
        if model and chosen:
            self.window.big_job(
                f"Timing the {kind}",
                work.explaining(model.study, chosen.contender, kind),
                lambda _found: f"Timed the {kind} of {chosen.contender.label}.",
            )

    def _moment(self, handed: tuple[Moment, Any]) -> None:
        moment, shown = handed
        if self.window.model is None:
            return
        self.window.model.live.emit(moment)
        if moment.ended:
            self.window.look_again(shown.set)

    def make_thumbnails(self) -> None:
        """Make the strip's thumbnails in the background, and show them as they come."""
        model = self.window.model
        if model is None:
            return

        def seen(_count: object) -> None:
            if model is self.window.model:
                self.window.footage.strip.show_thumbnails(model.study.thumbnails())

        job = self.window.small_job("Thumbnails", work.thumbnails(model.study), seen)
        job.noted.connect(seen)

    def measure(self) -> None:
        """Measure the programme's complexity; then proposals can be made."""
        if self.window.model:
            self.window.big_job(
                "Measuring complexity",
                work.measuring(self.window.model.study),
                lambda _c: "Complexity is measured: Propose offers stretches to time.",
            )

    def add_contenders(self, wanted: list[Contender]) -> None:
        """Put the combinations of a grid in the line-up."""
        model = self.window.model
        if model is None:
            return

        def added(count: int) -> None:
            self.window.strip.rest(f"{count} added; those that were in the line-up already stay as they are.")
            self.window.look_again(lambda: self.window.lineup.show_page(0))

        self.window.small_job("Adding contenders", lambda _job: model.add_many(wanted), added)

    def try_line_up(self) -> None:
        """A short trial of each contender of which nothing is known, for the estimate."""
        if self.window.model is None:
            return
        barred = self.window.model.barred
        able = [
            s.contender
            for s in self.window.model.evidence.summaries
            if s.contender.id not in barred and not s.counted
        ]
        self.window.big_job(
            "Trying the line-up",
            work.trying(self.window.model.study, able),
            lambda n: f"{n} contenders tried." if n else "All were tried already.",
        )

    def make_still(self, frame: int) -> None:
        """One treated picture for the viewer, unless something is being timed."""
        if self.window.model is None or self.window.job is not None:
            return
        programme, station = self.window.model.evidence.programme, self.window.footage

        def show(pixels: Any) -> None:
            if station is self.window.footage:
                station.take_still(programme.checksum, frame, image_of(pixels))

        self.window.small_job("Treating a picture", work.still(programme, frame), show)

    def start_scoring(self) -> None:
        """Check the outputs that have not been checked yet."""
        if self.window.model:
            self.window.big_job(
                "Checking the outputs",
                work.scoring(self.window.model.study),
                lambda n: f"{n} outputs checked." if n else "All were checked already.",
            )

    def prepare_demo(self) -> None:
        """Make the demo's footage and reference if they are not there; blocks nothing."""
        if self.window.model and not work.demo_is_ready(self.window.model.study):
            self.window.big_job(
                "Making the demo's footage",
                work.demo_footage(self.window.model.study),
                lambda _r: "The demo's footage is ready. Ctrl+R times the line-up.",
            )


def _timing_words(result: tuple[bool, int]) -> str:
    well, scored = result
    tail = f" {scored} outputs checked." if scored else ""
    return ("Timing is done." if well else "Timing is done, but not all of it ended well.") + tail
