"""What exports took in earlier studies here is where a new plan's estimate begins."""

from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import add_run
from calm import CALM
from ovrik.analysis.times.estimate import Earlier, from_earlier
from ovrik.machine.workstation import times_seen as kept
from ovrik.machine.workstation.times_seen import TimeSeen, remember_times, times_file, times_seen
from ovrik.report.words.numbers import estimate_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from ovrik.work.answers.estimate import Estimate, estimate
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.evidence.earlier import export_key, film_key, keep_times
from ovrik.work.evidence.gathered import gather


def another(folder: Path, footage: Footage, excerpt: Excerpt | None = None) -> Study:
    made = Study.create(
        folder / "other.ovrik", "Other", of_clip(footage), excerpt or whole(footage), rounds=2, warmup=0
    )
    made.set_conduct(CALM)
    return made


def estimated(study: Study) -> Estimate:
    return estimate(study, gather(study), [c.contender_id for c in study.contenders()], 2)


def test_a_new_plan_knows_what_was_run_before(study: Study, tmp_path: Path, footage: Footage) -> None:
    assert time_line_up(study, [1, 2], 1)
    took = gather(study).summaries[0].usual_s
    other = another(tmp_path, footage)
    other.add_contender(study.contenders()[0].unnamed())
    found = estimated(other)
    assert found.by_contender[1].basis == "earlier studies"
    assert found.by_contender[1].seconds == pytest.approx(took)
    assert found.seconds == pytest.approx(2 * (took or 0))
    assert "known from earlier studies on this machine only" in estimate_words(found)
    other.add_contender(Contender("bundled", recipe("libx264", "medium", 11)))
    assert 2 not in estimated(other).by_contender, "another setting is another export"
    add_run(other, 1, 1, 9.0)
    assert estimated(other).by_contender[1].basis == "runs"
    other.close()


def test_its_own_study_is_no_earlier_one(study: Study) -> None:
    add_run(study, 1, 1, 4.0)
    keep_times(study, gather(study))
    assert len(times_seen()) == 1
    study.begin_sitting()
    assert estimated(study).by_contender == {}


def test_another_film_of_the_kind_says_less_and_counts_by_its_frames(
    tmp_path: Path, footage: Footage
) -> None:
    other = another(tmp_path, footage, Excerpt(0, 10))
    other.add_contender(Contender("bundled", recipe("libx264", "medium", 11)))
    one = other.contenders()[0]
    programme, excerpt = other.programme(), other.facts().excerpt
    key = export_key(one, programme, excerpt)
    remember_times([TimeSeen("a", key, "x", 100, 21.0, 1.0), TimeSeen("b", key, "y", 100, 41.0, 1.0)])
    far = estimated(other).by_contender[1]
    assert (far.seconds, far.low, far.high) == pytest.approx((4.0, 3.0 * 0.6, 5.0 * 1.4))
    remember_times([TimeSeen("c", key, film_key(programme, excerpt), 10, 2.0, 1.0)])
    near = estimated(other).by_contender[1]
    assert (near.seconds, near.low, near.high) == pytest.approx((2.0, 1.7, 2.3)), (
        "this very film, and no other"
    )
    other.close()


def test_what_takes_as_long_a_frame_has_one_name(study: Study) -> None:
    one, two = study.contenders()[:2]
    programme, excerpt = study.programme(), study.facts().excerpt
    key = export_key(one, programme, excerpt)
    assert key == export_key(replace(one, label="mine", label_given=True), programme, Excerpt(3, 5))
    assert key != export_key(two, programme, excerpt)
    assert key != export_key(replace(one, treat="opencl"), programme, excerpt)
    assert film_key(programme, excerpt) != film_key(programme, Excerpt(0, 1))
    large = replace(programme, clips=(replace(programme.clips[0], width=4096),))
    assert key != export_key(one, large, excerpt)


def test_what_is_kept_replaces_what_was_and_damage_counts_as_none(monkeypatch: pytest.MonkeyPatch) -> None:
    one = TimeSeen("a", "k", "f", 100, 2.0, 0.5)
    remember_times([one, replace(one, film="g")])
    remember_times([replace(one, wall_s=3.0)])
    assert [(t.film, t.wall_s) for t in times_seen()] == [("g", 2.0), ("f", 3.0)]
    monkeypatch.setattr(kept, "MOST_KEPT", 2)
    remember_times([replace(one, study="b")])
    assert [(t.study, t.film) for t in times_seen()] == [("a", "f"), ("b", "f")]
    for damage in (
        "[1]",
        "{",
        '[{"study": "a"}]',
        '[{"study":1,"export":"","film":"","frames":0,"wall_s":1,"first_s":0}]',
    ):
        times_file().write_text(damage)
        assert times_seen() == []


def test_nothing_earlier_is_no_forecast() -> None:
    with pytest.raises(ValueError, match="earlier"):
        from_earlier([], 10)
    assert from_earlier([Earlier(2.0, 1.0, 10, False)], 20).seconds == pytest.approx(3.0)
