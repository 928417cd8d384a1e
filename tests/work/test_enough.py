"""Rounds are added until all is decided, within limits; and identical contenders are not told apart."""

import itertools
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import pytest

from added_runs import add_run
from calm import CALM
from ovrik.export.run.order import PlannedRun
from ovrik.report.words.progress import rest_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.plan import load_plan
from ovrik.work.campaign import rounds as campaign
from ovrik.work.campaign.asking import Comparisons, open_comparisons
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.evidence.gathered import gather
from ovrik.work.lineup.from_plan import question_of, save_plan, study_from_plan
from ovrik.work.timing import series
from played import Played

FAST, SLOW = recipe("libx264", "ultrafast", 35), recipe("libx264", "medium", 10)


def study_of(path: Path, footage: Footage, conduct: Conduct, *contenders: Contender) -> Study:
    """A study of the tiny clip."""
    study = Study.create(path, "Enough", of_clip(footage), whole(of_clip(footage)), rounds=1, warmup=0)
    study.set_conduct(conduct)
    study.add_contenders(contenders)
    return study


def test_a_clear_difference_ends_it_early(tmp_path: Path, footage: Footage, played: Played) -> None:
    played.seconds = {"medium": 4.0}
    study = study_of(
        tmp_path / "s.ovrik",
        footage,
        replace(CALM, until_decided=True, decides="baseline", most_rounds=10),
        Contender("bundled", SLOW),
        Contender("bundled", FAST),
    )
    seen: list[str] = []
    assert time_line_up(study, [1, 2], 1, lambda m: seen.append(rest_words(m.rest)))
    evidence = gather(study)
    assert evidence.summaries[1].answer == "faster"
    assert 1 <= len({r.round for r in evidence.summaries[1].counted}) < 10
    assert seen[0].startswith("1 comparison open, at most 10 more rounds")
    assert open_comparisons(evidence, [1, 2]) == []
    before = len(study.runs())
    assert time_line_up(study, [1, 2], 1)
    assert len(study.runs()) == before
    study.close()


def test_the_limit_of_rounds_is_kept(tmp_path: Path, footage: Footage, played: Played) -> None:
    study = study_of(
        tmp_path / "s.ovrik",
        footage,
        replace(CALM, until_decided=True, decides="baseline", most_rounds=4),
        Contender("bundled", FAST),
        Contender("bundled", FAST, "again", True),
    )
    assert time_line_up(study, [1, 2], 1)
    evidence = gather(study)
    counts = [len({r.round for r in s.counted}) for s in evidence.summaries]
    assert evidence.summaries[1].answer == "unsure", "it goes on while nothing is decided"
    assert max(counts) == 4
    assert len(played.order) == 8
    study.close()


def test_nobody_waits_for_who_gets_no_run(tmp_path: Path, footage: Footage, played: Played) -> None:
    """Its container can't hold its codec: the baseline is not timed on for its sake."""
    study = study_of(
        tmp_path / "s.ovrik",
        footage,
        replace(CALM, until_decided=True, decides="baseline", most_rounds=10),
        Contender("bundled", FAST),
        Contender("bundled", recipe("libsvtav1", "12", 40, container="mov")),
    )
    assert not time_line_up(study, [1, 2], 1)
    assert len(played.order) == 1
    assert [r.contender_id for r in study.runs()] == [1]
    study.close()


def test_the_limit_of_minutes_is_kept(
    tmp_path: Path, footage: Footage, played: Played, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With a clock that goes on by a second for each look at it, a tenth of a minute is over in the first rounds."""
    study = study_of(
        tmp_path / "s.ovrik",
        footage,
        replace(CALM, until_decided=True, decides="baseline", most_rounds=50, most_minutes=0.1),
        Contender("bundled", FAST),
        Contender("bundled", FAST, "again", True),
    )
    played.spread = 0.1
    seconds = itertools.count()
    clock = SimpleNamespace(monotonic=lambda: float(next(seconds)))
    for module in (campaign, series):
        monkeypatch.setattr(module, "time", clock)
    time_line_up(study, [1, 2], 1)
    assert 0 < len(played.order) < 12
    study.close()


def test_a_round_timed_again_counts_once(tmp_path: Path, footage: Footage) -> None:
    """Else a disturbed machine would be looked at too early, and too often for the error that is allowed."""
    conduct = replace(CALM, drop_hopeless=True)
    study = study_of(
        tmp_path / "s.ovrik", footage, conduct, Contender("bundled", SLOW), Contender("bundled", FAST)
    )
    for round_ in (1, 2, 2):
        add_run(study, 1, round_, 4.0 + 0.01 * round_)
        add_run(study, 2, round_, 3.9)
    rest = Comparisons(study).next([1, 2], 0).rest
    assert rest is not None
    assert (open_comparisons(gather(study), [1, 2]), rest.rounds_left) == ([2], 10)
    for number in range(3, 12):
        add_run(study, 1, number, 4.02)
        add_run(study, 2, number, 3.9)
    assert open_comparisons(gather(study), [1, 2]) == []
    study.close()


def test_the_hopeless_are_dropped_when_it_is_wished(tmp_path: Path, footage: Footage, played: Played) -> None:
    played.seconds = {"medium": 4.0}
    study = study_of(
        tmp_path / "s.ovrik",
        footage,
        replace(CALM, drop_hopeless=True),
        Contender("bundled", FAST),
        Contender("bundled", FAST, "again", True),
        Contender("bundled", SLOW),
    )
    from ovrik.work.timing.series import time_all

    assert time_all(study, [PlannedRun(c, n, False) for n in (1, 2, 3) for c in (1, 2, 3)])
    evidence = gather(study)
    assert 3 not in open_comparisons(evidence, [1, 2, 3])
    study.close()


def test_conduct_travels_with_plan_and_study(tmp_path: Path, footage: Footage) -> None:
    conduct = Conduct(
        cache="cold", nice=3, cores=(0, 1), until_decided=True, most_rounds=6, drop_hopeless=True
    )
    study = study_of(tmp_path / "s.ovrik", footage, conduct, Contender("bundled", FAST))
    assert question_of(study).conduct == conduct
    save_plan(study, tmp_path / "p.toml")
    assert "[timing]" in (tmp_path / "p.toml").read_text()
    again = study_from_plan(load_plan(tmp_path / "p.toml"), tmp_path / "again.ovrik")
    assert again.facts().conduct == conduct
    again.close()
    study.close()
