"""A machine of which nothing is known: a short series of a fixed job says of what order runs spread."""

import math
import statistics
from collections.abc import Callable

import pytest

from added_runs import add_run
from ovrik.errors import Stopped
from ovrik.machine.workstation.noise_seen import NoiseSeen, remember_noise
from ovrik.report.words.numbers import assumed_words
from ovrik.store.records.made import PartRecord
from ovrik.store.study import Study
from ovrik.study.facts.part import ALL
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.conduct import STATED_NOISE
from ovrik.work.evidence import fixed_job, noise
from ovrik.work.evidence.counted_times import prior_of
from ovrik.work.evidence.fixed_job import begun_with, spread_of_job
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.noise import assume_noise
from ovrik.work.evidence.repeats import shown_by_repeats


def job(monkeypatch: pytest.MonkeyPatch, found: float | None) -> list[str]:
    told = list[str]()
    monkeypatch.setattr(noise, "spread_of_job", lambda _stop: told.append("made") or found)
    return told


def test_it_is_made_once_where_nothing_is_known_and_said_before(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    told = job(monkeypatch, 0.012)
    assume_noise(study, say=lambda: told.append("said"))
    assert told == ["said", "made"]
    conduct = study.facts().conduct
    assert (conduct.noise_job, conduct.noise, conduct.noise_runs) == (0.012, pytest.approx(0.048), 0)
    assert prior_of(conduct).fades, "an order of magnitude, which the runs themselves soon outweigh"
    assume_noise(study)
    assert len(told) == 2
    assert study.facts().conduct == conduct
    add_run(study, study.contenders()[0].contender_id, 1, 3.0)
    assert "a short fixed job, which spread by 1.2 % here" in assumed_words(gather(study))


def test_earlier_runs_here_say_more_than_a_job(study: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    told = job(monkeypatch, 0.2)
    remember_noise(NoiseSeen("an earlier one", 0.05, 30.0, 0.2, 4.0))
    assume_noise(study)
    assert told == []
    assert (study.facts().conduct.noise, study.facts().conduct.noise_job) == (pytest.approx(0.05), 0.0)


def test_a_job_that_can_not_be_made_leaves_what_is_usual(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    job(monkeypatch, None)
    assume_noise(study)
    assert (study.facts().conduct.noise, study.facts().conduct.noise_job) == (STATED_NOISE, 0.0)


@pytest.mark.parametrize(("spread", "begins"), [(0.0, 0.04), (0.03, 0.12), (5.0, 0.3)])
def test_what_is_begun_with_stays_within_what_can_be(spread: float, begins: float) -> None:
    assert begun_with(spread) == pytest.approx(begins)


def test_the_job_is_real_and_its_first_run_only_warms_up(monkeypatch: pytest.MonkeyPatch) -> None:
    took = list[float]()
    real: Callable[..., float] = fixed_job._took
    monkeypatch.setattr(fixed_job, "_took", lambda *given: took.append(real(*given)) or took[-1])
    found = spread_of_job(times=4)
    assert len(took) == 4
    assert found == pytest.approx(statistics.stdev(math.log(s) for s in took[1:]))
    monkeypatch.setattr(fixed_job, "JOB", ("-f", "nonsense"))
    assert spread_of_job(times=2) is None
    monkeypatch.undo()
    with pytest.raises(Stopped):
        spread_of_job(lambda: True, times=2)


def test_what_was_made_again_shows_it_too(study: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    """Segments that were timed twice, and warm-ups after the first one, count as earlier runs do."""
    told = job(monkeypatch, 0.2)
    place = study.programme()
    for number in range(6):
        for wall in (2.0, 2.2):
            study.keep_part(PartRecord(1, Excerpt(number, 5), ALL, ("x",), wall, None, 1.0, {}), place)
    [six] = filter(None, [shown_by_repeats(study)])
    assert six.freedom == 6
    for wall in (9.0, 2.0, 2.2, 2.1, 2.0, 2.1):
        add_run(study, 1, 0, wall, warmup=True)
    [found] = filter(None, [shown_by_repeats(study)])
    warm = [math.log(s) for s in (2.0, 2.2, 2.1, 2.0, 2.1)]
    squares = 6 * math.log(1.1) ** 2 / 2 + sum((s - statistics.fmean(warm)) ** 2 for s in warm)
    assert found.freedom == 10
    assert found.spread == pytest.approx((squares / 10) ** 0.5), "9 s was the first start"
    assume_noise(study)
    assert told == [], "a machine of which ten things are known needs no job"
    assert study.facts().conduct.noise == pytest.approx(found.spread)
