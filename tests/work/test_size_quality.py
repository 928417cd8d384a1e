"""Series of contenders that differ in nothing but their rate, and what equal quality takes."""

import numpy as np
import pytest

from added_runs import BUILD, add_run
from ovrik.quality.reference.key import key_of
from ovrik.report.values.everything import evidence_json
from ovrik.store.records.score import BITS, MetricScores, ScoreRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.work.answers.size_quality import base_of, curves, size_against, size_quality
from ovrik.work.evidence.gathered import gather

MBIT = {20: 8.0, 26: 4.0, 32: 2.0}
VMAF = {20: 96.0, 26: 91.0, 32: 84.0}
HALF = 0.5


@pytest.fixture
def scored(study: Study) -> Study:
    """Two presets at three rates, the second at half the size for the same quality; and one that stands alone."""
    for old in study.contenders():
        study.drop_contender(old.contender_id)
    presets = [("veryfast", 1.0), ("medium", HALF)]
    todo = [(recipe("libx264", p, q), share * MBIT[q], VMAF[q]) for p, share in presets for q in (20, 26, 32)]
    todo.append((recipe("libx265", "fast", 28), 3.0, 90.0))
    facts, programme = study.facts(), study.programme()
    for made, (_recipe, mbit, vmaf) in zip(
        labelled([Contender("bundled", r) for r, _m, _v in todo]), todo, strict=True
    ):
        kept = study.add_contender(made)
        add_run(study, kept.contender_id, 1, 2.0)
        run = study.runs(kept.contender_id)[-1]
        frames = facts.excerpt.frames
        values = {BITS: np.full(frames, mbit * 1e6 / 25), "vmaf": np.full(frames, vmaf)}
        values[BITS][:5] *= 2
        metrics = {key: MetricScores("1", v) for key, v in values.items()}
        key = key_of(facts, programme, delivery(programme, facts.excerpt, made.recipe))
        study.keep_score(ScoreRecord(kept.contender_id, run.output_sha256 or "", key, metrics=metrics), BUILD)
    study.set_baseline(study.contenders()[0].contender_id)
    return study


def test_series_are_named_and_compared_with_the_baselines(scored: Study) -> None:
    e = gather(scored)
    found = size_quality(e)
    assert len(found) == 7
    first = found[0]
    frames = e.facts.excerpt.frames
    assert first.mbit_s == pytest.approx(8 * (frames + 5) / frames)
    assert first.peak_mbit_s == pytest.approx(8 * 30 / 25)
    assert first.bits_per_pixel == pytest.approx(first.mbit_s * 1e6 / 25 / (320 * 180))
    drawn = curves(found)
    assert [(c.name, len(c.points)) for c in drawn] == [("x264 veryfast", 3), ("x264 medium", 3)]
    assert drawn[0].sizes == sorted(drawn[0].sizes)
    assert base_of(drawn, e) is drawn[0]
    apart = size_against(drawn[0], drawn[1])
    assert apart.rate == pytest.approx(HALF - 1, abs=1e-6)
    assert apart.quality is not None
    assert apart.quality > 0
    said = evidence_json(e, None)["at_equal_quality"]
    assert [s["against"] for s in said] == ["x264 veryfast"] * 2
    assert said[1]["rate"] == pytest.approx(apart.rate)


def test_fewer_points_can_not_be_told(scored: Study) -> None:
    scored.drop_contender(scored.contenders()[5].contender_id)
    found = curves(size_quality(gather(scored)))
    apart = size_against(found[0], found[1])
    assert apart.rate is None
    assert apart.why.startswith("each needs 3 points")
