"""What limits an export, from parts whose truth is known."""

import pytest

from ovrik.analysis.forecast.ladder import Load, ladder
from ovrik.analysis.times.spread import erratic, spread_of
from ovrik.study.facts.part import ALL, DECODE, ENCODE, SOUND, TREAT, WRITE

BUSY = Load(all_cores=95.0, busiest_core=97.0)


def near(seconds: float) -> list[float]:
    """Three rounds about a time."""
    return [0.98 * seconds, seconds, 1.02 * seconds]


@pytest.mark.parametrize(
    ("parts", "limit", "says"),
    [
        (
            {DECODE: 1, TREAT: 10, ENCODE: 3.1, ALL: 10},
            TREAT,
            "Treatments are the limit; all cores are busy (95 %). The encoder would be done in 31 % of the "
            "time. A faster encoder changes little here: it can save 0 % at most.",
        ),
        ({DECODE: 1, TREAT: 6, ENCODE: 3, ALL: 10}, TREAT, "A faster encoder can save 40 % at most."),
        (
            {DECODE: 1, TREAT: 2, ENCODE: 9, ALL: 10},
            ENCODE,
            "a faster encoder or preset can save up to 80 %.",
        ),
        ({DECODE: 9, TREAT: 10, ENCODE: 2, ALL: 10}, DECODE, "Decoding is the limit"),
        ({DECODE: 9, ENCODE: 2, ALL: 10}, DECODE, "The encoder would be done in 20 %"),
        ({DECODE: 1, ENCODE: 2, SOUND: 9, ALL: 10}, SOUND, "Audio is the limit"),
        (
            {DECODE: 1, ENCODE: 2, WRITE: 9, ALL: 10},
            WRITE,
            "Writing is the limit; the disk can't take it faster",
        ),
    ],
)
def test_the_longest_part_is_the_limit(parts: dict[str, float], limit: str, says: str) -> None:
    found = ladder({n: near(s) for n, s in parts.items()}, BUSY)
    assert found is not None
    assert found.limit == limit
    assert says in found.sentence


def test_shares_are_paired_by_round_and_have_intervals() -> None:
    # The machine was twice as slow in the second round: shares do not feel it.
    found = ladder({DECODE: [1.0, 2.0, 1.0], ENCODE: [5.0, 10.1, 4.9], ALL: [10.0, 20.0, 10.0]}, BUSY)
    assert found is not None
    decode, encode = found.shares
    assert (decode.share, decode.low, decode.high) == pytest.approx((0.1, 0.1, 0.1))
    assert 0.47 < (encode.low or 0) < encode.share < (encode.high or 0) < 0.52


def test_what_a_stopped_round_left_behind_does_not_shift_the_pairs() -> None:
    found = ladder({DECODE: [9.0, 1.0, 2.0], ENCODE: [5.0, 10.0], ALL: [10.0, 20.0]}, BUSY)
    assert found is not None
    assert found.shares[0].share == pytest.approx(0.1)


def test_parts_that_can_not_be_told_apart_are_not_called() -> None:
    found = ladder({TREAT: [5.0, 5.6, 4.8], ENCODE: [5.2, 5.1, 5.3], ALL: near(10)}, BUSY)
    assert found is not None
    assert found.limit == ""
    assert "can't be told apart yet" in found.sentence


@pytest.mark.parametrize(
    ("load", "says"),
    [
        (BUSY, "all cores are busy"),
        (Load(30.0, 99.0), "one core is busy (99 %) while others idle"),
        (Load(40.0, 60.0), "the cores are 40 % busy: parts wait for one another"),
        (Load(30.0, 40.0, unit=98.0, unit_name="encoder 1"), "the device's encoder 1 is full (98 %)"),
        (Load(30.0, 40.0, unit=98.0, unit_name="encoder 1", link=92.0), "the link to the device is full"),
        (Load(30.0, 40.0, disk=97.0), "a disk is busy all the time (97 %)"),
        (Load(99.0, 99.0, memory=98.0), "memory is full (98 %)"),
    ],
)
def test_what_is_used_up_is_named(load: Load, says: str) -> None:
    found = ladder({DECODE: near(1), ENCODE: near(9), ALL: near(10)}, load)
    assert found is not None
    assert says in found.resource


def test_nothing_is_said_without_the_whole_or_without_parts() -> None:
    assert ladder({DECODE: near(1)}, BUSY) is None
    assert ladder({ALL: near(1)}, BUSY) is None


def test_spread_and_what_stands_out() -> None:
    assert spread_of([3.0]) is None
    found = spread_of([9.0, 10.0, 11.0])
    assert found is not None
    assert found.share == pytest.approx(0.1005, abs=1e-3)
    assert found.low < 9.97 < found.high
    assert erratic(0.12, [0.12, 0.01, 0.02, 0.02])
    assert not erratic(0.04, [0.04, 0.01, 0.01])
    assert not erratic(0.12, [0.12, 0.1, 0.11])
