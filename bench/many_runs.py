"""A study with 10,000 stored runs and their traces: opening it, and drawing its lanes."""

import statistics
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.seed import drawn, seed
from bench.subject import footage_path, work_folder
from ovrik.export.run.trace import Trace
from ovrik.quality.decode.probe import probe
from ovrik.store.records.run import RunRecord, RunState
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip

CONTENDERS, ROUNDS, SAMPLES = 20, 500, 120
BUILD = {"key": "bundled", "path": "/b", "version": "9", "sha256": "aa"}


def stored() -> Path:
    """The study, made once."""
    path = work_folder() / f"many-4-{seed()}.ovrik"
    if path.exists():
        return path
    partial = path.with_name("many.partial.ovrik")
    partial.unlink(missing_ok=True)
    programme = of_clip(probe(footage_path()))
    study = Study.create(partial, "Many", programme, Excerpt(0, 50), warmup=0)
    every = [Contender("bundled", recipe("libx264", "fast", 18 + n)) for n in range(CONTENDERS)]
    study.add_contenders(labelled(every))
    random = drawn("10,000 runs")
    t = np.arange(1, SAMPLES + 1) / 2
    study._db.execute("PRAGMA synchronous = OFF")
    for round_ in range(1, ROUNDS + 1):
        for contender in range(1, CONTENDERS + 1):
            columns = {
                n: 50 + random.normal(0, 5, SAMPLES).cumsum()
                for n in ("fps", "cpu", "core 0", "core 1", "read", "written", "disk", "memory", "clock")
            }
            wall = float((10 + contender) * np.exp(random.normal(0, 0.03)))
            made = RunRecord(
                contender_id=contender,
                excerpt=Excerpt(0, 50),
                started_utc="",
                round=round_,
                argv=("program", "-i", "clip"),
                output=f"{contender}.mp4",
                state=RunState.DONE,
                wall_s=wall,
                user_s=wall,
                system_s=0.1,
                output_bytes=10**6,
                output_sha256="ff",
            )
            run = study.begin_run(replace(made, state=RunState.RUNNING), BUILD, {"processor": "P"}, programme)
            study.end_run(run, {"state": RunState.DONE}, Trace({"t": t, **columns}).packed())
    study.close()
    partial.replace(path)
    return path


def open_seconds(planned_runs: int = 5) -> float:
    """Median time to open it and sum everything up."""
    from ovrik.work.evidence.gathered import gather

    path, took = stored(), []
    for _ in range(planned_runs):
        began = time.perf_counter()
        study = Study.open(path)
        evidence = gather(study)
        took.append(time.perf_counter() - began)
        assert sum(len(s.counted) for s in evidence.summaries) == CONTENDERS * ROUNDS
        study.close()
    return statistics.median(took)


def lanes_seconds(planned_runs: int = 20) -> float:
    """Median time of one frame of the lanes while a run grows in them."""
    from dataclasses import replace

    from ovrik.desk.app.main import application, take_down
    from ovrik.desk.model.study import DeskModel
    from ovrik.desk.stations.timing.station import TimingStation
    from ovrik.export.run.order import PlannedRun
    from ovrik.export.run.progress import Progress
    from ovrik.work.timing.series import TimingUpdate

    app = application()
    study = Study.open(stored())
    station = TimingStation(DeskModel(study))
    station.resize(980, 740)
    station.show()
    app.processEvents()
    growing = Progress(at_s=1.0, frame=1, fps=0.0, bytes=0, ended=False)
    update = TimingUpdate(
        PlannedRun(1, 501, False), number=3, total=20, label="x", frames=50, progress=growing
    )
    took = []
    for n in range(planned_runs):
        began = time.perf_counter()
        station.follow_live(replace(update, progress=replace(update.progress, frame=n, at_s=n / 2)))
        station.lanes.grab()
        took.append(time.perf_counter() - began)
    take_down(station)
    study.close()
    return statistics.median(took)
