"""The long work that the window sets going, each a function of its `Job`."""

import sys
import threading
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

from ovrik.demo.place import film_path
from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.desk.jobs.job import Job
from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.run.process import measure
from ovrik.export.run.progress import Progress
from ovrik.machine.builds.build import find_builds
from ovrik.machine.devices.probing import probe_builds
from ovrik.machine.workstation.readiness import findings, take_reading
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline_apart
from ovrik.quality.reference.key import reference_path
from ovrik.quality.reference.made import make_reference
from ovrik.quality.viewing.still import treated_still
from ovrik.report.words.progress import waiting_words, where_words
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.programme.programme import Programme, of_clips
from ovrik.study.timeline.edl import RateNeeded
from ovrik.study.timeline.file import ADAPTERS
from ovrik.study.timeline.reader import TimelineRead
from ovrik.work.apart.parts import Bench
from ovrik.work.apart.whole_programme import TIMINGS
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.checking.scoring import ScoringUpdate, score_all
from ovrik.work.evidence.gathered import Evidence
from ovrik.work.evidence.outputs_on_disk import everywhere
from ovrik.work.footage.complexity import measure_for, refine_for
from ovrik.work.footage.frame_counts import count_for
from ovrik.work.footage.references import name_reference
from ovrik.work.footage.thumbnails import make_thumbnails
from ovrik.work.timing.try_out import try_all
from ovrik.work.timing.update import TimingUpdate, share_done

SHOW_WAIT_S = 2.0
"""Longest wait between two runs for the window to show the first one's result."""

Work = Callable[[Job], Any]


def timing(study: Study, ids: list[int], rounds: int, score: bool, every: bool = False) -> Work:
    """Time, then check if wished, on the present excerpt or on every kind of footage; gives (ended well, outputs
    checked)."""

    def run(job: Job) -> tuple[bool, int]:
        def watch(update: TimingUpdate) -> None:
            where = where_words(update)
            waiting = update.waiting and f"{update.label} {waiting_words(update.waiting)}"
            words = (
                update.preparing
                or waiting
                or f"Timing {update.label}, {where} ({update.number} of {update.total})"
            )
            shown = threading.Event()
            left = update.left.seconds if update.left else None
            job.report(share_done(update), words, left, always=bool(update.ended), update=(update, shown))
            if update.ended:
                # Drawing would load the machine while the next run is timed: let it end first.
                shown.wait(SHOW_WAIT_S)

        def seen(update: ScoringUpdate) -> None:
            job.report(update.share, update.what, None, always=bool(update.ended))

        job.report(0.0, "Checking that the machine is ready", always=True)
        job.noted.emit(findings(take_reading(study.outputs)))
        well = time_line_up(study, ids, rounds, watch, job.should_stop, seen, every, more=True, check=score)
        if job.should_stop():
            raise Stopped
        views = [study.on(k) for k in study.kinds()] if every else [study]
        checked = sum(scoring(view)(job) for view in views) if score else 0
        return well, checked

    return run


def watching(
    study: Study, folder: Path, pid: int | None, orders: Any, first: Contender | None = None
) -> Work:
    """Time exports of other programs, or what they make `first`, until stopped; gives how many."""
    from ovrik.work.outside.watching import Watched, watch_for

    def run(job: Job) -> int:
        def show(seen: Watched) -> None:
            job.report(-1.0, f"Watching {folder.name}: {seen.words}", None, always=True, update=seen)

        return watch_for(study, folder, pid, orders, show, job.should_stop, first=first)

    return run


def explaining(study: Study, contender: Contender, kind: str) -> Work:
    """Time a contender's parts, segments or whole."""
    return lambda job: TIMINGS[kind](Bench(study, job.report, job.should_stop), contender)


def timing_first(study: Study, times: int) -> Work:
    """Time what comes first of all contenders; gives why some of it could not be made."""

    def run(job: Job) -> list[str]:
        from ovrik.work.campaign.first_steps import time_first

        def say(words: str, progress: Progress | None) -> None:
            job.report(-1.0, words if progress is None else f"{words}, frame {progress.frame}", None)

        return time_first(study, study.contenders(), times, say, job.should_stop)

    return run


def playing(study: Study, contender: Contender, what: str) -> Work:
    """Play the excerpt with a contender, or its output."""
    from ovrik.work.checking.playback import MOST_STREAMS, play, play_output

    def run(job: Job) -> object:
        bench = Bench(study, job.report, job.should_stop)
        return play(bench, contender) if what == "programme" else play_output(bench, contender, MOST_STREAMS)

    return run


def scoring(study: Study, every: int = 1) -> Work:
    """Check the outputs; gives how many."""

    def run(job: Job) -> int:
        def watch(update: ScoringUpdate) -> None:
            job.report(update.share, update.what, None, always=bool(update.ended))
            if update.ended:
                job.judged.emit(update.ended)

        return score_all(study, watch, job.should_stop, every)

    return run


def scoring_everywhere(study: Study, every: int = 1) -> Work:
    """Check the outputs of every kind of footage; gives how many."""
    return lambda job: sum(scoring(one, every)(job) for one in everywhere(study))


def judging_against(study: Study, path: Path | None) -> Work:
    """Judge outputs against a file, or the programme with None, and check them at once; gives how many."""

    def run(job: Job) -> int:
        job.report(0.0, "Reading the reference", always=True)
        name_reference(study, path)
        return int(scoring(study)(job))

    return run


def probing() -> Work:
    """Try the accelerations of all builds anew; gives the trials."""

    def run(job: Job) -> Any:
        return probe_builds(find_builds(), job.report, job.should_stop, afresh=True)

    return run


def thumbnails(study: Study) -> Work:
    """Make the strip's thumbnails and keep them in the study."""

    def run(job: Job) -> int:
        return make_thumbnails(study, job.should_stop, lambda: job.noted.emit(None))

    return run


def demo_is_ready(study: Study) -> bool:
    """Whether film and reference are there."""
    return film_path().exists() and reference_path(study.programme(), study.facts().excerpt).exists()


def demo_footage(study: Study) -> Work:
    """Make the film in a process of its own, then the reference."""

    def run(job: Job) -> bool:
        def took(piece: bytes, _at: float) -> bool:
            shares = [int(w.rstrip(b" %")) for w in piece.splitlines() if w.endswith(b" %")]
            if shares:
                job.report(0.8 * shares[-1] / 100, "Making the demo's footage")
            return True

        if not film_path().exists():
            usage = measure([sys.executable, "-P", "-m", "ovrik", "footage"], took, job.should_stop)
            if usage.stopped:
                raise Stopped
            if usage.exit_code:
                raise OvrikError(
                    f"The demo's footage could not be made ({usage.log[-1:]})",
                    f"Check the free space in {film_path().parent}",
                )
        adopt_film(study)
        make_reference(
            study.programme(),
            study.facts().excerpt,
            on_share=lambda s: job.report(0.8 + 0.2 * s, "Making the reference"),
            should_stop=job.should_stop,
        )
        return True

    return run


def open_demo() -> Study:
    """The demo study, unpacked first if need be."""
    return Study.open(unpack_demo())


def read_source(
    paths: Sequence[Path], media: Sequence[Path] = (), rate: Fraction | None = None
) -> "TimelineRead | RateNeeded":
    """A timeline, or clips in order, by their full paths, so that the study finds them again; or that a timeline's
    rate has to be given."""
    first = paths[0].resolve()
    if len(paths) == 1 and first.suffix.lower() in ADAPTERS:
        try:
            return read_timeline_apart(first, media, rate)
        except RateNeeded as exc:
            return exc
    clips = [probe(p.resolve()) for p in paths]
    name = first.name if len(paths) == 1 else f"{first.stem} and {len(paths) - 1} more"
    return TimelineRead(of_clips(name, clips), (), ())


def measuring(study: Study) -> Work:
    """Measure complexity along the programme; gives whether it was only sampled."""
    return lambda job: measure_for(study, lambda s: job.report(s, "Measuring complexity"), job.should_stop)


def counting(study: Study) -> Work:
    """Count the frames of clips whose containers' word is all that is known."""
    return lambda job: count_for(study, lambda s: job.report(s, "Counting frames"), job.should_stop)


def refining(study: Study) -> Work:
    """Measure all of it, where it was sampled."""
    return lambda job: refine_for(study, lambda s: job.report(s, "Measuring complexity"), job.should_stop)


def trying(study: Study, contenders: list[Contender]) -> Work:
    """A short trial of each contender; gives how many were made."""
    return lambda job: try_all(study, contenders, job.report, job.should_stop)


def still(programme: Programme, frame: int) -> Work:
    """One treated frame."""
    return lambda _job: treated_still(programme, frame)


def moments_job(study: Study, evidence: Evidence, contender_id: int, other_id: int, busy: Ask) -> Work:
    """Where to look at an output; it gives way as soon as something is `busy`."""

    def run(job: Job) -> Any:
        from ovrik.work.checking.moments import look
        from ovrik.work.checking.which_moments import found_moments
        from ovrik.work.evidence.shown_files import output_of, reference_of

        s, other = evidence.of(contender_id), evidence.of(other_id)
        output = output_of(study, s, evidence) if s else None
        if s is None or s.score is None or output is None:
            raise OvrikError("This contender has no output on disk", "Time it to make one")
        reference = reference_of(study, s, evidence)
        if not reference.path.exists():
            raise OvrikError("The reference is not there yet", "It is made when outputs are checked")
        theirs = output_of(study, other, evidence) if other else None
        against = other.score if other and theirs else None
        rate = float(evidence.programme.rate * output.pace)
        found = found_moments(s.score, against, rate)
        name = other.contender.label if other else ""
        return look(found, output, reference, theirs, name, lambda: job.should_stop() or busy())

    return run


def sound_job(path: Path, start_s: float) -> Work:
    """A file's sound from a moment on, shape (samples, 2), 16-bit."""

    def run(job: Job) -> Any:
        from ovrik.quality.decode.sound import sound_of

        return (sound_of(path, start_s, should_stop=job.should_stop).clip(-1, 1) * 32767).astype("<i2")

    return run


def matching(study: Study, ids: list[int], key: str, floor: float) -> Work:
    """Search for the settings that just meet a floor; gives what was found."""

    def run(job: Job) -> Any:
        from ovrik.work.campaign.equal_quality import match_all

        chosen = [c for c in study.contenders() if c.contender_id in ids]
        say: Callable[[float, str], None] = lambda share, what: job.report(share, what, None, always=True)  # noqa: E731
        return match_all(study, chosen, key, floor, say, job.should_stop)

    return run


def sending(study: Study, path: Path, wanted: Any) -> Work:
    """Pack a study to send; gives its size in bytes."""
    from ovrik.report.forms.privacy import bare
    from ovrik.work.evidence.sending import send

    def run(job: Job) -> int:
        say: Callable[[float, str], None] = lambda share, what: job.report(share, what, None)  # noqa: E731
        return send(
            study,
            path,
            None if wanted.private else bare,
            wanted.outputs,
            wanted.references,
            wanted.sealed,
            say,
            job.should_stop,
        )

    return run


def unpacking(study: Study) -> Work:
    """Write what a study carries beside it; gives how many files."""
    from ovrik.work.evidence.sending import unpack

    return lambda job: unpack(study, lambda share, what: job.report(share, what, None), job.should_stop)
