"""Studies with any number of contenders, timed and scored, and a search for texts that are cut."""

import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSpinBox,
    QTableWidget,
    QToolButton,
    QWidget,
)

from ovrik.store.schema.row_sums import sum_all
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.encoders import NINE_PRESETS
from ovrik.study.encoder.recipe import recipe


def crowded(path: Path, count: int, rounds: int = 3) -> None:
    """Make a copy of the demo study hold `count` contenders, the first of them as they ship; those that are added
    are copies of timed ones at other settings, some with long names and some that fail."""
    with closing(Study.open(path)) as study:
        there = study.contenders()
        for c in there[count:][::-1]:
            study.drop_contender(c.contender_id)
        grid = [
            Contender(build, recipe("libx264", preset, quality, tune="film" if quality > 22 else ""))
            for build in ("bundled", "system")
            for quality in (16.5, 18, 21, 24, 27, 30, 15, 17, 19, 20, 22, 25)
            for preset in NINE_PRESETS
        ]
        known = {c.identity for c in there}
        new = [c for c in grid if c.identity not in known][: max(0, count - len(there))]
        study.add_contenders(labelled([*there, *new])[len(there) :])
        ids = [c.contender_id for c in study.contenders()]
        _copy_evidence(
            path, [i for i in ids if i > max(c.contender_id for c in there)], there[0].contender_id
        )


def _copy_evidence(path: Path, new: list[int], source: int) -> None:
    random = np.random.default_rng(3)
    with closing(sqlite3.connect(path)) as db:
        columns = [
            r[1] for r in db.execute("PRAGMA table_info(run)") if r[1] not in ("id", "contender_id", "wall_s")
        ]
        names = ", ".join(columns)
        score = [r[1] for r in db.execute("PRAGMA table_info(score)") if r[1] not in ("id", "contender_id")]
        for number, contender in enumerate(new):
            pace = float(np.exp(random.normal(0, 0.6)))
            if number % 7 == 3:
                continue
            db.execute(
                f"INSERT INTO run (contender_id, wall_s, {names}) SELECT ?, wall_s * ?, {names} FROM run "
                "WHERE contender_id = ? AND state = 'done' AND NOT warmup",
                (contender, pace, source),
            )
            db.execute(
                "UPDATE run SET output_bytes = CAST(output_bytes * ? AS INTEGER) WHERE contender_id = ?",
                (1 / pace, contender),
            )
            db.execute(
                f"INSERT INTO score (contender_id, {', '.join(score)}) SELECT ?, {', '.join(score)} FROM score "
                "WHERE contender_id = ?",
                (contender, source),
            )
        _copy_metrics(db, source)
        sum_all(db)
        db.commit()


def _copy_metrics(db: sqlite3.Connection, source: int) -> None:
    """Scores like those of the source, each output's somewhat better or worse than another's."""
    random = np.random.default_rng(4)
    from_score = "SELECT id, output_sha256, reference FROM score WHERE contender_id = ?"
    for score, sha256, reference in db.execute(from_score, (source,)).fetchall():
        metrics = db.execute(
            "SELECT metric, version, series FROM score_metric WHERE score_id = ?", (score,)
        ).fetchall()
        bare = db.execute(
            "SELECT id FROM score WHERE output_sha256 = ? AND reference = ?"
            " AND id NOT IN (SELECT score_id FROM score_metric)",
            (sha256, reference),
        ).fetchall()
        for (number,) in bare:
            worse = float(random.gamma(2.0, 2.0))
            db.executemany(
                "INSERT INTO score_metric (score_id, metric, version, series) VALUES (?,?,?,?)",
                [
                    (number, m, v, (np.frombuffer(s, "<f8") - worse).tobytes() if m == "vmaf" else s)
                    for m, v, s in metrics
                ],
            )


def cut_texts(page: QWidget) -> list[str]:
    """Texts on a page that get less room than they want and can't be read by hovering, and buttons that are cut."""
    found = []
    for w in page.findChildren(QWidget):
        if not w.isVisibleTo(page.window()) or w.width() == 0:
            continue
        if isinstance(w, QScrollArea) and w.widget() and w.widget().width() > w.viewport().width() + 1:
            found.append(f"a page of {w.widget().width()} has {w.viewport().width()} pixels across")
        why = _cut(w)
        if why:
            given, wanted = w.size(), w.sizeHint()
            found.append(
                f"{type(w).__name__} “{why}” has {given.width()}×{given.height()} of "
                f"{wanted.width()}×{wanted.height()}"
            )
    return found


def _cut(w: QWidget) -> str:
    if isinstance(w, QLabel):
        if w.wordWrap():
            return (
                w.text() if w.heightForWidth(w.width()) > w.height() + 2 and w.toolTip() != w.text() else ""
            )
        return w.text() if w.sizeHint().width() > w.width() + 1 and w.text() not in w.toolTip() else ""
    if isinstance(w, QAbstractButton | QToolButton | QCheckBox):
        wanted = w.sizeHint()
        return (
            w.text()
            if w.text() and (wanted.width() > w.width() + 1 or wanted.height() > w.height() + 1)
            else ""
        )
    if isinstance(w, QComboBox):
        text = w.currentText()
        return (
            text
            if w.fontMetrics().horizontalAdvance(text) > w.width() - 28 and text not in w.toolTip()
            else ""
        )
    if isinstance(w, QSpinBox):
        text = w.text()
        return text if w.fontMetrics().horizontalAdvance(text) > w.width() - 14 else ""
    if isinstance(w, QLineEdit):
        return ""
    if isinstance(w, QTableWidget):
        return "; ".join(_cut_cells(w))
    return ""


def _cut_cells(table: QTableWidget) -> list[str]:
    found = []
    port, bar = table.viewport(), table.horizontalScrollBar()
    assert port is not None
    assert bar is not None
    across = sum(table.columnWidth(c) for c in range(table.columnCount()))
    if across > port.width() + 1 and bar.maximum() == 0:
        found.append(f"columns of {across} have {port.width()}")
    for column in range(table.columnCount()):
        if table.isColumnHidden(column):
            continue
        heading = table.horizontalHeaderItem(column)
        for row in range(min(table.rowCount(), 40)):
            item = table.item(row, column)
            if item is None or not item.text():
                continue
            wanted = table.sizeHintForIndex(table.model().index(row, column)).width()
            if wanted > table.columnWidth(column) + 1 and item.text() not in item.toolTip():
                found.append(f"{heading.text() if heading else column}: {item.text()}")
    return found
