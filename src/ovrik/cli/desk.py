"""What opens the window, and the demo: `ovrik open`, `demo`, `shots`, `footage`."""

import argparse
import gc
import signal
import sys

from ovrik.cli.terminal import DONE, PARTLY


def open_(chosen: argparse.Namespace) -> int:
    """`ovrik open [STUDY]`."""
    gc.disable()  # the window turns it on again once it is drawn: what is loaded until then stays anyway
    from ovrik.desk.app import run_desk

    return run_desk(chosen.study)


def demo_(_chosen: argparse.Namespace) -> int:
    """`ovrik demo`."""
    gc.disable()
    from ovrik.demo.scenario import unpack_demo
    from ovrik.desk.app import run_desk

    return run_desk(unpack_demo(), demo=True)


def shots_(chosen: argparse.Namespace) -> int:
    """`ovrik shots DIR`."""
    from ovrik.desk.shots import take_shots

    for path in take_shots(chosen.folder):
        print(path)
    return DONE


def standin_(chosen: argparse.Namespace) -> int:
    """`ovrik standin FOLDER`: a program with a button, to time outside exports of."""
    from ovrik.demo.place import film_path
    from ovrik.desk.app import application
    from ovrik.desk.standin_window import StandinWindow
    from ovrik.errors import OvrikError
    from ovrik.machine.builds import locate

    source = chosen.source or film_path()
    if not source.is_file() or not chosen.folder.is_dir():
        missing = source if chosen.folder.is_dir() else chosen.folder
        raise OvrikError(f"{missing} is not there", "Name a clip with --source, and a folder to export into")
    app = application()
    window = StandinWindow(locate("bundled"), source, chosen.folder, chosen.release, chosen.habit)
    window.show()
    return app.exec()


def footage_(_chosen: argparse.Namespace) -> int:
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

    print(make_film(report))
    return DONE
