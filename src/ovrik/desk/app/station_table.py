"""The stations of the window, in one table: a new one is one entry. Each is imported when it is first wanted, so that
the window is there sooner."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QWidget

from ovrik.desk.files.actions import Files
from ovrik.desk.jobs.machine_jobs import MachineJobs
from ovrik.desk.jobs.runner import Runner
from ovrik.desk.jobs.study_jobs import StudyJobs
from ovrik.desk.model.study import DeskModel
from ovrik.desk.viewing.pictures import Pictures


@dataclass(frozen=True)
class Desk:
    """What a station may use.

    Fields: `model` of the study that is open; `frames`, decoded frames; `runner` of jobs; `jobs` on the
    study; `machine`, jobs on the workstation; `files`, what the Study menu does; `back`, which goes to the
    station shown before.
    """

    model: DeskModel
    pictures: Pictures
    runner: Runner
    jobs: StudyJobs
    machine: MachineJobs
    files: Files
    back: Callable[[], None]


def _footage(desk: Desk) -> QWidget:
    from ovrik.desk.stations.footage.station import FootageStation

    made = FootageStation(desk.model, desk.pictures)
    made.source_wanted.connect(desk.files.choose_source)
    made.clips_wanted.connect(desk.files.find_clips)
    made.timeline_wanted.connect(desk.files.write_timeline)
    made.measure_wanted.connect(desk.jobs.measure)
    made.still_wanted.connect(desk.jobs.make_still)
    desk.jobs.still.connect(made.take_still)
    desk.jobs.thumbnails.connect(made.take_thumbnails)
    return made


def _lineup(desk: Desk) -> QWidget:
    from ovrik.desk.stations.lineup.station import LineupStation

    made = LineupStation(desk.model)
    made.try_wanted.connect(desk.jobs.try_line_up)
    made.combinations_wanted.connect(desk.jobs.add_contenders)
    desk.jobs.contenders_added.connect(made.show_contenders)
    return made


def _timing(desk: Desk) -> QWidget:
    from ovrik.desk.stations.timing.station import TimingStation

    made = TimingStation(desk.model)
    made.start_wanted.connect(desk.jobs.start_timing)
    made.stop_wanted.connect(desk.runner.stop)
    made.explain_wanted.connect(desk.jobs.explain)
    made.first_wanted.connect(desk.jobs.time_first)
    made.play_wanted.connect(desk.jobs.play)
    desk.jobs.findings.connect(made.show_findings)
    made.outside.watch_wanted.connect(desk.jobs.watch)
    made.outside.stop_wanted.connect(desk.runner.stop)
    desk.jobs.watched.connect(made.outside.show_watched)
    return made


def _scrutiny(desk: Desk) -> QWidget:
    from ovrik.desk.stations.scrutiny.station import ScrutinyStation

    made = ScrutinyStation(desk.model, desk.pictures)
    made.reference_wanted.connect(desk.jobs.judge_against)
    made.moments_wanted.connect(desk.jobs.find_moments)
    desk.jobs.moments.connect(made.take_moments)
    desk.jobs.no_moments.connect(made.no_moments)
    made.sound_wanted.connect(desk.jobs.play_sound)
    desk.jobs.sound.connect(made.play_sound)
    return made


def _verdict(desk: Desk) -> QWidget:
    from ovrik.desk.stations.verdict.station import VerdictStation

    made = VerdictStation(desk.model)
    made.footage_wanted.connect(desk.files.add_kind)
    made.search_wanted.connect(desk.jobs.match)
    made.sitting_wanted.connect(desk.files.this.new_sitting)
    return made


def _workstation(desk: Desk) -> QWidget:
    from ovrik.desk.stations.workstation.station import WorkstationPanel

    made = WorkstationPanel(desk.back)
    found = desk.machine.found()
    if found:
        made.show_found(found)
    made.first_shown.connect(lambda: desk.machine.look_at_machine())
    made.look_wanted.connect(desk.machine.look_again)
    made.probe_wanted.connect(desk.machine.probe_machine)
    made.program_wanted.connect(desk.machine.add_program)
    made.version_wanted.connect(desk.machine.fetch_version)
    made.beside_wanted.connect(desk.machine.lay_fingerprints)
    desk.machine.looked.connect(made.show_found)
    return made


Lock = Callable[[QWidget, bool, bool], None]
"""Takes a station's widget, whether a long job is running, and whether nothing may be changed."""


def _never(_page: QWidget, _busy: bool, _locked: bool) -> None:
    """Looking is always possible."""


def _whole(page: QWidget, _busy: bool, locked: bool) -> None:
    page.setEnabled(not locked)


def _some(page: QWidget, busy: bool, locked: bool) -> None:
    page.set_busy(busy, locked)  # type: ignore[attr-defined]


@dataclass(frozen=True)
class Station:
    """One station.

    Fields: `key` by which the window goes to it; `title` on its button, whose shortcut is Alt with its place
    in the table; `make`, which builds its widget and connects it; `lock`, what can't be used while a long
    job runs or the study can't be written; `apart`, True for a button at the right end of the row.
    """

    key: str
    title: str
    make: Callable[[Desk], QWidget]
    lock: Lock = _never
    apart: bool = False


STATIONS: tuple[Station, ...] = (
    Station("footage", "Footage", _footage, _whole),
    Station("lineup", "Line-up", _lineup, _whole),
    Station("timing", "Timing", _timing, _some),
    Station("scrutiny", "Scrutiny", _scrutiny, _some),
    Station("verdict", "Verdict", _verdict, _some),
    Station("workstation", "Workstation", _workstation, apart=True),
)
