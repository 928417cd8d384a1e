"""Rounds until the choice is decided: outputs first, then only what can still win, each decision on file."""

from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import BUILD, add_run
from calm import CALM, quiet
from ovrik.analysis.times.succession import UNKNOWN
from ovrik.export.run.order import PlannedRun
from ovrik.machine.workstation.noise_seen import NoiseSeen, noise_file, noise_seen, remember_noise
from ovrik.quality.reference.key import reference_key
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.words.numbers import left_out_words
from ovrik.report.words.progress import rest_words
from ovrik.report.words.reasons import bound_words
from ovrik.store.records.decision import BACK, KEPT, LEFT_OUT, SET_ASIDE, Decision
from ovrik.store.records.score import ScoreRecord
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import limits
from ovrik.work.answers.rivals import Rest, changes, plan_of, rivals
from ovrik.work.campaign import rounds as campaign
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.noise import assume_noise, keep_noise
from ovrik.work.timing.warm_up import needing_warm_up, slow_at_first
from played import Played

FAST, SLOW = recipe("libx264", "ultrafast", 35), recipe("libx264", "medium", 10)
BIG = recipe("libx264", "ultrafast", 1)


@pytest.fixture
def three(tmp_path: Path, footage: Footage) -> Study:
    """A slow one, a fast one, and one whose output is too big; nothing timed."""
    study = Study.create(tmp_path / "s.ovrik", "Choice", of_clip(footage), whole(of_clip(footage)), warmup=1)
    study.set_conduct(quiet(replace(CALM, until_decided=True, most_rounds=6)))
    study.add_contenders([Contender("bundled", r) for r in (SLOW, FAST, BIG)])
    study.set_limits(limits(megabytes_per_minute=60))
    return study


def judge(study: Study, faults: dict[int, tuple[str, ...]]) -> None:
    """Every output that `add_run` made counts as checked."""
    for c in study.contenders():
        wanted = delivery(study.programme(), study.facts().excerpt, c.recipe)
        key = reference_key(study.programme(), study.facts().excerpt, wanted)
        study.keep_score(ScoreRecord(c.contender_id, "ff", key, faults.get(c.contender_id, ())), BUILD)


def decide_now(study: Study) -> None:
    """What a look after a round does."""
    evidence = gather(study)
    study.keep_decisions(
        changes(evidence, rivals(evidence, [1, 2, 3])), evidence.programme, evidence.facts.excerpt
    )


def test_a_choice_is_decided_from_nothing(three: Study, played: Played) -> None:
    played.seconds = {"medium": 4.0}
    remember_noise(NoiseSeen("an earlier one", 0.03, 30.0, 0.0, 40.0))
    assert time_line_up(three, [1, 2, 3], 1)
    evidence = gather(three)
    slow, fast, big = evidence.summaries
    assert evidence.verdict.decided
    assert evidence.verdict.ids == (fast.contender.contender_id,)
    assert not [r for r in three.runs() if r.warmup], "software needs no warm-up"
    assert all(s.judged for s in evidence.summaries)
    assert big.reasons
    assert len(big.runs) == 1
    assert "over the ceiling" in left_out_words(big, evidence)
    assert [d.kind for d in evidence.decisions if d.contender_id == big.contender.contender_id] == [SET_ASIDE]
    assert len(slow.runs) <= len(fast.runs)
    before = len(three.runs())
    assert time_line_up(three, [1, 2, 3], 1)
    assert len(three.runs()) == before, "once decided, nothing more is timed"


def test_the_limit_of_rounds_ends_it(three: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    three.set_conduct(replace(three.facts().conduct, most_rounds=2))
    three.set_limits(limits())

    def timed(study: Study, todo: list[PlannedRun], *_rest: object) -> bool:
        for planned in todo:
            one, at = planned.contender_id, planned.round
            add_run(study, one, at, 2.0 + 0.03 * one + 0.04 * ((one + at) % 2))
        judge(study, {})
        return True

    monkeypatch.setattr(campaign, "time_all", timed)
    monkeypatch.setattr(campaign, "score_all", lambda *_given: 0)
    for _again in range(2):
        assert time_line_up(three, [1, 2, 3], 1)
        evidence = gather(three)
        assert not evidence.verdict.decided
        assert evidence.verdict.choice == evidence.summaries[0].contender.contender_id
        assert {s.rounds for s in evidence.summaries} == {2}
        assert "To decide: 2 could still win; about " in verdict_text(evidence), "it says what it would take"


def test_a_stop_ends_it_and_keeps_what_is_finished(three: Study, played: Played) -> None:
    asked: list[int] = []

    def stop() -> bool:
        asked.append(1)
        return any(r.state == "done" for r in three.runs())

    assert not time_line_up(three, [1, 2, 3], 1, should_stop=stop)
    assert {r.state for r in three.runs()} == {"done"}
    assert len(three.runs()) == 1


def test_who_can_not_win_is_left_out_with_the_bound_and_comes_back(three: Study) -> None:
    for contender, seconds in ((1, 4.0), (2, 2.0), (3, 2.1)):
        add_run(three, contender, 1, seconds)
    judge(three, {})
    three.set_limits(limits())
    now = rivals(gather(three), [1, 2, 3])
    assert (now.ids, now.open, now.rounds) == ((2, 3), (3,), 1)
    decide_now(three)
    [made] = gather(three).decisions
    assert (made.contender_id, made.kind, made.round) == (1, LEFT_OUT, 1)
    assert made.gain == pytest.approx(gather(three).of(1).gain)  # type: ignore[union-attr]
    assert made.gain is not None
    assert made.gain < 0
    assert made.choice_id == 2
    words = left_out_words(gather(three).of(1), gather(three))  # type: ignore[arg-type]
    assert words == bound_words(made.gain, "the choice")
    for number, seconds in ((2, 5.0), (3, 3.0)):
        add_run(three, 2, number, seconds)
        add_run(three, 3, number, 8.0 - seconds)
    decide_now(three)
    assert [d.kind for d in gather(three).decisions if d.contender_id == 1] == [LEFT_OUT, BACK]
    assert not gather(three).of(1).left_out  # type: ignore[union-attr]


def test_what_is_not_acceptable_is_timed_only_on_wish(three: Study) -> None:
    for contender, seconds in ((1, 2.2), (2, 2.0), (3, 1.9)):
        add_run(three, contender, 1, seconds)
    judge(three, {3: ("its audio is missing",)})
    three.set_limits(limits())
    assert rivals(gather(three), [1, 2, 3]).ids == (1, 2)
    three.set_conduct(replace(three.facts().conduct, set_aside=False))
    assert rivals(gather(three), [1, 2, 3]).ids == (1, 2, 3)
    three.set_conduct(replace(three.facts().conduct, set_aside=True))
    kept = Decision(3, 1, KEPT, asked=True)
    three.keep_decisions([kept], three.programme(), three.facts().excerpt)
    assert rivals(gather(three), [1, 2, 3]).ids == (1, 2, 3)
    assert rivals(gather(three), [1, 2]).ids == (1, 2)
    decide_now(three)
    assert [d.kind for d in gather(three).decisions] == [KEPT], "what the user keeps is not set aside again"


def test_decisions_belong_to_an_excerpt_and_survive_opening(three: Study) -> None:
    three.keep_decisions([Decision(1, 2, LEFT_OUT, -0.1, 2)], three.programme(), three.facts().excerpt)
    again = Study.open(three.path)
    [found] = again.decisions(three.programme().checksum, three.facts().excerpt)
    assert (found.contender_id, found.round, found.kind, found.gain) == (1, 2, LEFT_OUT, -0.1)
    assert found.made_utc
    assert again.decisions(three.programme().checksum, Excerpt(1, 2)) == []
    again.close()


def test_the_plan_for_the_rest_stands_between_its_ends(three: Study) -> None:
    for contender, seconds in ((1, 2.1), (2, 2.0), (3, 2.05)):
        add_run(three, contender, 1, seconds)
    now = rivals(gather(three), [1, 2, 3])
    plan = plan_of(gather(three), now)
    assert plan is not None
    assert 0 < plan.runs_low <= plan.runs <= plan.runs_high <= 3 * 5
    assert 2 * plan.runs_low <= plan.seconds_high
    assert plan.undecided > 0.1
    words = rest_words(Rest(len(now.open), plan))
    assert words.startswith("2 could still win; about ")
    assert "reach the limit of rounds undecided" in words
    assert plan_of(gather(three), replace(now, ids=())) is None


def test_devices_and_what_was_slow_at_first_are_warmed_up(three: Study) -> None:
    three.add_contender(Contender("bundled", FAST, treat="opencl"))
    three.add_contender(Contender("standin-one", FAST))
    assert needing_warm_up(three, [1, 2, 3, 4, 5]) == {4, 5}
    for number, seconds in ((1, 2.5), (2, 2.0), (3, 2.1)):
        add_run(three, 2, number, seconds)
    assert needing_warm_up(three, [1, 2, 3]) == {2}
    assert not slow_at_first([r for r in three.runs(2) if r.round > 1])
    three.set_conduct(replace(three.facts().conduct, warm_all=True))
    assert needing_warm_up(three, [1, 2, 3]) == {1, 2, 3}


def test_earlier_studies_on_this_machine_are_the_prior_until_something_counts(three: Study) -> None:
    remember_noise(NoiseSeen("an earlier one", 0.05, 30.0, 0.25, 4.0))
    remember_noise(NoiseSeen("too little", 0.5, 3.0))
    assert [n.study for n in noise_seen()] == ["an earlier one"]
    assume_noise(three)
    conduct = three.facts().conduct
    assert (conduct.noise, conduct.noise_runs) == (pytest.approx(0.05), 30)
    weighed = (UNKNOWN.correlation * UNKNOWN.pairs + 0.25 * 4) / (UNKNOWN.pairs + 4)
    assert (conduct.noise_alike, conduct.noise_pairs) == (pytest.approx(weighed), UNKNOWN.pairs + 4)
    add_run(three, 1, 1, 4.0)
    remember_noise(NoiseSeen("another", 0.01, 300.0))
    assume_noise(three)
    assert three.facts().conduct.noise == pytest.approx(0.05), "the study says the same tomorrow"
    noise_file().write_text('[{"study": "of an earlier Ovrik", "spread": 0.02, "freedom": 12.0}]')
    assert noise_seen() == [NoiseSeen("of an earlier Ovrik", 0.02, 12.0, 0.0, 0.0)]
    noise_file().write_text('[{"study": "", "spread": 0.02, "freedom": 12.0, "correlation": 7, "pairs": 1}]')
    assert noise_seen() == []
    noise_file().write_text("[{")
    assert noise_seen() == []


def test_what_a_study_shows_of_its_noise_is_kept_for_later_ones(three: Study) -> None:
    for number in range(1, 9):
        for contender in (1, 2, 3):
            add_run(three, contender, number, 2.0 + contender + 0.05 * ((number * contender) % 3))
    keep_noise(three, gather(three))
    [seen] = noise_seen()
    found = gather(three).times.found
    assert seen.spread == pytest.approx(found.noise.shown**0.5)
    shown = found.alike_shown
    assert (seen.correlation, seen.pairs) == (pytest.approx(shown.correlation), pytest.approx(shown.pairs))
    assert 0 < seen.pairs < 18


def test_what_rests_on_an_assumption_or_on_a_limit_says_so(three: Study) -> None:
    for contender, seconds in ((1, 4.0), (2, 2.0), (3, 1.9)):
        add_run(three, contender, 1, seconds)
    judge(three, {})
    size = gather(three).of(3).mb_per_minute or 0.0  # type: ignore[union-attr]
    three.set_limits(limits(megabytes_per_minute=round(size * 0.99, 2)))
    text = verdict_text(gather(three))
    assert "Few runs so far: their spread is taken to be 3 % at first, as 30 earlier runs" in text
    assert "Close to a limit: " in text
    three.set_limits(limits(megabytes_per_minute=size * 2))
    for number in range(2, 9):
        for contender, seconds in ((1, 4.0), (2, 2.0), (3, 1.9)):
            add_run(three, contender, number, seconds)
    text = verdict_text(gather(three))
    assert "Few runs" not in text
    assert "Close to a limit" not in text
    assert "the one before them" not in text
    three.set_conduct(Conduct(noise_alike=0.9, noise_pairs=60.0))
    text = verdict_text(gather(three))
    assert "runs may resemble the one before them (correlation 0." in text
    assert "% wider" in text


def test_a_rival_that_fails_now_is_not_waited_for(three: Study) -> None:
    for contender, seconds in ((1, 4.0), (2, 2.0), (3, 2.05)):
        add_run(three, contender, 1, seconds)
    assert rivals(gather(three), [1, 2, 3]).open == (3,)
    add_run(three, 3, 2, 1.0, state="failed")
    assert rivals(gather(three), [1, 2, 3]).ids == ()


def test_no_limit_of_a_study_makes_a_plan_endless(three: Study) -> None:
    for contender, seconds in ((1, 2.0), (2, 2.0), (3, 2.0)):
        add_run(three, contender, 1, seconds)
    three.set_conduct(replace(three.facts().conduct, most_rounds=10**9))
    three.set_tie_band(0.0)
    evidence = gather(three)
    plan = plan_of(evidence, rivals(evidence, [1, 2, 3]))
    assert plan is not None
    assert plan.runs_high <= 3 * 100
