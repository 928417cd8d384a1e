"""A new metric is one entry of the table: it is measured, kept, exported and shown."""

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from added_runs import BUILD, add_run
from ovrik.desk.model.study import DeskModel
from ovrik.desk.stations.scrutiny.station import ScrutinyStation
from ovrik.desk.viewing.pictures import Pictures
from ovrik.quality.reference.key import reference_key
from ovrik.quality.reference.made import make_reference
from ovrik.quality.scores.metric_table import METRICS, Metric
from ovrik.quality.scores.metrics import frame_scores
from ovrik.report.values.everything import evidence_json
from ovrik.store.records.score import ScoreRecord
from ovrik.store.study import Study
from ovrik.study.contender.delivery import delivery
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.evidence.gathered import gather

IDENTITY = Metric(
    "identity",
    "Identity",
    "%",
    2,
    "share of equal samples",
    "identity",
    "identity,metadata=print:file={name}identity.log",
    "identity.log",
    lambda log: [100 * float(v) for v in re.findall(r"identity_avg=([0-9.]+)", log)],
)


@pytest.fixture
def one_more() -> Iterator[None]:
    METRICS.append(IDENTITY)
    yield
    METRICS.remove(IDENTITY)


def test_one_entry_is_all(one_more: None, study: Study, qtbot: QtBot) -> None:
    excerpt = Excerpt(0, 6)
    study.set_excerpt(excerpt)
    programme, recipe = study.programme(), study.contenders()[0].recipe
    wanted = delivery(programme, excerpt, recipe)
    reference = make_reference(programme, excerpt, wanted)
    scores = frame_scores(reference, Path(reference), wanted)
    assert list(scores) == ["vmaf", "psnr", "psnr_cb", "psnr_cr", "ssim", "xpsnr", "identity"]
    assert scores["identity"].values.shape == (6,)
    assert np.all(scores["identity"].values > 99)
    assert scores["identity"].version
    add_run(study, 1, 1, 2.0)
    key = reference_key(programme, excerpt, wanted)
    study.keep_score(ScoreRecord(1, "ff", key, metrics=scores), BUILD)
    evidence = gather(study)
    kept = evidence.summaries[0].quality["identity"]
    assert kept.mean == pytest.approx(scores["identity"].values.mean())
    assert evidence_json(evidence, None)["contenders"][0]["quality"]["identity"]["mean"] == kept.mean
    station = ScrutinyStation(DeskModel(study), Pictures())
    qtbot.addWidget(station)
    station.model.select(1)
    assert station.look.chart.box.itemText(6) == "Identity, %"
    assert station.scores.numbers.item(6, 1).text() == f"{kept.mean:.2f}"
