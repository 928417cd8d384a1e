"""What Ovrik itself uses of one core during a timed run, without and with its window."""

import shutil
import statistics

from bench.subject import export, footage_path, work_folder
from ovrik.export.run.timed import timed_run
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip


def without_window(runs: int = 5) -> float:
    """Median share of one core over some runs."""
    partial, output = work_folder() / "part.mp4", work_folder() / "out.mp4"
    shares = []
    for _ in range(runs):
        result = timed_run([export(partial, "medium")], partial, output)
        assert result.usage is not None
        shares.append(result.usage.own_cpu_s / result.usage.wall_s)
    return statistics.median(shares)


def with_window(rounds: int = 3) -> float:
    """Median share of one core over counted runs that were started in a window at Timing."""
    from PyQt6.QtCore import QEventLoop, QTimer

    from ovrik.desk.app.main import application, take_down
    from ovrik.desk.app.window import MainWindow

    path = work_folder() / "load.ovrik"
    path.unlink(missing_ok=True)
    shutil.rmtree(path.with_name("load outputs"), ignore_errors=True)
    study = Study.create(path, "Load", of_clip(probe(footage_path())), Excerpt(0, 50), warmup=1)
    made = [Contender("bundled", recipe("libx264", preset, 23)) for preset in ("medium", "slow")]
    for contender in labelled(made):
        study.add_contender(contender)
    application()
    window = MainWindow(study)
    window.show()
    window.stations["timing"].turn_to("traces")  # traces: the most that can be drawn meanwhile
    window.jobs.start_timing([1, 2], rounds, False)
    loop, look = QEventLoop(), QTimer()
    look.timeout.connect(lambda: loop.quit() if window.runner.job is None else None)
    look.start(1000)
    loop.exec()
    shares = [(r.own_cpu_s or 0) / (r.wall_s or 1) for r in study.runs() if r.counts]
    take_down(window)
    return statistics.median(shares)
