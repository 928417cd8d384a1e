"""The long work that the window sets going, each a function of its `Job`."""

import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ovrik.demo.place import film_path
from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.desk.jobs import Job
from ovrik.errors import OvrikError, Stopped
from ovrik.export.process import measure
from ovrik.machine.builds import find_builds
from ovrik.machine.probing import probe_builds
from ovrik.machine.readiness import findings, take_reading
from ovrik.quality.reference import make_reference, reference_path
from ovrik.quality.thumbnails import strip, strip_frames
from ovrik.store.study import Study
from ovrik.study.contender import Contender, labelled
from ovrik.study.excerpt import whole
from ovrik.study.footage import Footage
from ovrik.study.probe import probe
from ovrik.study.recipe import recipe
from ovrik.work.scoring import ScoringMoment, score_all
from ovrik.work.timing import Moment, further, share_done, time_all

SHOW_WAIT_S = 2.0
"""Longest wait between two runs for the window to show the first one's result."""

Work = Callable[[Job], Any]


def timing(study: Study, ids: list[int], rounds: int, score: bool) -> Work:
    """Time, then check if wished; gives (ended well, outputs checked)."""

    def run(job: Job) -> tuple[bool, int]:
        def watch(moment: Moment) -> None:
            where = "warm-up" if moment.turn.warmup else f"round {moment.turn.round}"
            words = f"Timing {moment.label}, {where} ({moment.number} of {moment.total})"
            shown = threading.Event()
            job.tell(share_done(moment), words, moment.left_s, always=bool(moment.ended),
                     moment=(moment, shown))  # fmt: skip
            if moment.ended:
                # Drawing would load the machine while the next run is timed: let it end first.
                shown.wait(SHOW_WAIT_S)

        job.tell(0.0, "Looking whether the machine is ready", always=True)
        job.noted.emit(findings(take_reading(study.outputs)))
        todo = further(study, ids, rounds)
        well = time_all(study, todo, watch, job.should_stop)
        if job.should_stop():
            raise Stopped
        return well, scoring(study)(job) if score else 0

    return run


def scoring(study: Study) -> Work:
    """Check the outputs; gives how many."""

    def run(job: Job) -> int:
        def watch(moment: ScoringMoment) -> None:
            job.tell(moment.share, moment.what, None, always=bool(moment.ended))

        return score_all(study, watch, job.should_stop)

    return run


def probing() -> Work:
    """Try the accelerations of all builds anew; gives the trials."""

    def run(job: Job) -> Any:
        return probe_builds(find_builds(), job.tell, job.should_stop, afresh=True)

    return run


def thumbnails(study: Study) -> Work:
    """Make the strip's thumbnails and keep them in the study."""

    def run(job: Job) -> int:
        footage = study.footage()
        made = strip(Path(footage.path), strip_frames(footage.frames), should_stop=job.should_stop)
        study.keep_thumbnails(made)
        return len(made)

    return run


def demo_is_ready(study: Study) -> bool:
    """Whether film and reference are there."""
    return film_path().exists() and reference_path(study.footage(), study.facts().excerpt).exists()


def demo_footage(study: Study) -> Work:
    """Make the film in a process of its own, then the reference."""

    def run(job: Job) -> bool:
        def took(piece: bytes, _at: float) -> bool:
            shares = [int(w.rstrip(b" %")) for w in piece.splitlines() if w.endswith(b" %")]
            if shares:
                job.tell(0.94 * shares[-1] / 100, "Making the demo's footage")
            return True

        if not film_path().exists():
            usage = measure([sys.executable, "-m", "ovrik", "footage"], took, job.should_stop)
            if usage.stopped:
                raise Stopped
            if usage.exit_code:
                raise OvrikError(f"The demo's footage could not be made ({usage.log[-1:]})",
                                 f"Check the free space in {film_path().parent}")  # fmt: skip
        adopt_film(study)
        make_reference(study.footage(), study.facts().excerpt,
                       lambda s: job.tell(0.94 + 0.06 * s, "Making the reference"),
                       job.should_stop)  # fmt: skip
        return True

    return run


def open_demo() -> Study:
    """The demo study, unpacked first if need be."""
    return Study.open(unpack_demo())


def read_clip(path: Path) -> Footage:
    """Probe a clip by its full path, so that the study finds it again."""
    return probe(path.resolve())


FIRST_LINE_UP = (("libx264", "medium", 21.0), ("libx264", "veryfast", 21.0), ("libx265", "fast", 24.0),
                 ("libsvtav1", "8", 30.0))  # fmt: skip


def new_study(clip: Path, place: Path) -> Study:
    """A study of a clip with a small line-up to begin with."""
    footage = read_clip(clip)
    if place.suffix != ".ovrik":
        place = place.with_name(place.name + ".ovrik")
    study = Study.create(place, clip.stem, footage, whole(footage))
    made = [Contender("bundled", recipe(e, preset, quality)) for e, preset, quality in FIRST_LINE_UP]
    for contender in labelled(made):
        study.add_contender(contender)
    return study
