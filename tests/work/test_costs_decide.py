"""Who is timed further, and for how long, goes by the whole cost, as the verdict does."""

from dataclasses import replace

import pytest

from added_runs import add_run
from ovrik.store.study import Study
from ovrik.work.answers.rivals import plan_of, rivals
from ovrik.work.evidence.gathered import gather
from ovrik.work.outside.by_hand import enter_first


@pytest.fixture
def timed(study: Study) -> Study:
    """Three contenders, of which the quickest export needs a minute first."""
    for number in range(1, 5):
        for row, (contender, seconds) in enumerate(zip(study.contenders(), (10.0, 10.3, 3.0), strict=False)):
            add_run(study, contender.contender_id, number, seconds + 0.02 * ((number + row) % 3))
    enter_first(study, study.contenders()[2], 60.0)
    study.set_conduct(replace(study.facts().conduct, until_decided=True))
    return study


def test_an_export_that_is_quick_after_a_minute_is_no_rival(timed: Study) -> None:
    e = gather(timed)
    ids = [c.contender_id for c in timed.contenders()]
    found = rivals(e, ids)
    assert found.contest.best is not None
    assert found.contest.best.choice == e.summaries[0].entrant.row
    assert ids[2] not in found.open, "three seconds, but a minute before"
    many = timed.facts().worth
    timed.set_worth(replace(many, exports_a_film=50.0))
    found = rivals(gather(timed), ids)
    assert found.contest.best is not None
    assert found.contest.best.choice == e.summaries[2].entrant.row, (
        "of fifty exports a film it is the quickest"
    )


def test_what_it_will_still_take_is_the_time_of_runs(timed: Study) -> None:
    """What comes first is no part of a run: with half a minute more for each the plan is as long as without it."""
    ids = [c.contender_id for c in timed.contenders()]
    for c in timed.contenders()[:2]:
        enter_first(timed, c, 30.0)
    e = gather(timed)
    found = rivals(e, ids)
    plan = plan_of(e, found)
    assert plan is not None
    assert plan.seconds < 15.0 * plan.runs, "runs of ten seconds, not costs of forty"
