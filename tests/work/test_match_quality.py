"""Equal quality by real encodes: near the floor, in few, for three encoders, and by the command line."""

import json
from contextlib import closing
from pathlib import Path

import pytest

from by_command import ovrik
from calm import CALM
from moving_clip import write_moving
from ovrik.errors import OvrikError
from ovrik.export.run.order import PlannedRun
from ovrik.quality.decode.probe import probe
from ovrik.store.rescue import rescue
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.work.answers.equal_curves import SIZE, equal_curves
from ovrik.work.campaign.equal_quality import match_all, points_of, searchable
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.series import time_all

FLOOR = 90.0


@pytest.fixture
def moving(tmp_path: Path) -> Study:
    """A second that moves all the time, and three encoders at settings far off."""
    programme = of_clip(probe(write_moving(tmp_path / "moving.mkv", 1.0)))
    study = Study.create(tmp_path / "equal.ovrik", "Equal", programme, whole(programme), rounds=1, warmup=0)
    study.set_conduct(CALM)
    made = [
        Contender("bundled", recipe("libx264", "veryfast", 45)),
        Contender("bundled", recipe("libx265", "ultrafast", 12)),
        Contender("bundled", recipe("libsvtav1", "12", 60)),
        Contender("bundled", recipe("libx264", "veryfast", bit_rate=2_000_000)),
    ]
    for c in labelled(made):
        study.add_contender(c)
    return study


@pytest.mark.sweep
def test_three_encoders_land_near_the_floor_and_an_export_confirms_it(moving: Study) -> None:
    wanted = searchable(gather(moving))
    assert [c.recipe.encoder for c in wanted] == ["libx264", "libx265", "libsvtav1"], "none by its bit rate"
    found = match_all(moving, wanted, "vmaf_mean", FLOOR)
    assert [m.encodes <= 6 for m in found] == [True] * 3
    numbers = []
    for m in found:
        assert m.found is not None
        assert m.value is not None
        assert FLOOR <= m.value <= FLOOR + 0.5, m
        numbers.append(m.found.contender_id)
    time_all(moving, [PlannedRun(i, 1, False) for i in numbers])
    score_all(moving)
    e = gather(moving)
    for m, number in zip(found, numbers, strict=True):
        s = e.of(number)
        assert s is not None
        assert s.vmaf is not None
        assert s.vmaf.mean == pytest.approx(m.value, abs=0.02)
    again = match_all(moving, wanted, "vmaf_mean", FLOOR)
    assert [m.encodes for m in again] == [0, 0, 0], "what is known costs nothing"
    assert [m.found.contender_id for m in again if m.found] == numbers
    curves = equal_curves(e, moving.search_points(e.programme.checksum, e.facts.excerpt), "vmaf_mean")
    assert {len(c.points) for c in curves} <= set(range(2, 8))
    for c in curves:
        qualities = [p.quality for p in c.points]
        assert qualities == sorted(qualities)
        assert [p.number for p in c.points if not p.searched], (
            "the export in the line-up stands in for its own search"
        )
    some = [c for c in curves if len(c.points) >= 3]
    if len(some) > 1:
        assert some[1].against(some[0], SIZE).why == "" or some[1].against(some[0], SIZE).rate is None


def test_points_belong_to_their_contender_and_reference(moving: Study) -> None:
    first = moving.contenders()[0]
    [m] = match_all(moving, [first], "vmaf_mean", FLOOR, most=2)
    assert m.encodes == 2
    e = gather(moving)
    assert len(points_of(moving, e, first, "vmaf_mean")) == 2
    other = moving.contenders()[1]
    assert points_of(moving, e, other, "vmaf_mean") == {}
    assert set(points_of(moving, e, first, "psnr_mean")) == set(points_of(moving, e, first, "vmaf_mean"))
    path, into = moving.path, moving.path.with_name("rescued.ovrik")
    moving.close()
    rescue(path, into)
    with closing(Study.open(into)) as kept:
        assert len(points_of(kept, gather(kept), first, "vmaf_mean")) == 2


def test_what_can_not_be_searched(moving: Study) -> None:
    by_rate = moving.contenders()[3]
    with pytest.raises(OvrikError, match="not made by a quality number"):
        match_all(moving, [by_rate], "vmaf_mean", FLOOR)
    with pytest.raises(OvrikError, match="is no quality"):
        match_all(moving, [moving.contenders()[0]], "mbit_s", 3.0)
    [m] = match_all(moving, [moving.contenders()[2]], "vmaf_mean", 100.0)
    assert m.found is None
    assert m.why in ("even the best setting is below the floor", "6 encodes were made")


def test_by_the_command_line(moving: Study) -> None:
    path = moving.path
    label = moving.contenders()[0].label
    moving.close()
    done = ovrik("match", path, label, "--floor", "vmaf_mean=88", "--json")
    assert done.returncode == 0, done.stderr
    [said] = json.loads(done.stdout)
    assert 88 <= said["value"] <= 88.5
    assert said["encodes"] <= 6
    with closing(Study.open(path)) as study:
        assert said["found"] in [c.label for c in study.contenders()]
    wrong = ovrik("match", path, "nobody")
    assert wrong.returncode == 2
    assert 'No contender is labelled "nobody"' in wrong.stderr
    odd = ovrik("match", path, "--floor", "size=3")
    assert odd.returncode == 2
    assert "vmaf_mean" in odd.stderr
