"""Rounds: each contender once, shuffled anew, warm-up first, nothing done twice."""

from ovrik.export.run.order import planned_runs


def test_every_round_holds_everyone_once() -> None:
    made = planned_runs([1, 2, 3, 4], range(1, 6), 1, seed=7)
    assert [t.contender_id for t in made[:4]] == [1, 2, 3, 4]
    assert all(t.warmup and t.round == 0 for t in made[:4])
    for number in range(1, 6):
        assert sorted(t.contender_id for t in made if t.round == number) == [1, 2, 3, 4]
    assert [t.round for t in made[4:]] == [n for n in range(1, 6) for _ in range(4)]


def test_orders_differ_between_rounds_and_repeat_with_the_seed() -> None:
    made = planned_runs(list(range(8)), range(1, 9), 0, seed=3)
    orders = {tuple(t.contender_id for t in made if t.round == n) for n in range(1, 9)}
    assert len(orders) == 8
    assert made == planned_runs(list(range(8)), range(1, 9), 0, seed=3)
    assert made != planned_runs(list(range(8)), range(1, 9), 0, seed=4)


def test_a_rounds_order_does_not_depend_on_the_rounds_before() -> None:
    late = [t for t in planned_runs([1, 2, 3, 4, 5], range(1, 9), 0, 3) if t.round == 8]
    assert planned_runs([1, 2, 3, 4, 5], [8], 0, 3) == late


def test_what_is_done_is_left_out_and_needs_no_warm_up() -> None:
    done = frozenset({(1, 1, 0), (1, 2, 0), (2, 1, 0)})
    made = planned_runs([1, 2], [1, 2], 1, 5, done)
    assert [(t.contender_id, t.round, t.warmup) for t in made] == [(2, 0, True), (2, 2, False)]
    assert planned_runs([1], [1, 2], 1, 5, done) == []


def test_position_is_balanced_over_many_rounds() -> None:
    first = [t.contender_id for t in planned_runs([1, 2, 3, 4], range(1, 401), 0, 9)][::4]
    assert all(60 <= first.count(c) <= 140 for c in (1, 2, 3, 4))
