"""A series of runs goes on past what fails, tries nothing twice, and ends where it was told to."""

import time
from dataclasses import replace
from pathlib import Path

import pytest

from added_runs import add_run
from approving import allow_program
from calm import CALM
from ovrik.export.run.order import PlannedRun
from ovrik.machine.builds.build import locate
from ovrik.report.words.progress import where_words
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.disturbance import Disturbance, Disturber
from ovrik.study.question.conduct import DECIDES
from ovrik.work.campaign import rounds as campaign
from ovrik.work.campaign.asking import hopeless, open_comparisons
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.by_hand import enter_first
from ovrik.work.timing import series as timing
from ovrik.work.timing.schedule import further
from ovrik.work.timing.series import time_all

FAILING = """#!/bin/sh
case "$*" in *-crf*) echo "Error: boom" >&2; exit 3;; esac
exec "{real}" "$@"
"""


@pytest.fixture
def with_one_that_fails(study: Study, tmp_path: Path) -> tuple[Study, int]:
    """The study with a contender whose program answers questions but exports nothing, and its number."""
    program = tmp_path / "failing"
    program.write_text(FAILING.format(real=locate("bundled")))
    program.chmod(0o755)
    made = study.add_contender(Contender(allow_program(program), recipe("libx264", "ultrafast", 30)))
    return study, made.contender_id


def test_what_failed_is_not_tried_again_in_the_same_series(with_one_that_fails: tuple[Study, int]) -> None:
    study, bad = with_one_that_fails
    assert not time_all(study, further(study, [2, bad], 3))
    states = {i: [r.state for r in study.runs(i)] for i in (2, bad)}
    assert states == {2: ["done"] * 3, bad: ["failed"]}
    assert "boom" in study.runs(bad)[0].reason
    assert not time_all(study, [PlannedRun(bad, 9, False)]), "a new series tries it once more"
    assert len(study.runs(bad)) == 2


def test_a_contender_that_failed_is_not_waited_for(study: Study) -> None:
    add_run(study, 1, 1, 4.0)
    add_run(study, 2, 1, 1.0, state="failed")
    assert open_comparisons(gather(study), [1, 2]) == []
    add_run(study, 2, 2, 4.1)
    assert open_comparisons(gather(study), [1, 2]) == [2]


def test_the_hopeless_are_dropped_as_soon_as_noise_can_not_explain_it(study: Study) -> None:
    add_run(study, 1, 1, 1.0)
    add_run(study, 2, 1, 1.1)
    study.set_conduct(replace(study.facts().conduct, drop_hopeless=True))
    assert open_comparisons(gather(study), [1, 2]) == [2], "10 % may be noise"
    for number in (2, 3, 4):
        add_run(study, 1, number, 1.0 + number / 1000)
        add_run(study, 2, number, 1.1 + number / 1000)
    assert gather(study).summaries[1].answer == "slower"
    assert open_comparisons(gather(study), [1, 2]) == []


@pytest.mark.parametrize("decides", DECIDES)
@pytest.mark.parametrize("minutes", [0.0, 2.5])
def test_the_limit_of_minutes_reaches_the_runs(
    study: Study, monkeypatch: pytest.MonkeyPatch, minutes: float, decides: str
) -> None:
    until: list[float | None] = []
    monkeypatch.setattr(
        campaign, "time_all", lambda _s, _t, _w, _stop, end, _views: until.append(end) or True
    )
    study.set_conduct(replace(CALM, until_decided=True, decides=decides, most_minutes=minutes))
    began = time.monotonic()
    assert campaign.time_line_up(study, [1, 2], 1)
    assert len(until) == 1
    if minutes:
        assert until[0] == pytest.approx(began + 60 * minutes, abs=30)
    else:
        assert until[0] is None


def test_no_run_begins_after_the_end(study: Study) -> None:
    time_all(study, further(study, [1, 2], 2), until=time.monotonic() - 1)
    assert study.runs() == []


def test_a_new_series_has_numbers_of_its_own(study: Study) -> None:
    add_run(study, 1, 4, 2.0)
    assert sorted({p.round for p in further(study, [1, 2], 2)}) == [5, 6]
    assert {p.contender_id for p in further(study, [1, 2], 2)} == {1, 2}


def test_a_disturbed_run_is_repeated_at_the_end_of_its_round(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls: list[int] = []

    def once(*_given: object) -> tuple[Disturbance, ...]:
        calls.append(1)
        return (Disturbance(Disturber.PROGRAMS, 0.4, (("backup", 0.8),)),) if len(calls) == 1 else ()

    monkeypatch.setattr(timing, "disturbances", once)
    study.set_conduct(replace(CALM, repeat_disturbed=True))
    todo = [PlannedRun(c, n, False) for n, c in ((1, 1), (1, 2), (2, 2), (2, 1))]
    told = list[str]()
    assert time_all(study, todo, lambda update: told.append(where_words(update)) if update.ended else None)
    assert told[0] == "round 1"
    assert (
        told[2] == "round 1 once more: other programs used 40 % of the processors (backup 80 % of a core)"
    ), "and why"
    assert not any("once more" in words for words in (*told[:2], *told[3:]))
    made = [(r.contender_id, r.round, bool(r.disturbed)) for r in study.runs()]
    assert made == [(1, 1, True), (2, 1, False), (1, 1, False), (2, 2, False), (1, 2, False)]
    assert [s.rounds for s in gather(study).summaries[:2]] == [2, 2]


def test_who_exports_faster_after_a_long_pre_render_is_hopeless(study: Study) -> None:
    """The whole cost tells who can still win, in this as in the choice."""
    study.set_conduct(replace(study.facts().conduct, drop_hopeless=True))
    for number in (1, 2, 3, 4):
        add_run(study, 1, number, 8.0 + number / 1000)
        add_run(study, 2, number, 4.0 + number / 1000)
    plain = gather(study)
    assert not any(hopeless(plain, s) for s in plain.summaries)
    enter_first(study, study.contenders()[1], 30.0)
    dear = gather(study)
    assert [s.contender.contender_id for s in dear.summaries if hopeless(dear, s)] == [2]
