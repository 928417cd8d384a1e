"""Several outputs in one pass, a sample of frames first, and nothing scored twice."""

import os
import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest
from exported import EXCERPT, export

from calm import CALM
from moving_clip import write_moving
from odd_clips import run
from ovrik.analysis.signals.loss_kinds import LOSS_KINDS
from ovrik.errors import PassingTrouble
from ovrik.machine.builds.build import find_build
from ovrik.quality.checks.all_points import EDITION
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.made import make_reference
from ovrik.quality.scores import losses as quality_losses
from ovrik.quality.scores.metric_table import METRICS
from ovrik.quality.scores.metrics import BesideFilters, ToScore, frame_scores, scores_of
from ovrik.store.records.score import BITS, ScoreRecord
from ovrik.store.schema.file import nothing_timed
from ovrik.store.study import Study
from ovrik.study.contender.delivery import delivery
from ovrik.study.programme.programme import of_clip
from ovrik.work.checking import one_pass, scoring
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from unmeasured import leave_losses_out

pytestmark = pytest.mark.usefixtures("played")


MEASURED = {
    "test_losses_and_bits_are_kept_for_every_frame",
    "test_losses_follow_the_lag_and_stay_off_what_is_not_the_same",
    "test_stopping_ends_it_soon",
    "test_one_pass_gives_what_each_gets_alone",
}
"""Tests that look at kinds of loss: the others need not wait for them."""


@pytest.fixture(autouse=True)
def losses_where_they_are_looked_at(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    if request.function.__name__ not in MEASURED:
        leave_losses_out(monkeypatch)


@pytest.fixture
def study(tmp_path: Path) -> Study:
    source = write_moving(tmp_path / "source.mkv", 2)
    made = Study.create(tmp_path / "s.ovrik", "S", of_clip(probe(source)), EXCERPT, rounds=1, warmup=0)
    made.set_conduct(CALM)
    return made


def scores(study: Study) -> list[ScoreRecord]:
    return [s.score for s in gather(study).summaries if s.score]


def test_one_pass_gives_what_each_gets_alone(study: Study, tmp_path: Path) -> None:
    paths = [export(study, tmp_path, f"it's {crf}.mp4", crf) for crf in (18, 30, 42)]
    paths.append(export(study, tmp_path, "bars.mkv", 18, more=",pad=iw:ih+40:0:20"))
    wanted = delivery(study.programme(), EXCERPT)
    reference = make_reference(study.programme(), EXCERPT, wanted)
    besides = [
        BesideFilters(),
        BesideFilters("trim=start_frame=2,", "trim=start_frame=1:end_frame=29,"),
        BesideFilters(),
        BesideFilters(),
    ]
    jobs = [ToScore(p, wanted, beside=b) for p, b in zip(paths, besides, strict=True)]
    together = scores_of(jobs, reference)
    for path, beside, found in zip(paths, besides, together, strict=True):
        alone = frame_scores(path, reference, wanted, beside=beside)
        assert list(found) == list(alone) == [m.key for m in METRICS]
        for key, one in alone.items():
            np.testing.assert_allclose(found[key].values, one.values, atol=1e-6)
    assert together[0]["vmaf"].values.mean() > together[2]["vmaf"].values.mean() + 3


def test_the_scores_are_those_of_commands_typed_by_hand(study: Study, tmp_path: Path) -> None:
    """One command for each output and filter, none of it ours; and chroma's PSNR out of the samples themselves."""
    paths = [export(study, tmp_path, f"{crf}.mp4", crf) for crf in (20, 30, 40)]
    wanted = delivery(study.programme(), EXCERPT)
    reference = make_reference(study.programme(), EXCERPT, wanted)
    found = scores_of([ToScore(p, wanted) for p in paths], reference)
    for path, ours in zip(paths, found, strict=True):
        for key, text in (
            ("vmaf", "libvmaf=model=version=vmaf_v0.6.1:log_fmt=csv:log_path=LOG"),
            ("ssim", "ssim=stats_file=LOG"),
            ("xpsnr", "xpsnr=stats_file=LOG"),
        ):
            log = tmp_path / f"{key}.log"
            both = ("-i", str(path), "-i", str(reference))
            run(*both, "-lavfi", text.replace("LOG", str(log)), "-f", "null", "-")
            np.testing.assert_allclose(ours[key].values, typed(key, log.read_text()), atol=0.01)
        for key, plane in (("psnr_cb", 1), ("psnr_cr", 2)):
            samples = [list(planes(p, plane)) for p in (path, reference)]
            squares = [float(((a - b) ** 2).mean()) for a, b in zip(*samples, strict=True)]
            np.testing.assert_allclose(ours[key].values, 10 * np.log10(255**2 / np.array(squares)), atol=0.01)


def typed(key: str, log: str) -> list[float]:
    """The values in a log, frame by frame."""
    if key == "vmaf":
        names, *rows = (line.split(",") for line in log.splitlines())
        return [float(row[names.index("vmaf")]) for row in rows if row[0].isdigit()]
    mark = {"ssim": r"Y:([0-9.]+) U", "xpsnr": r"XPSNR y: *([0-9.]+)  XPSNR u"}[key]
    return [float(value) for value in re.findall(mark, log)]


def planes(path: Path, number: int) -> Iterator[np.ndarray]:
    """One plane of every frame, decoded here."""
    with av.open(str(path)) as box:
        for frame in box.decode(video=0):
            plane = frame.planes[number]
            rows = np.frombuffer(bytes(plane), np.uint8).reshape(plane.height, -1)
            yield rows[:, : plane.width].astype(float)


def test_one_that_breaks_the_pass_does_not_spoil_the_others(
    study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for crf in (18, 30):
        export(study, tmp_path, f"{crf}.mp4", crf)
    real = one_pass.scores_of

    def refuses(outputs: list[ToScore], *more: object) -> object:
        from ovrik.errors import OvrikError

        if any(o.output.name.startswith("30") for o in outputs):
            raise OvrikError("it could not be scored (broken)", "")
        return real(outputs, *more)  # type: ignore[arg-type]

    monkeypatch.setattr(one_pass, "scores_of", refuses)
    with pytest.raises(Exception, match=r"Not checked.*30.*could not be scored"):
        score_all(study)
    assert [bool(s.score and s.score.metrics) for s in gather(study).summaries] == [True, False]


def test_losses_and_bits_are_kept_for_every_frame(study: Study, tmp_path: Path) -> None:
    paths = [export(study, tmp_path, f"{crf}.mp4", crf) for crf in (16, 44)]
    assert score_all(study) == 2
    fine, coarse = scores(study)
    for kind in LOSS_KINDS:
        assert fine.of(kind.key).shape == coarse.of(kind.key).shape == (EXCERPT.frames,)
    assert coarse.of("loss_detail").mean() > fine.of("loss_detail").mean() + 5
    assert fine.of("loss_flicker")[0] == 0
    for path, record in zip(paths, (fine, coarse), strict=True):
        bits = record.of(BITS)
        assert bits.shape == (EXCERPT.frames,)
        # All that the stream holds, and not much less than the file: its box has a header.
        assert 0.8 * path.stat().st_size < bits.sum() / 8 < path.stat().st_size
        assert bits.argmax() == 0
    assert score_all(study) == 0


def test_a_sample_first_and_the_rest_later(study: Study, tmp_path: Path) -> None:
    export(study, tmp_path, "a.mp4", 34)
    assert score_all(study, every=8) == 1
    sample = scores(study)[0]
    assert sample.facts.every == 8
    assert sample.of("xpsnr").shape == sample.of("loss_detail").shape == (0,)
    known = ~np.isnan(sample.of("vmaf"))
    assert np.flatnonzero(known).tolist() == [0, 8, 16, 24]
    assert gather(study).summaries[0].vmaf is not None
    assert score_all(study, every=8) == 0
    assert score_all(study) == 1
    whole = scores(study)[0]
    assert whole.facts.every == 1
    for key in ("vmaf", "psnr", "ssim"):
        np.testing.assert_allclose(sample.of(key)[known], whole.of(key)[:25][known], atol=1e-6)
    assert not np.isnan(whole.of("vmaf")).any()
    assert score_all(study) == 0


def test_a_file_that_no_run_wrote_is_not_even_decoded(
    study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    export(study, tmp_path, "a.mp4", 30).write_bytes(b"put there by somebody else")
    monkeypatch.setattr(one_pass, "Reading", lambda *_a: pytest.fail("decoded"))
    monkeypatch.setattr(one_pass, "in_place", lambda *_a: pytest.fail("probed"))
    with pytest.raises(PassingTrouble, match="has changed since its run"):
        score_all(study)


def test_the_fastest_is_judged_first(study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whether it is the choice is known while the others are still being judged."""
    for name, took_s in (("slow.mp4", 3.0), ("fast.mp4", 1.0), ("usual.mp4", 2.0)):
        export(study, tmp_path, name, 30 + int(took_s), took_s=took_s)
    monkeypatch.setattr(scoring, "TOGETHER", 1)
    told = list[str]()
    assert score_all(study, lambda update: told.append(update.ended) if update.ended else None) == 3
    slow, fast, usual = (c.label for c in study.contenders())
    assert told == [fast, usual, slow]


@pytest.mark.parametrize(
    ("size", "count"),
    [((1280, 720), 4), ((1920, 1080), 4), ((2560, 1440), 4), ((3840, 2160), 2), ((7680, 4320), 1)],
)
def test_of_large_frames_fewer_are_judged_together(study: Study, size: tuple[int, int], count: int) -> None:
    wanted = replace(delivery(study.programme(), EXCERPT), width=size[0], height=size[1])
    assert scoring.together(wanted, 18 * 10**9) == count
    assert scoring.together(wanted, 10**9) <= max(1, count - 1)


def test_the_same_file_is_scored_once(study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Another contender wrote the very same file: its scores are taken over, its points are its own."""
    one = export(study, tmp_path, "a.mp4", 30)
    score_all(study)
    export(study, tmp_path, "b.mp4", 30, twin=one)
    monkeypatch.setattr(one_pass, "scores_of", lambda *_a: pytest.fail("scored again"))
    monkeypatch.setattr(one_pass, "losses_of", lambda *_a: pytest.fail("measured again"))
    assert score_all(study) == 1
    first, second = scores(study)
    assert first.output_sha256 == second.output_sha256
    assert second.points
    for key, one_metric in first.metrics.items():
        assert second.of(key).tolist() == one_metric.values.tolist()


def test_losses_follow_the_lag_and_stay_off_what_is_not_the_same(study: Study, tmp_path: Path) -> None:
    """An output two frames early is compared with its own frames; one with bars is not compared at all."""
    export(study, tmp_path, "bars.mp4", 18, more=",crop=iw:ih-40,pad=iw:ih+40:0:20")
    source = study.programme().clips[0].path
    early = tmp_path / "early.mp4"
    cut = f"trim=start_frame={EXCERPT.start_frame - 2}:end_frame={EXCERPT.end_frame - 2},setpts=PTS-STARTPTS"
    run("-i", source, "-vf", cut, "-c:v", "libx264", "-crf", "18", "-pix_fmt", "yuv420p", str(early))
    export(study, tmp_path, "early2.mp4", 0, twin=early)
    score_all(study)
    bars, lagging = scores(study)
    assert "loss_detail" not in bars.metrics
    assert not bars.facts.losses_measurable
    assert lagging.facts.lag == 2
    assert lagging.of("loss_detail").shape == (EXCERPT.frames - 2,)
    assert lagging.of("loss_colour").max() < 1.5
    assert score_all(study) == 0


def test_nothing_is_scored_while_something_is_timed(study: Study, tmp_path: Path) -> None:
    """By any Ovrik on this machine; here it is another holder of the same right."""
    export(study, tmp_path, "a.mp4", 30)
    with nothing_timed(), pytest.raises(PassingTrouble, match="timing or checking"):
        score_all(study)
    assert scores(study) == []
    assert score_all(study) == 1
    with nothing_timed():
        assert score_all(study) == 0  # there is nothing to do


def test_twins_in_one_pass_are_scored_once(
    study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    one = export(study, tmp_path, "a.mp4", 30)
    export(study, tmp_path, "b.mp4", 30, twin=one)
    real, asked = one_pass.scores_of, list[int]()

    def counted(outputs: list[ToScore], *more: object) -> object:
        asked.append(len(outputs))
        return real(outputs, *more)  # type: ignore[arg-type]

    monkeypatch.setattr(one_pass, "scores_of", counted)
    assert score_all(study) == 2
    assert asked == [1]
    first, second = scores(study)
    assert first.of("vmaf").tolist() == second.of("vmaf").tolist()


def test_stopping_ends_it_soon(study: Study, tmp_path: Path) -> None:
    from ovrik.errors import Stopped

    path = export(study, tmp_path, "a.mp4", 30)
    reference = make_reference(study.programme(), EXCERPT, delivery(study.programme(), EXCERPT))
    against = probe(reference)
    seen: list[float] = []
    from ovrik.quality.checks.alignment import Match

    job = quality_losses.ToMeasure(path, probe(path), Match(0, EXCERPT.frames, 1.0))
    with pytest.raises(Stopped):
        quality_losses.losses_of([job], reference, against, seen.append, lambda: len(seen) >= 3)
    assert len(seen) == 3
    assert os.path.exists(path)


def test_what_earlier_checks_said_is_looked_at_again_and_scores_stay(
    study: Study, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A fault that is none any more goes, while the file is there; nothing is measured anew."""
    export(study, tmp_path, "one.mp4", 20)
    with pytest.MonkeyPatch.context() as earlier:
        earlier.setattr("ovrik.work.checking.judging.EDITION", 0)
        score_all(study)
    before = gather(study).summaries[0].score
    assert before is not None
    study.keep_score(replace(before, faults=("its frame 3 shows frame 4",)), find_build("bundled").to_json())
    assert gather(study).summaries[0].reasons
    monkeypatch.setattr("ovrik.work.checking.one_pass.scores_of", lambda *_a: pytest.fail("measured anew"))
    assert score_all(study) == 1
    [after] = [s.score for s in gather(study).summaries if s.score]
    assert after.faults == ()
    assert after.facts.checks == EDITION
    np.testing.assert_array_equal(after.of("vmaf"), before.of("vmaf"))
    assert score_all(study) == 0
