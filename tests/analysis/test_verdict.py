"""The verdict: conformity, then limits, then time; ties stay ties."""

from dataclasses import dataclass

import numpy as np
import pytest
from scipy import stats

from ovrik.analysis.choice.changes import chosen
from ovrik.analysis.choice.entrant import (
    Entrant,
    Judgement,
    Measured,
    Wanting,
    first_of,
    judge,
    megabytes_per_minute,
    near,
)
from ovrik.analysis.choice.verdict import Answer, Outcome, Verdict
from ovrik.analysis.choice.verdict import decide as verdict_of
from ovrik.analysis.times.joint import Times, joint
from ovrik.analysis.times.noise import Prior
from ovrik.errors import OvrikError
from ovrik.report.words.reasons import close_words, reason_words, wanting_words
from ovrik.report.words.verdict import _lead, _why_not
from ovrik.study.facts.reason import Against, Reason
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.study.question.limits import READY_LIMITS, Limits, limits

QUIET = Prior(0.005, 3.0)


@dataclass(frozen=True)
class One:
    label: str
    times: tuple[float, ...]
    reasons: tuple[Reason, ...] = ()
    judged: bool = True


def entrant(label: str, *times: float, reasons: tuple[Reason, ...] = (), judged: bool = True) -> One:
    return One(label, times, reasons, judged)


@dataclass(frozen=True)
class Said:
    """A verdict with the labels of those that it speaks of."""

    verdict: Verdict
    names: tuple[str, ...]

    def label(self, contender_id: int | None) -> str:
        return "" if contender_id is None else self.names[contender_id]

    @property
    def labels(self) -> tuple[str, ...]:
        return tuple(map(self.label, self.verdict.ids))

    @property
    def sentence(self) -> str:
        return f"{_lead(self.verdict, self.label, False)} {_why_not(self.verdict, self.label)}".strip()


def decide(ones: list[One], band: float, prior: Prior = QUIET, looks: int = 0) -> Said:
    """The verdict on times of the same rounds."""
    times = joint([Times(tuple(range(1, len(o.times) + 1)), o.times) for o in ones], prior)
    usual = [float(np.exp(times.logs[n])) if o.times else None for n, o in enumerate(ones)]
    entrants = [Entrant(n, n, usual[n], usual[n], faults=o.reasons) for n, o in enumerate(ones)]
    judged = {
        n: Judgement(o.reasons, wanting=() if o.judged else (Wanting.CHECK,)) for n, o in enumerate(ones)
    }
    return Said(verdict_of(entrants, judged, times, band, looks), tuple(o.label for o in ones))


SLOW = entrant("slow", 10.0, 10.1, 9.9, 10.0)
FAST = entrant("fast", 5.0, 5.05, 4.95, 5.0)


def test_the_fastest_acceptable_wins() -> None:
    said = decide([SLOW, FAST], 0.02)
    assert (said.labels, said.verdict.outcome) == (("fast",), Outcome.ONE)
    assert (
        "fast is the fastest acceptable way to export, at 5.00 s: no other acceptable one is faster (95 %,"
        in said.sentence
    )
    assert (said.verdict.gain, said.verdict.decided) == (0.0, True)
    assert [p.answer for p in said.verdict.places.values()] == [Answer.CHOICE, Answer.SLOWER]
    assert "Nothing timed was faster" in said.sentence


def test_a_faster_one_that_fails_is_named_with_its_reason() -> None:
    low = Reason(Against.LIMIT, limit="vmaf_mean", value=80.0, bound=93.0)
    said = decide([SLOW, FAST, entrant("soft", 2.0, 2.0, 2.0, 2.0, reasons=(low,))], 0.02)
    assert said.labels == ("fast",)
    assert "soft (2.00 s): mean VMAF 80.0 is under the floor of 93" in said.sentence


def test_a_tie_stays_a_tie() -> None:
    twin = entrant("twin", 5.01, 5.04, 4.96, 5.0)
    said = decide([SLOW, FAST, twin], 0.02)
    assert (said.verdict.outcome, said.verdict.decided) == (Outcome.TIE, True)
    assert set(said.labels) == {"fast", "twin"}
    assert said.sentence.startswith(f"{said.labels[0]} is the fastest acceptable")
    assert f"{said.labels[1]} ties with it." in said.sentence
    gain = said.verdict.gain
    assert gain is not None
    assert 0 < gain < 0.02
    assert f"more than {100 * gain:.1f} % faster (95 %, all together)" in said.sentence


def test_what_could_still_be_faster_is_named_with_what_it_could_gain() -> None:
    noisy = entrant("noisy", 4.2, 5.9, 4.9, 5.6)
    said = decide([SLOW, FAST, noisy], 0.02)
    assert (said.verdict.outcome, said.verdict.decided) == (Outcome.UNSURE, False)
    assert set(said.labels) == {"fast", "noisy"}
    assert "leads the acceptable ones" in said.sentence
    assert f"could still be faster, by up to {100 * said.verdict.gain:.0f} %" in said.sentence  # type: ignore[operator]


def test_single_runs_decide_what_noise_can_not_explain() -> None:
    """By hand, with a spread of 3 % known to 3 degrees of freedom: the bound is t(0.95; 3) · √2 · 3 % = 9.98 %."""
    prior = Prior(0.03, 3.0)
    bound = stats.t.ppf(0.95, 3) * np.sqrt(2) * 0.03
    near, far = 5.0 * np.exp(bound - np.log(1.02) - 0.001), 5.0 * np.exp(bound - np.log(1.02) + 0.001)
    assert not decide([entrant("a", 5.0), entrant("b", near)], 0.02, prior).verdict.decided
    found = decide([entrant("a", 5.0), entrant("b", far)], 0.02, prior).verdict
    assert found.decided
    assert found.gain == pytest.approx(1.02 * np.exp(-0.001) - 1, abs=1e-6)


def test_looks_are_paid_for() -> None:
    ones = [SLOW, FAST, entrant("c", 5.2, 5.1, 5.3, 5.2)]
    once, often = (decide(ones, 0.02, looks=n).verdict.places[2].gain for n in (0, 20))
    assert once is not None
    assert often is not None
    assert once < often


def test_nothing_acceptable() -> None:
    silent = Reason(Against.CHECKS, "its audio is missing")
    said = decide([entrant("a", 5.0, 5.0, reasons=(silent,))], 0.02)
    assert (said.labels, said.verdict.outcome) == ((), Outcome.NOTHING)
    assert "its audio is missing" in said.sentence


def test_nothing_timed_or_checked() -> None:
    assert "nothing has been timed" in decide([entrant("a")], 0.02).sentence
    unchecked = decide([entrant("a", 5.0, 5.1, judged=False)], 0.02)
    assert unchecked.labels == ()
    assert "a still to be checked" in unchecked.sentence


def test_an_unchecked_faster_one_is_not_taken_for_acceptable() -> None:
    said = decide([FAST, entrant("new", 1.0, 1.0, judged=False)], 0.02)
    assert said.labels == ("fast",)
    assert "new (1.00 s): its output has not been checked yet" in said.sentence


def misses(limits: Limits, found: Measured) -> list[str]:
    return [reason_words(r) for r in judge(Entrant(1, 0, None, None, measured=found), limits).reasons]


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
    assert [close_words(x) for x in near(ASKED, measured)] == words
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
    unknown = Entrant(1, 0, None, None)
    assert wanting_words(judge(unknown, asked).wanting) == f"the {LIMIT_KINDS[key].title} is not known"
    assert judge(unknown, limits()).judged


def test_what_can_not_be_asked() -> None:
    for wrong in ({"vmaf_mean": 101.0}, {"vmaf_mean": float("nan")}, {"mbit_s": 0.0}, {"vmaf_median": 3.0}):
        with pytest.raises(OvrikError):
            limits(**wrong)


def test_ready_sets_are_plain_values() -> None:
    for name, (about, asked) in READY_LIMITS.items():
        assert about, name
        assert asked.values
    floors = [READY_LIMITS[name][1].get("vmaf_mean") for name in ("archive master", "social clip")]
    assert floors[0] > floors[1]  # type: ignore[operator]


def test_with_nothing_acceptable_the_nearest_is_named() -> None:
    asked = limits(vmaf_mean=93, megabytes_per_minute=10)
    ones = {
        "soft": ({"vmaf_mean": 90.0, "megabytes_per_minute": 9.0}, 2.0),
        "large": ({"vmaf_mean": 97.0, "megabytes_per_minute": 14.0}, 4.0),
        "both": ({"vmaf_mean": 92.9, "megabytes_per_minute": 10.1}, 1.0),
        "silent": ({"vmaf_mean": 99.0, "megabytes_per_minute": 5.0}, 1.5),
    }
    times = joint([Times((1, 2), (t, t)) for _v, t in ones.values()], QUIET)
    silent = (Reason(Against.CHECKS, "its audio is missing"),)
    entrants = [
        Entrant(n, n, seconds, seconds, measured=Measured(values), faults=silent if label == "silent" else ())
        for n, (label, (values, seconds)) in enumerate(ones.items())
    ]
    judged = {e.contender_id: judge(e, asked) for e in entrants}
    found = verdict_of(entrants, judged, times, 0.02)
    # "soft" misses by 3 steps of 1, "large" by 0.4 of one; "both" misses two limits.
    assert found.nearest == 1
    assert found.places[1].by.missed[0].margin == pytest.approx(-4.0)
    assert "large comes nearest" in Said(found, tuple(ones)).sentence
    assert verdict_of(entrants[3:], judged, times, 0.02).nearest is None


def test_size_a_minute() -> None:
    assert megabytes_per_minute(2_000_000, 4.0) == pytest.approx(30.0)


def test_what_is_not_known_is_within_no_limit() -> None:
    unknown = Entrant(1, 0, 1.0, 1.0)
    known = Entrant(2, 1, 2.0, 2.0, measured=Measured({"vmaf_mean": 95.0}))
    assert chosen([unknown, known], limits(vmaf_mean=90.0)) is known
    assert chosen([unknown], limits(vmaf_mean=90.0)) is None
    assert chosen([unknown, known], limits()) is unknown


def test_one_order_puts_an_unknown_size_last() -> None:
    """The decider and what would change it chose otherwise: one took an unknown size for the smallest, one for the
    largest."""
    small, large, unknown = (Entrant(n, n, 5.0, 5.0, bytes=size) for n, size in enumerate((9, 10, None)))
    times = joint([Times((1, 2), (5.0, 5.0))] * 3, QUIET)
    for some in ([unknown, large], [large, unknown], [unknown, small, large]):
        judged = {e.contender_id: Judgement() for e in some}
        choice = verdict_of(some, judged, times, 0.02).choice
        first = first_of(some)
        assert first is not None
        assert choice == first.contender_id == chosen(some, limits()).contender_id  # type: ignore[union-attr]
        assert choice != unknown.contender_id
