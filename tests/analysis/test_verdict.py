"""The verdict: conformity, then limits, then time; ties stay ties."""

from dataclasses import dataclass

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.acceptance import Measured, judge, megabytes_per_minute, misses, near, standings
from ovrik.analysis.changes import Candidate, fastest
from ovrik.analysis.joint import Times, joint
from ovrik.analysis.noise import Prior
from ovrik.analysis.verdict import Entrant, Verdict
from ovrik.analysis.verdict import decide as verdict_of
from ovrik.errors import OvrikError
from ovrik.study.limit_kinds import LIMIT_KINDS
from ovrik.study.limits import READY_LIMITS, limits, ready_limits

QUIET = Prior(0.005, 3.0)


@dataclass(frozen=True)
class One:
    label: str
    times: tuple[float, ...]
    reasons: tuple[str, ...] = ()
    judged: bool = True


def entrant(label: str, *times: float, reasons: tuple[str, ...] = (), judged: bool = True) -> One:
    return One(label, times, reasons, judged)


def decide(ones: list[One], band: float, prior: Prior = QUIET, looks: int = 0) -> Verdict:
    """The verdict on times of the same rounds."""
    times = joint([Times(tuple(range(1, len(o.times) + 1)), o.times) for o in ones], prior)
    entrants = [
        Entrant(o.label, n, float(np.exp(times.logs[n])) if o.times else None, o.reasons, o.judged)
        for n, o in enumerate(ones)
    ]
    return verdict_of(entrants, times, band, looks)


SLOW = entrant("slow", 10.0, 10.1, 9.9, 10.0)
FAST = entrant("fast", 5.0, 5.05, 4.95, 5.0)


def test_the_fastest_acceptable_wins() -> None:
    verdict = decide([SLOW, FAST], 0.02)
    assert (verdict.labels, verdict.kind) == (("fast",), "one")
    assert (
        "fast is the fastest acceptable way to export, at 5.00 s: no other acceptable one is faster (95 %,"
        in verdict.sentence
    )
    assert (verdict.gain, verdict.decided) == (0.0, True)
    assert [said for _label, said, _gain in verdict.standing] == ["choice", "slower"]
    assert "Nothing timed was faster" in verdict.sentence


def test_a_faster_one_that_fails_is_named_with_its_reason() -> None:
    soft = entrant("soft", 2.0, 2.0, 2.0, 2.0, reasons=("mean VMAF 80.0 is under the floor of 93",))
    verdict = decide([SLOW, FAST, soft], 0.02)
    assert verdict.labels == ("fast",)
    assert "soft (2.00 s): mean VMAF 80.0 is under the floor of 93" in verdict.sentence


def test_a_tie_stays_a_tie() -> None:
    twin = entrant("twin", 5.01, 5.04, 4.96, 5.0)
    verdict = decide([SLOW, FAST, twin], 0.02)
    assert (verdict.kind, verdict.decided) == ("tie", True)
    assert set(verdict.labels) == {"fast", "twin"}
    assert verdict.sentence.startswith(f"{verdict.labels[0]} is the fastest acceptable")
    assert f"{verdict.labels[1]} ties with it." in verdict.sentence
    assert verdict.gain is not None
    assert 0 < verdict.gain < 0.02
    assert f"more than {100 * verdict.gain:.1f} % faster (95 %, all together)" in verdict.sentence


def test_what_could_still_be_faster_is_named_with_what_it_could_gain() -> None:
    noisy = entrant("noisy", 4.2, 5.9, 4.9, 5.6)
    verdict = decide([SLOW, FAST, noisy], 0.02)
    assert (verdict.kind, verdict.decided) == ("unsure", False)
    assert set(verdict.labels) == {"fast", "noisy"}
    assert "leads the acceptable ones" in verdict.sentence
    assert f"could still be faster, by up to {100 * verdict.gain:.0f} %" in verdict.sentence  # type: ignore[operator]


def test_single_runs_decide_what_noise_can_not_explain() -> None:
    """By hand, with a spread of 3 % known to 3 degrees of freedom: the bound is t(0.95; 3) · √2 · 3 % = 9.98 %."""
    prior = Prior(0.03, 3.0)
    bound = stats.t.ppf(0.95, 3) * np.sqrt(2) * 0.03
    near, far = 5.0 * np.exp(bound - np.log(1.02) - 0.001), 5.0 * np.exp(bound - np.log(1.02) + 0.001)
    assert not decide([entrant("a", 5.0), entrant("b", near)], 0.02, prior).decided
    found = decide([entrant("a", 5.0), entrant("b", far)], 0.02, prior)
    assert found.decided
    assert found.gain == pytest.approx(1.02 * np.exp(-0.001) - 1, abs=1e-6)


def test_looks_are_paid_for() -> None:
    once, often = (decide([SLOW, FAST, entrant("c", 5.2, 5.1, 5.3, 5.2)], 0.02, looks=n) for n in (0, 20))
    assert often.gain is not None
    assert once.gain is not None
    assert once.standing[1][2] < often.standing[1][2]


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


def found(vmaf: float | None, p5: float | None, size: float | None) -> Measured:
    values = {"vmaf_mean": vmaf, "vmaf_p5": p5, "megabytes_per_minute": size}
    return Measured({k: v for k, v in values.items() if v is not None})


ASKED = limits(vmaf_mean=93, vmaf_p5=85, megabytes_per_minute=60)


@pytest.mark.parametrize(
    ("measured", "words"),
    [
        (found(92.9, 90.0, 10.0), ["mean VMAF 92.9 is under the floor of 93"]),
        (found(92.996, 90.0, 10.0), ["mean VMAF 92.996 is under the floor of 93"]),
        (found(95.0, 84.0, 10.0), ["5th percentile of VMAF 84.0 is under the floor of 85"]),
        (found(95.0, 90.0, 60.1), ["size 60.1 MB a minute is over the ceiling of 60"]),
        (found(93.0, 85.0, 60.0), []),
        (found(None, None, None), []),
    ],
)
def test_limits(measured: Measured, words: list[str]) -> None:
    assert misses(ASKED, measured) == words
    assert misses(limits(), measured) == []


@pytest.mark.parametrize(
    ("measured", "words"),
    [
        (found(92.6, 90.0, 10.0), ["mean VMAF 92.6, floor 93"]),
        (found(93.4, 85.6, 61.1), ["mean VMAF 93.4, floor 93", "size 61.1 MB a minute, ceiling 60"]),
        (found(95.0, 84.4, 58.9), ["size 58.9 MB a minute, ceiling 60"]),
        (found(None, None, None), []),
    ],
)
def test_limits_that_are_close_to_deciding(measured: Measured, words: list[str]) -> None:
    assert near(ASKED, measured) == words
    assert near(limits(), measured) == []


@pytest.mark.parametrize(
    ("key", "limit", "kept", "missed"),
    [
        ("psnr_p1", 35.0, 35.0, 34.99),
        ("vmaf_worst_second", 80.0, 80.1, 79.9),
        ("mbit_s", 8.0, 8.0, 8.01),
        ("seconds", 12.0, 11.9, 12.1),
        ("spread", 5.0, 1.0, 6.0),
        ("memory_gb", 2.0, 1.9, 2.1),
    ],
)
def test_every_kind_of_limit(key: str, limit: float, kept: float, missed: float) -> None:
    asked = limits(**{key: limit})
    assert misses(asked, Measured({key: kept})) == []
    [words] = misses(asked, Measured({key: missed}))
    assert LIMIT_KINDS[key].title in words
    assert f"of {limit:g}" in words
    assert judge(asked, Measured()).wanting == f"the {LIMIT_KINDS[key].title} is not known"
    assert not judge(limits(), Measured()).wanting


def test_what_can_not_be_asked() -> None:
    for wrong in ({"vmaf_mean": 101.0}, {"vmaf_mean": float("nan")}, {"mbit_s": 0.0}, {"vmaf_median": 3.0}):
        with pytest.raises(OvrikError):
            limits(**wrong)


def test_ready_sets_are_plain_values() -> None:
    for name, (about, asked) in READY_LIMITS.items():
        assert ready_limits(name) is asked
        assert about
        assert asked.values
    assert ready_limits("archive master").get("vmaf_mean") > ready_limits("social clip").get("vmaf_mean")  # type: ignore[operator]


def test_with_nothing_acceptable_the_nearest_is_named() -> None:
    asked = limits(vmaf_mean=93, megabytes_per_minute=10)
    ones = {
        "soft": ({"vmaf_mean": 90.0, "megabytes_per_minute": 9.0}, 2.0),
        "large": ({"vmaf_mean": 97.0, "megabytes_per_minute": 14.0}, 4.0),
        "both": ({"vmaf_mean": 92.9, "megabytes_per_minute": 10.1}, 1.0),
        "silent": ({"vmaf_mean": 99.0, "megabytes_per_minute": 5.0}, 1.5),
    }
    times = joint([Times((1, 2), (t, t)) for _v, t in ones.values()], QUIET)
    entrants = []
    for row, (label, (values, seconds)) in enumerate(ones.items()):
        measured = Measured(values)
        missed = tuple(s for s in standings(asked, measured) if s.missed)
        reasons = ("its audio is missing",) if label == "silent" else tuple(misses(asked, measured))
        entrants.append(Entrant(label, row, seconds, reasons, True, missed))
    said = verdict_of(entrants, times, 0.02)
    assert said.nearest is not None
    # "soft" misses by 3 steps of 1, "large" by 0.4 of one; "both" misses two limits.
    assert said.nearest.label == "large"
    assert said.nearest.missed[0].margin == pytest.approx(-4.0)
    assert "large comes nearest" in said.lead
    assert verdict_of([e for e in entrants if e.label == "silent"], times, 0.02).nearest is None


def test_size_a_minute() -> None:
    assert megabytes_per_minute(2_000_000, 4.0) == pytest.approx(30.0)


def test_what_is_not_known_is_within_no_limit() -> None:
    unknown, known = Candidate("unknown", 1.0, {}), Candidate("known", 2.0, {"vmaf_mean": 95.0})
    assert fastest([unknown, known], {"vmaf_mean": 90.0}) is known
    assert fastest([unknown], {"vmaf_mean": 90.0}) is None
    assert fastest([unknown, known], {}) is unknown
