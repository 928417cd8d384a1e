"""A new metric is one entry of the table: it is measured, kept, exported and shown."""

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from added_runs import BUILD, add_run
from ovrik.desk.model import DeskModel
from ovrik.desk.pictures import Pictures
from ovrik.desk.stations.scrutiny import ScrutinyStation
from ovrik.quality.metric_table import METRICS, Metric
from ovrik.quality.metrics import frame_scores
from ovrik.quality.reference import make_reference
from ovrik.quality.reference_key import reference_key
from ovrik.report.as_json import verdict_json
from ovrik.store.records import ScoreRecord
from ovrik.store.study import Study
from ovrik.study.delivery import delivery
from ovrik.study.excerpt import Excerpt
from ovrik.work.evidence import gather

XPSNR = Metric(
    "xpsnr",
    "XPSNR",
    "dB",
    2,
    "luma",
    "xpsnr",
    "xpsnr=stats_file=xpsnr.log:shortest=1",
    "xpsnr.log",
    lambda log: [float(v) for v in re.findall(r"XPSNR y: *([0-9.]+|inf)", log)],
)


@pytest.fixture
def one_more() -> Iterator[None]:
    METRICS.append(XPSNR)
    yield
    METRICS.remove(XPSNR)


def test_one_entry_is_all(one_more: None, study: Study, qtbot: QtBot) -> None:
    excerpt = Excerpt(0, 6)
    study.set_excerpt(excerpt)
    programme, recipe = study.programme(), study.contenders()[0].recipe
    wanted = delivery(programme, excerpt, recipe)
    reference = make_reference(programme, excerpt, wanted)
    scores = frame_scores(reference, Path(reference), wanted)
    assert list(scores) == ["vmaf", "psnr", "ssim", "xpsnr"]
    assert scores["xpsnr"].values.shape == (6,)
    assert np.all(scores["xpsnr"].values > 50)
    assert scores["xpsnr"].version
    add_run(study, 1, 1, 2.0)
    key = reference_key(programme, excerpt, wanted)
    study.keep_score(ScoreRecord(0, 1, "ff", key, (), "", {}, scores), BUILD)
    evidence = gather(study)
    kept = evidence.summaries[0].quality["xpsnr"]
    assert kept.mean == pytest.approx(scores["xpsnr"].values.mean())
    assert verdict_json(evidence)["contenders"][0]["quality"]["xpsnr"]["mean"] == kept.mean
    station = ScrutinyStation(DeskModel(study), Pictures())
    qtbot.addWidget(station)
    station.model.select(1)
    assert station.score_box.itemText(3) == "XPSNR, dB"
    assert station.numbers.item(3, 1).text() == f"{kept.mean:.2f}"
