"""How fast the verdict and its picture follow a limit that is dragged: 200 contenders of 20 runs each."""

import shutil
import sqlite3
import tempfile
import time
from contextlib import closing
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QApplication

from bench.seed import drawn
from ovrik.demo.scenario import unpack_demo
from ovrik.desk.app.main import application, take_down
from ovrik.desk.app.shots import settle
from ovrik.desk.app.station_table import STATIONS
from ovrik.desk.app.window import MainWindow
from ovrik.store.schema.row_sums import sum_all
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.encoders import NINE_PRESETS
from ovrik.study.encoder.recipe import recipe

CONTENDERS, RUNS, STEPS = 200, 20, 120


def crowd(path: Path) -> None:
    """Fill a copy of the demo: contenders whose times, sizes and scores are copies of the baseline's, spread out."""
    with closing(Study.open(path)) as study:
        there = study.contenders()
        grid = [
            Contender("bundled", recipe("libx264", preset, quality))
            for quality in range(10, 40)
            for preset in NINE_PRESETS
        ]
        known = {c.identity for c in there}
        new = [c for c in grid if c.identity not in known][: CONTENDERS - len(there)]
        study.add_contenders(labelled([*there, *new])[len(there) :])
        ids, source = [c.contender_id for c in study.contenders()], there[0].contender_id
    random = drawn("200 contenders")
    with closing(sqlite3.connect(path)) as db:
        columns = [r[1] for r in db.execute("PRAGMA table_info(run)")]
        plain = [c for c in columns if c not in ("id", "contender_id", "wall_s", "round", "output_bytes")]
        names = ", ".join(plain)
        [scored] = db.execute(
            "SELECT s.id FROM score s JOIN run r ON r.output_sha256 = s.output_sha256 WHERE s.contender_id = ?"
            " AND r.contender_id = s.contender_id ORDER BY r.id DESC, s.id DESC LIMIT 1",
            (source,),
        ).fetchone()
        for number in ids[len(there) :]:
            pace = float(np.exp(random.normal(0, 0.6)))
            for round_ in range(1, RUNS + 1):
                db.execute(
                    f"INSERT INTO run (contender_id, wall_s, round, output_bytes, {names}) SELECT ?, wall_s * ?, ?,"
                    f" CAST(output_bytes / ? AS INTEGER), {names} FROM run WHERE contender_id = ? AND state = 'done'"
                    " AND NOT warmup ORDER BY id DESC LIMIT 1",
                    (number, pace * float(np.exp(random.normal(0, 0.02))), round_, pace, source),
                )
            db.execute(
                "INSERT INTO score (contender_id, output_sha256, reference, build_id, measured_utc, faults, facts)"
                " SELECT ?, output_sha256, reference, build_id, measured_utc, faults, facts FROM score"
                " WHERE id = ?",
                (number, scored),
            )
        _scores(db, scored, random)
        sum_all(db)
        db.commit()


def _scores(db: sqlite3.Connection, scored: int, random: np.random.Generator) -> None:
    series = db.execute(
        "SELECT metric, version, series FROM score_metric WHERE score_id = ?", (scored,)
    ).fetchall()
    bare = db.execute("SELECT id FROM score WHERE id NOT IN (SELECT score_id FROM score_metric)").fetchall()
    for (number,) in bare:
        worse = float(random.gamma(2.0, 2.0))
        for metric, version, kept in series:
            shown = (np.frombuffer(kept, "<f8") - worse).tobytes() if metric == "vmaf" else kept
            db.execute(
                "INSERT INTO score_metric (score_id, metric, version, series) VALUES (?,?,?,?)",
                (number, metric, version, shown),
            )


def frame_ms() -> tuple[float, float]:
    """The mean and the 95th percentile, in milliseconds, from a limit that has moved to a window that shows what
    comes of it."""
    app = application()
    with tempfile.TemporaryDirectory(prefix="ovrik-drag-") as place:
        path = Path(place) / "many.ovrik"
        shutil.copy(unpack_demo(Path(place) / "demo"), path)
        crowd(path)
        window = MainWindow(Study.open(path))
        window.machine.probed = True
        window.resize(1280, 800)
        window.show()
        window.go("verdict")
        settle(app, lambda: not window.runner.small_jobs and len(window.stations) == len(STATIONS), most_s=60)
        took = _dragged(app, window)
        take_down(window)
    return float(np.mean(took)), float(np.percentile(took, 95))


def _dragged(app: QApplication, window: MainWindow) -> list[float]:
    page, took = window.stations["verdict"].choice, []
    assert window.model is not None
    asked = window.model.evidence.facts.limits
    for step in range(STEPS):
        line = next(x for x in page.chart.shown.lines if x.kind.key == "vmaf_mean")
        to = 90.0 + 5.0 * abs(1 - 2 * step / STEPS)
        began = time.perf_counter()
        page.chart.limit_moved.emit(line, to)
        app.processEvents()  # lays out and paints all that has changed
        took.append(1000 * (time.perf_counter() - began))
    window.model.try_limits(asked)
    return took
