"""The verdict: conformity, then limits, then time; ties stay ties."""

import pytest

from ovrik.analysis.acceptance import Measured, megabytes_per_minute, misses
from ovrik.analysis.verdict import Entrant, decide, shared_times
from ovrik.study.limits import Limits


def entrant(label: str, *times: float, reasons: tuple[str, ...] = (), judged: bool = True) -> Entrant:
    ordered = sorted(times)
    median = ordered[len(ordered) // 2] if ordered else None
    return Entrant(label, dict(enumerate(times, 1)), median, reasons, judged)


SLOW = entrant("slow", 10.0, 10.1, 9.9, 10.0)
FAST = entrant("fast", 5.0, 5.05, 4.95, 5.0)


def test_the_fastest_acceptable_wins() -> None:
    verdict = decide([SLOW, FAST], 0.02)
    assert (verdict.labels, verdict.kind) == (("fast",), "one")
    assert (
        "fast is the fastest acceptable way to export, at 5.00 s, ahead of slow at 10.00 s"
        in verdict.sentence
    )
    assert "Nothing timed was faster" in verdict.sentence


def test_a_faster_one_that_fails_is_named_with_its_reason() -> None:
    soft = entrant("soft", 2.0, 2.0, 2.0, 2.0, reasons=("mean VMAF 80.0 is under the floor of 93",))
    verdict = decide([SLOW, FAST, soft], 0.02)
    assert verdict.labels == ("fast",)
    assert "soft (2.00 s): mean VMAF 80.0 is under the floor of 93" in verdict.sentence


def test_a_tie_stays_a_tie() -> None:
    twin = entrant("twin", 5.01, 5.04, 4.96, 5.0)
    verdict = decide([SLOW, FAST, twin], 0.02)
    assert verdict.kind == "tie"
    assert set(verdict.labels) == {"fast", "twin"}
    assert "tie for the fastest" in verdict.sentence


def test_what_can_not_be_told_apart_is_said_so() -> None:
    noisy = entrant("noisy", 4.2, 5.9, 4.9, 5.6)
    verdict = decide([SLOW, FAST, noisy], 0.02)
    assert verdict.kind == "unsure"
    assert set(verdict.labels) == {"fast", "noisy"}
    assert "can't be told" in verdict.sentence
    assert verdict.more_rounds
    assert str(verdict.more_rounds) in verdict.sentence


def test_single_runs_decide_nothing() -> None:
    verdict = decide([entrant("a", 5.0), entrant("b", 9.0)], 0.02)
    assert verdict.kind == "unsure"
    assert "at least 1 more round" in verdict.sentence


def test_nothing_acceptable() -> None:
    verdict = decide([entrant("a", 5.0, 5.0, reasons=("its audio is missing",))], 0.02)
    assert (verdict.labels, verdict.kind) == ((), "none")
    assert "its audio is missing" in verdict.sentence


def test_nothing_timed_or_checked() -> None:
    assert "nothing has been timed" in decide([entrant("a")], 0.02).sentence
    unchecked = decide([entrant("a", 5.0, 5.1, judged=False)], 0.02)
    assert unchecked.labels == ()
    assert "a still to be checked" in unchecked.sentence


def test_an_unchecked_faster_one_is_not_taken_for_acceptable() -> None:
    verdict = decide([FAST, entrant("new", 1.0, 1.0, judged=False)], 0.02)
    assert verdict.labels == ("fast",)
    assert "new (1.00 s): its output has not been checked yet" in verdict.sentence


def test_pairs_are_by_round() -> None:
    assert shared_times({1: 1.0, 3: 3.0, 4: 4.0}, {3: 30.0, 1: 10.0, 2: 20.0}) == ([1.0, 3.0], [10.0, 30.0])


@pytest.mark.parametrize(
    ("found", "words"),
    [
        (Measured(92.9, 90.0, 10.0), ["mean VMAF 92.9 is under the floor of 93"]),
        (Measured(95.0, 84.0, 10.0), ["5th percentile of VMAF 84.0 is under the floor of 85"]),
        (Measured(95.0, 90.0, 60.1), ["size 60.1 MB a minute is over the ceiling of 60"]),
        (Measured(93.0, 85.0, 60.0), []),
        (Measured(None, None, None), []),
    ],
)
def test_limits(found: Measured, words: list[str]) -> None:
    assert misses(Limits(93, 85, 60), found) == words
    assert misses(Limits(), found) == []


def test_size_a_minute() -> None:
    assert megabytes_per_minute(2_000_000, 4.0) == pytest.approx(30.0)
