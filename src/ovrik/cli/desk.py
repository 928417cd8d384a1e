"""What opens the window, and the demo: `ovrik open`, `demo`, `shots`, `footage`."""

import argparse
import gc
import signal
import sys

from ovrik.cli.terminal import DONE, PARTLY, answered


def open_(chosen: argparse.Namespace) -> int:
    """`ovrik open [STUDY]`."""
    gc.disable()  # the window turns it on again once it is drawn: what is loaded until then stays anyway
    from ovrik.desk.app.main import run_desk

    return run_desk(chosen.study)


def demo_(_chosen: argparse.Namespace) -> int:
    """`ovrik demo`."""
    gc.disable()
    from ovrik.demo.scenario import unpack_demo
    from ovrik.desk.app.main import run_desk

    return run_desk(unpack_demo(), demo=True)


def shots_(chosen: argparse.Namespace) -> int:
    """`ovrik shots DIR`."""
    from ovrik.desk.app.shots import take_shots

    files = take_shots(chosen.folder)
    answered(chosen, {"files": files}, "\n".join(map(str, files)))
    return DONE


def standin_(chosen: argparse.Namespace) -> int:
    """`ovrik standin FOLDER`: a program with a button, to time outside exports of."""
    from ovrik.desk.app.main import application, take_down
    from ovrik.desk.dialogs.standin_window import StandinWindow
    from ovrik.errors import OvrikError

    if not chosen.folder.is_dir():
        raise OvrikError(f"{chosen.folder} is not there", "Name a folder to export into")
    command = _standin_command(chosen)
    app = application()
    window = StandinWindow(command, chosen.folder, chosen.release, chosen.habit)
    window.show()
    code = app.exec()
    take_down(window)
    return code


def _standin_command(chosen: argparse.Namespace) -> list[str]:
    """What it exports: a clip, a study's excerpt, or the demo's."""
    from ovrik.demo.scenario import unpack_demo
    from ovrik.errors import OvrikError
    from ovrik.machine.builds.build import locate
    from ovrik.standin.editing import clip_command
    from ovrik.store.study import Study
    from ovrik.study.programme.unchanged import check_unchanged
    from ovrik.work.lineup.standin_export import standin_command

    if chosen.source:
        if not chosen.source.is_file():
            raise OvrikError(f"{chosen.source} is not there", "Name a clip")
        return clip_command(locate("bundled"), chosen.source, chosen.release)
    study = Study.open(chosen.study or unpack_demo())
    try:
        check_unchanged(study.programme())
        return standin_command(study, chosen.release)
    finally:
        study.close()


def footage_(chosen: argparse.Namespace) -> int:
    """`ovrik footage`: one line for each percent, so that a window can follow it."""
    from ovrik.demo.film import make_film

    last = -1
    # Asked to end, it must tidy up: the window stops it with SIGTERM.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(PARTLY))

    def report(share: float) -> None:
        nonlocal last
        if int(100 * share) != last:
            last = int(100 * share)
            print(f"{last} %", flush=True)

    made = make_film(report)
    answered(chosen, {"folder": made}, str(made))
    return DONE
