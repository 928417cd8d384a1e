"""Outputs are checked between rounds, when there is one of each, and never while runs are made."""

from pathlib import Path

import pytest
from test_series import FAILING

from approving import allow_program
from calm import CALM
from ovrik.errors import Stopped
from ovrik.machine.builds.build import locate
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.work.campaign import rounds
from ovrik.work.checking.scoring import ScoringUpdate
from ovrik.work.timing.update import TimingUpdate, share_done


def line_up(
    study: Study, count: int, ids: tuple[int, ...] = (1, 2), **more: bool
) -> tuple[list[str], list[TimingUpdate], bool]:
    """What was done, in order: the label of each run that ended, "checked" for each output."""
    done, told = list[str](), list[TimingUpdate]()
    labels = {c.label: str(c.contender_id) for c in study.contenders()}

    def timed(update: TimingUpdate) -> None:
        told.append(update)
        if update.ended:
            done.append(labels[update.label])

    def checked(update: ScoringUpdate) -> None:
        if update.ended:
            done.append("checked")

    well = rounds.time_line_up(study, ids, count, timed, checked=checked, **more)
    return done, told, well


def test_after_the_first_round_outputs_are_checked(study: Study) -> None:
    study.set_conduct(CALM)
    done, told, well = line_up(study, 3)
    assert well
    assert sorted(done[:2]) == ["1", "2"]
    assert done[2:4] == ["checked"] * 2
    assert sorted(done[4:]) == ["1", "1", "2", "2"]
    numbers = [u.number for u in told if u.ended]
    assert numbers == [1, 2, 3, 4, 5, 6]
    assert {u.total for u in told} == {6}, "one course, whatever its parts"
    shares = [share_done(u) for u in told if u.ended]
    assert shares == [n / 6 for n in range(1, 7)]
    asked = [u for u in told if u.ended and u.left][1]
    assert asked.left is not None
    took = min(r.wall_s or 0.0 for r in study.runs())
    assert asked.left.seconds > 3.5 * took, "after the first round it is told how long all of the others take"


def test_unless_nothing_is_to_be_checked(study: Study) -> None:
    study.set_conduct(CALM)
    done, _told, well = line_up(study, 2, check=False)
    assert well
    assert "checked" not in done
    assert len(done) == 4


def test_who_failed_in_the_first_round_gets_no_other(study: Study, tmp_path: Path) -> None:
    program = tmp_path / "failing"
    program.write_text(FAILING.format(real=locate("bundled")))
    program.chmod(0o755)
    bad = study.add_contender(Contender(allow_program(program), recipe("libx264", "ultrafast", 30)))
    study.set_conduct(CALM)
    done, told, well = line_up(study, 3, (1, 2, bad.contender_id))
    assert not well
    assert done.count(str(bad.contender_id)) == 1
    assert done.count("1") == done.count("2") == 3
    assert told[-1].number == told[-1].total


def test_stopped_while_outputs_are_checked_no_round_follows(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    def stopped(*_given: object) -> int:
        raise Stopped

    study.set_conduct(CALM)
    monkeypatch.setattr(rounds, "score_all", stopped)
    with pytest.raises(Stopped):
        line_up(study, 2)
    assert len(study.runs()) == 2
