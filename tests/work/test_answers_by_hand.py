"""What a study answers from what is on file, worked out here once more by hand or by scipy."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from scipy import stats

from added_runs import BUILD, add_run, scored
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.analysis.times.estimate import Forecast
from ovrik.errors import OvrikError, PassingTrouble
from ovrik.export.run.process import Usage
from ovrik.export.run.timed import RunResult
from ovrik.machine.workstation.noise_seen import noise_seen
from ovrik.quality.reference.key import reference_key
from ovrik.store.records.score import BITS, MetricScores, ScoreRecord
from ovrik.store.records.searched import SearchPoint
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, factors_of
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.device_use import Showed
from ovrik.study.facts.notes import REFERENCE, Blind, BlindChoice, Spot
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.question.conduct import BASELINE, Conduct
from ovrik.study.question.limit_kinds import PEAK
from ovrik.study.question.worth import Worth
from ovrik.work.answers.equal_curves import SIZE, equal_base, equal_curves
from ovrik.work.answers.estimate import Estimate, estimates_together
from ovrik.work.answers.factors import factors
from ovrik.work.answers.pairs import compare
from ovrik.work.answers.sittings import gather_sittings
from ovrik.work.apart.parts import MOST_RAW_BYTES, short_enough
from ovrik.work.campaign import rounds
from ovrik.work.campaign.asking import Next, asking
from ovrik.work.campaign.equal_quality import Search
from ovrik.work.checking import playback
from ovrik.work.checking.blind import told_words
from ovrik.work.checking.one_pass import lacking
from ovrik.work.checking.playback import play_outputs
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.noise import keep_noise
from ovrik.work.evidence.outputs_on_disk import output_path
from ovrik.work.evidence.shown_files import Looked, output_of
from ovrik.work.outside import watching
from ovrik.work.prepare.asked_devices import fell_back
from ovrik.work.timing.fairness import _busiest


def test_estimates_of_several_excerpts_add_up() -> None:
    own = {1: Forecast(10.0, 8.0, 13.0, "runs")}
    one = Estimate(10.0, 8.0, 13.0, runs=4, bytes=100, missing=1, by_contender=own, once=2.0, rests=3.0)
    other = Estimate(20.0, 17.0, 25.0, runs=6, bytes=300, missing=2, by_contender={}, once=1.0, rests=4.0)
    both = estimates_together([one, other])
    assert (both.seconds, both.low, both.high, both.runs, both.bytes) == (30.0, 25.0, 38.0, 10, 400)
    assert (both.missing, both.once, both.rests) == (2, 3.0, 7.0)
    assert both.by_contender == own, "those on the first of them"
    unknown = estimates_together([one, replace(other, seconds=None, bytes=None, rests=None)])
    assert (unknown.seconds, unknown.bytes, unknown.rests) == (None, None, None)
    assert estimates_together([replace(one, rests=0.0), other]).rests == 4.0
    assert estimates_together([one]) is one


def test_deciding_stops_at_so_many_minutes(study: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    study.set_conduct(replace(study.facts().conduct, most_minutes=2.0))
    until: list[float | None] = []
    monkeypatch.setattr(rounds, "time_all", lambda _s, _t, _w, _stop, u, _v: until.append(u) or True)
    now = [1000.0]
    monkeypatch.setattr(rounds, "time", SimpleNamespace(monotonic=lambda: now[0]))
    asked: list[int] = []

    def following(ids: Sequence[int], made: int) -> Next:
        asked.append(made)
        now[0] += 50.0
        return Next(tuple(ids), frozenset(ids))

    ask: Any = SimpleNamespace(views=[study], checks=False, warm_up=lambda _ids: {}, next=following)
    assert rounds.until_decided(study, [1, 2], ask)
    assert until == [1120.0], "nobody had a run out of the first round, so nobody is timed again"
    assert asked == [0, 1]


@pytest.mark.parametrize(("took", "chose", "trials"), [(0, 0, 10), (9, 9, 10), (2, 1, 12), (12, 12, 12)])
def test_blind_answers_come_with_an_exact_interval(took: int, chose: int, trials: int) -> None:
    choices = tuple(BlindChoice(0, True, n < chose, 1.0) for n in range(trials))
    blind = Blind("a", "b", "key", "me", "near", (Spot(0, (0.0, 0.0, 1.0, 1.0)),), 20, choices)
    said = told_words(blind, "A", "B")
    mine = chose if chose > trials / 2 else trials - chose
    if "nearer" in said:
        exact = stats.binomtest(mine, trials).proportion_ci(method="exact")
        assert f"{mine} of {trials} (95 % interval {100 * exact.low:.0f} to {100 * exact.high:.0f} %)" in said
        assert said.startswith("A" if chose > trials / 2 else "B")
    else:
        assert f"A was chosen in {chose} of {trials}" in said


def test_told_from_the_reference_is_said_so() -> None:
    choices = tuple(BlindChoice(0, True, False, 1.0) for _ in range(12))
    spots = (Spot(0, (0.0, 0.0, 1.0, 1.0)),)
    said = told_words(Blind("a", REFERENCE, "key", "me", "near", spots, 20, choices), "A", "the reference")
    assert said.startswith("You told it from the reference: 12 of 12")
    assert told_words(Blind("a", "b", "key", "me", "near", spots, 20), "A", "B") == "No answer yet."


def test_any_pair_is_compared_at_the_level_of_all_pairs(study: Study) -> None:
    study.add_contender(Contender("bundled", recipe("libx264", "fast", 20), label="fourth"))
    for cid, wall in ((1, 4.0), (2, 8.0), (3, 4.1), (4, 6.0)):
        for n in range(1, 5):
            add_run(study, cid, n, wall * (1 + 0.002 * n))
    found = compare(gather(study), 1, 2)
    assert found is not None
    assert found.among == math.comb(4, 2)
    assert found.answer == "slower"
    assert found.ratio is not None
    assert found.ratio.value == pytest.approx(0.5, rel=0.01)
    assert compare(gather(study), 1, 99) is None


def test_factors_are_told_against_the_baselines_levels(study: Study) -> None:
    for preset, quality in (("veryfast", 30), ("ultrafast", 24)):  # the other two of a grid
        made = recipe("libx264", preset, quality, container="mov", sound="pcm_s16le")
        study.add_contender(Contender("bundled", made, label=preset))
    study.drop_contender(3)
    study.set_baseline(2)
    for cid, wall in ((1, 4.0), (2, 8.0), (4, 6.0), (5, 5.0)):
        for n in range(1, 4):
            add_run(study, cid, n, wall * (1 + 0.002 * n))
    found = factors(gather(study))
    base = study.contenders()[1]
    known = factors_of(study.contenders())
    assert found.effects
    assert {e.key: e.base for e in found.effects} == {e.key: known[e.key].words(base) for e in found.effects}


def test_what_a_studys_runs_show_of_noise_is_their_own_spread(study: Study) -> None:
    """The pooled spread of the logs around each contender's and each round's mean, of the runs alone."""
    draw = np.random.default_rng(8)
    logs = np.array([[1.0], [1.5]]) + draw.normal(0, 0.04, (2, 12))
    for cid in (1, 2):
        for n in range(12):
            add_run(study, cid, n + 1, float(np.exp(logs[cid - 1, n])))
    keep_noise(study, gather(study))
    [seen] = noise_seen()
    own = logs.std(axis=1, ddof=1)
    assert seen.spread == pytest.approx(float(np.sqrt((own**2).mean())), rel=0.5)
    assert 0.02 < seen.spread < 0.07
    assert 4 <= seen.freedom <= 22


def test_what_is_delivered_costs_its_upload_too(study: Study) -> None:
    for n in range(1, 4):
        add_run(study, 1, n, 4.0)
        add_run(study, 2, n, 5.0)
    study.set_worth(Worth(delivered=True, line_mbit_s=2.0))
    found = {s.contender.contender_id: s for s in gather(study).summaries}
    assert found[1].entrant.cost_s == pytest.approx(4.0 + 8 * 1_000_000 / 2e6, rel=0.01)
    assert found[2].entrant.cost_s == pytest.approx(5.0 + 4.0, rel=0.01)
    assert found[1].usual_s == pytest.approx(4.0)
    study.set_worth(Worth())
    assert gather(study).summaries[0].entrant.cost_s == pytest.approx(4.0, rel=0.01)


def test_the_busiest_second_is_in_megabits(study: Study) -> None:
    add_run(study, 1, 1, 3.0)
    one = study.contenders()[0]
    key = reference_key(
        study.programme(),
        study.facts().excerpt,
        delivery(study.programme(), study.facts().excerpt, one.recipe),
    )
    bits = np.full(30, 40_000.0)
    bits[10:15] = 100_000.0
    metrics = {"vmaf": MetricScores("", np.full(30, 95.0)), BITS: MetricScores("", bits)}
    study.keep_score(ScoreRecord(1, "ff", key, metrics=metrics), BUILD)
    [summary, *_rest] = gather(study).summaries
    assert summary.measured.values[PEAK] == pytest.approx((20 * 40_000 + 5 * 100_000) / 1e6)


def searched(study: Study, contender: int, quality: float, vmaf: float, reference: str = "") -> SearchPoint:
    made = next(c for c in study.contenders() if c.contender_id == contender)
    facts, programme = study.facts(), study.programme()
    wanted = delivery(programme, facts.excerpt, made.recipe)
    return SearchPoint(
        contender_id=contender,
        recipe=replace(made.recipe, quality=quality),
        reference=reference or reference_key(programme, facts.excerpt, wanted),
        wall_s=2.0,
        bytes=600_000,
        output_sha256="aa",
        values={"vmaf_mean": vmaf},
    )


def test_curves_are_of_the_same_recipe_and_the_same_reference(study: Study) -> None:
    points = [searched(study, 1, q, v) for q, v in ((20, 97.0), (26, 93.0), (32, 85.0), (36, 78.0))]
    points.append(searched(study, 1, 22, 96.0, "another"))
    [curve] = equal_curves(gather(study), points, "vmaf_mean")
    assert [p.setting for p in curve.points] == [36, 32, 26, 20]
    assert all(p.searched and p.number == 0 for p in curve.points)
    length_min = study.facts().excerpt.frames / 25 / 60
    assert curve.points[0].mb_per_minute == pytest.approx(0.6 / length_min)
    assert "20" not in curve.name
    assert equal_base([curve], None) is curve
    assert equal_base([], None) is None


def test_an_output_in_the_line_up_stands_for_its_setting(study: Study) -> None:
    scored(study, 1, [91.0] * 30)
    curves = equal_curves(
        gather(study), [searched(study, 1, 30.0, 88.0), searched(study, 2, 24.0, 92.0)], "vmaf_mean"
    )
    assert [len(c.points) for c in curves] == [2, 1]
    own = next(p for p in curves[0].points if p.number == 1)
    assert (own.quality, own.searched, own.setting) == (91.0, False, study.contenders()[0].recipe.quality)
    assert equal_base(curves, 1) is curves[0]
    assert curves[0].against(curves[1], SIZE).rate is None


def test_raw_frames_take_no_more_than_their_room(study: Study) -> None:
    programme, excerpt = study.programme(), Excerpt(3, 10**6)
    plan: Any = SimpleNamespace(programme=programme, excerpt=excerpt)
    found = short_enough(plan)
    each = programme.width * programme.height * 3 * 2  # ten bits in two bytes
    assert found.start_frame == 3
    assert found.frames == MOST_RAW_BYTES // each
    plan.programme = replace(programme, pixel_format="yuv420p")
    assert short_enough(plan).frames == MOST_RAW_BYTES // (each // 2)
    plan.excerpt = Excerpt(3, 2)
    assert short_enough(plan) == Excerpt(3, 2)


def test_a_setting_that_was_found_is_the_contender_with_it(study: Study) -> None:
    """One that is there already, or one that is added; never another."""
    one = study.contenders()[0]
    search: Any = SimpleNamespace(c=one, study=study)
    made = Search._kept(search, 21.5, {21.5: 90.3}, 3, "near enough")
    assert made.found is not None
    assert (made.found.recipe.quality, made.found.recipe.preset) == (21.5, one.recipe.preset)
    assert made.found.contender_id == study.contenders()[-1].contender_id
    assert (made.value, made.encodes, made.why) == (90.3, 3, "near enough")
    again = Search._kept(search, one.recipe.quality, {one.recipe.quality: 95.0}, 0, "")
    assert again.found == one
    assert Search._kept(search, None, {}, 2, "out of reach").found is None


def test_comparisons_say_what_they_may_still_take(study: Study) -> None:
    study.set_conduct(Conduct(until_decided=True, decides=BASELINE, most_rounds=10))
    study.set_baseline(1)
    for cid, wall in ((1, 4.0), (2, 4.0), (3, 4.02)):
        for n, off in enumerate((1.0, 1.1, 0.93), 1):
            add_run(study, cid, n, wall * off)
    found = asking(study, False).next([1, 2, 3], 3)
    assert found.ids == (1, 2, 3)
    assert found.rest is not None
    assert (found.rest.open, found.rest.rounds_left) == (2, 7)
    usual = [s.usual_s for s in gather(study).summaries]
    assert found.rest.seconds == pytest.approx(7 * sum(u for u in usual if u))


def result(*log: str, state: str = "done", usage: bool = True) -> RunResult:
    used = Usage(1.0, 1.0, 0.0, 1, 1, 1, 0, log, False, False, 0.0)
    return RunResult(state, "", used if usage else None)


def test_a_fall_back_that_is_written_is_told_of_a_run_that_ended_well() -> None:
    device = Contender("bundled", recipe("libx264", "fast", 20), decode="vaapi")
    plan: Any = SimpleNamespace(
        contender=device, build=SimpleNamespace(simulated=False, key="bundled"), maker=None
    )
    words = "Failed setup for format vaapi: hwaccel initialisation returned error."
    found = fell_back(plan, result(words))
    assert found is not None
    assert (found.showed, found.paths) == (Showed.LOG, ("vaapi",))
    assert fell_back(plan, result(words, state="failed")) is None
    assert fell_back(plan, result(words, usage=False)) is None
    plan.contender = replace(device, decode="software")
    assert fell_back(plan, result(words)) is None


def test_the_two_busiest_programs_are_named_first() -> None:
    before = {n: (name, 0.0) for n, name in enumerate("abcde", 1)}
    after = {1: ("a", 0.4), 2: ("b", 2.0), 3: ("c", 1.0), 4: ("d", 0.0), 9: ("new", 5.0)}
    assert _busiest(before, after) == ("b", "c")
    assert _busiest(before, {n: (name, 0.0) for n, name in enumerate("abcde", 1)}) == ()


def test_a_frame_of_the_excerpt_is_found_in_each_file() -> None:
    twice = Looked(Path("x"), "", 3, Fraction(2))
    assert [twice.at(n) for n in (0, 1, 10)] == [3, 5, 23]
    assert Looked(Path("x"), "", -4).at(2) == 0


def test_an_output_is_known_by_its_checksum(study: Study) -> None:
    scored(study, 1, [91.0] * 30)
    summary = gather(study).summaries[0]
    assert output_of(study, summary, gather(study)) is None, "it is not on disk"
    path = output_path(study, summary.output_run)  # type: ignore[arg-type]
    assert path is not None
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(b"x")
    found = output_of(study, summary, gather(study))
    assert found is not None
    assert (found.path, found.checksum, found.offset, found.pace) == (path, "ff", 0, 1)


def test_sittings_take_what_was_gathered_of_their_own_and_read_the_others(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    add_run(study, 1, 1, 4.0)
    study.begin_sitting()
    add_run(study, 1, 1, 5.0)
    now = gather(study)
    found = gather_sittings(study, now)
    assert [s.evidence.summaries[0].usual_s for s in found.each] == [4.0, pytest.approx(5.0)]
    assert found.each[1].evidence is now


def test_what_is_lacking_of_a_score() -> None:
    losses = {k.key: MetricScores("", np.zeros(3)) for k in LOSS_KINDS}
    whole = {"vmaf": MetricScores("", np.zeros(3)), **losses}
    facts = OutputFacts(losses_measurable=True)
    assert not lacking(ScoreRecord(1, "ff", "k"))
    assert not lacking(ScoreRecord(1, "ff", "k", metrics=whole, facts=facts))
    assert lacking(ScoreRecord(1, "ff", "k", metrics={"vmaf": whole["vmaf"]}, facts=facts))
    other = OutputFacts(losses_measurable=False)
    assert not lacking(ScoreRecord(1, "ff", "k", metrics={"vmaf": whole["vmaf"]}, facts=other))
    assert lacking(ScoreRecord(1, "ff", "k", metrics=whole, facts=replace(facts, every=4)))
    assert not lacking(
        ScoreRecord(1, "ff", "k", problem="gone", metrics=whole, facts=replace(facts, every=4))
    )


def test_what_can_not_be_played_keeps_none_of_the_others_from_it(
    study: Study, monkeypatch: pytest.MonkeyPatch
) -> None:
    five = [Contender("bundled", recipe("libx264", "fast", 20 + n), label=f"number {n}") for n in range(6)]
    tried: list[str] = []

    def played(_bench: object, contender: Contender) -> None:
        tried.append(contender.label)
        if contender.label != "number 3":
            raise OvrikError("no luck", "")

    monkeypatch.setattr(playback, "unplayed", lambda _study: five)
    monkeypatch.setattr(playback, "play_output", played)
    bench: Any = SimpleNamespace(study=study)
    with pytest.raises(PassingTrouble) as said:
        play_outputs(bench)
    assert tried == [c.label for c in five]
    assert said.value.problem == "Not played: number 0: no luck; number 1: no luck; number 2: no luck"


def test_a_watch_ends_after_so_many_exports(
    study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    found = [SimpleNamespace(path=tmp_path / f"{n}.mp4", corrects=False) for n in range(3)]
    looks: Iterator[list[Any]] = iter([[], found[:1], found[1:2], found[2:]])

    class Watch:
        writing, unfinished = (), {}

        def __init__(self, *_a: object) -> None: ...

        def start(self) -> None: ...

        def stop(self) -> None: ...

        def look(self) -> list[Any]:
            return next(looks)

    card = SimpleNamespace(contender=study.contenders()[0])
    kept: list[str] = []
    monkeypatch.setattr(watching, "FileWatch", Watch)
    monkeypatch.setattr(watching, "LOOK_S", 0.0)
    monkeypatch.setattr(watching, "next_card", lambda _e: card)
    monkeypatch.setattr(watching, "matched", lambda _s, _p, c: c)
    monkeypatch.setattr(watching, "keep_outside", lambda _s, _c, f, _t, _b: kept.append(f.path.name))
    assert (
        watching.watch_for(study, tmp_path, None, watching.Orders(), lambda _w: None, lambda: False, 2) == 2
    )
    assert kept == ["0.mp4", "1.mp4"]
