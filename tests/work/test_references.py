"""What outputs are judged against, and outputs that do not show what they should, through the whole study."""

import time
from pathlib import Path

import pytest

from calm import CALM
from moving_clip import write_moving
from odd_clips import run
from ovrik.cli import main
from ovrik.errors import OvrikError
from ovrik.outside.watch import FIRST_BYTE, OutsideTime
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.made import make_reference
from ovrik.report.words.reasons import reasons_words
from ovrik.store.study import Study
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.plan import load_plan
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.summary import Summary
from ovrik.work.footage.references import name_reference
from ovrik.work.lineup.from_plan import save_plan
from ovrik.work.outside.exports import keep_outside, outside_contender

CODED = ("-c:v", "libx264", "-crf", "20", "-preset", "ultrafast", "-pix_fmt", "yuv420p")


@pytest.fixture
def source(tmp_path: Path) -> Path:
    return write_moving(tmp_path / "source.mkv", 5)


@pytest.fixture
def study(source: Path, tmp_path: Path) -> Study:
    made = Study.create(
        tmp_path / "s.ovrik", "S", of_clip(probe(source)), Excerpt(40, 50), rounds=1, warmup=0
    )
    made.set_conduct(CALM)
    made.add_contender(outside_contender("Bell Yard", "1.0", {}))
    return made


def cut(source: Path, path: Path, first: int, end: int, more: str = "", *coded: str) -> Path:
    """Frames of the source, in a file that says nothing of where they come from."""
    filters = f"trim=start_frame={first}:end_frame={end},setpts=PTS-STARTPTS{more}"
    run("-i", str(source), "-vf", filters, *(coded or CODED), str(path))
    return path


def exported(study: Study, path: Path) -> Summary:
    """What becomes of a file that another program exported."""
    now, contender = time.monotonic(), study.contenders()[-1]
    size = path.stat().st_size
    took = OutsideTime(path, 2.0, 0.05, 0.0, FIRST_BYTE, now - 2, now, size, (path.name,), 0, 0, "bellyard")
    keep_outside(study, contender, took)
    score_all(study)
    return gather(study).summaries[-1]


def test_the_right_excerpt_is_scored(study: Study, source: Path, tmp_path: Path) -> None:
    found = exported(study, cut(source, tmp_path / "out.mp4", 40, 90))
    assert found.reasons == ()
    assert found.vmaf is not None
    assert found.vmaf.mean > 90


def test_one_that_begins_early_does_not_conform_and_is_scored_beside_its_own_frames(
    study: Study, source: Path, tmp_path: Path
) -> None:
    found = exported(study, cut(source, tmp_path / "out.mp4", 38, 88))
    assert tuple(reasons_words(found.reasons)) == ("it begins 2 frames before the excerpt",)
    assert found.score is not None
    assert found.score.facts.lag == 2
    assert len(found.score.of("vmaf")) == 48
    assert found.vmaf is not None
    assert found.vmaf.mean > 90


def test_another_excerpt_is_named_and_not_scored(study: Study, source: Path, tmp_path: Path) -> None:
    found = exported(study, cut(source, tmp_path / "out.mp4", 70, 120))
    assert tuple(reasons_words(found.reasons)) == (
        "it shows frames 70 to 119 of the programme, not 40 to 89",
    )
    assert found.vmaf is None


def test_another_film_is_not_scored(study: Study, tmp_path: Path) -> None:
    path = tmp_path / "out.mp4"
    run("-f", "lavfi", "-i", "testsrc2=s=320x180:r=25:d=2", *CODED, str(path))
    found = exported(study, path)
    assert "it does not show the excerpt, nor anything else of the programme" in reasons_words(found.reasons)
    assert found.vmaf is None


def test_a_reference_is_lossless_whatever_can_hold_it(source: Path) -> None:
    """Quick to decode where that is possible; of odd sizes, which that can't hold, in FFV1."""
    programme = of_clip(probe(source))
    for made, codec in (
        (recipe("libx264"), "ffvhuff"),
        (recipe("libx264", width=160, height=90), "ffvhuff"),
        (recipe("libx264", pixel_format="yuv444p", width=321, height=181), "ffv1"),
    ):
        clip = probe(make_reference(programme, Excerpt(5, 10), delivery(programme, Excerpt(5, 10), made)))
        assert (clip.codec, clip.frames, clip.pixel_format) == (codec, 10, programme.pixel_format)


def test_upscales_are_judged_against_a_native_master(study: Study, source: Path, tmp_path: Path) -> None:
    """The programme is a small copy; the master is larger and longer, and begins elsewhere."""
    master = cut(source, tmp_path / "master.mkv", 20, 120, ",scale=640:360:flags=lanczos", "-c:v", "ffv1")
    out = cut(source, tmp_path / "out.mp4", 40, 90, ",scale=640:360:flags=neighbor")
    plain = exported(study, out)
    assert tuple(reasons_words(plain.reasons)) == ("its size is 640×360 instead of 320×180",)
    name_reference(study, master)
    assert gather(study).summaries[-1].score is None, "judged against something else now"
    assert score_all(study) == 1
    found = gather(study).summaries[-1]
    assert tuple(reasons_words(found.reasons)) == ("its size is 640×360 instead of 320×180",), (
        "where it lies in the master is no fault"
    )
    assert found.score is not None
    assert (found.score.facts.lag, len(found.score.of("psnr"))) == (-20, 50)
    name_reference(study, None)
    before = gather(study).summaries[-1].score
    assert before is not None
    assert plain.score is not None
    assert before.id == plain.score.id, "what was scored before stays"
    study.add_contender(outside_contender("Bell Yard", "1.0", {"size": "640x360", "scaler": "nearest"}))
    name_reference(study, master)
    assert exported(study, out).reasons == ()


def test_a_reference_that_changed_is_refused(study: Study, source: Path, tmp_path: Path) -> None:
    master = cut(source, tmp_path / "master.mkv", 40, 90, "", "-c:v", "ffv1")
    exported(study, cut(source, tmp_path / "out.mp4", 40, 90))
    name_reference(study, master)
    cut(source, master, 41, 91, "", "-c:v", "ffv1")
    with pytest.raises(OvrikError, match="has changed"):
        score_all(study)
    master.unlink()
    with pytest.raises(OvrikError, match="is not there"):
        score_all(study)
    with pytest.raises(OvrikError, match="not a clip"):
        name_reference(study, Path(__file__))


def test_it_is_named_by_the_command_line_and_travels_in_a_plan(
    study: Study, source: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    master = cut(source, tmp_path / "it's a [master].mkv", 40, 90, "", "-c:v", "ffv1")
    exported(study, cut(source, tmp_path / "out.mp4", 40, 90))
    study.close()
    assert main(["check", str(study.path), "--against", str(master)]) == 0
    assert "1 output checked" in capsys.readouterr().out
    again = Study.open(study.path)
    assert again.facts().conduct.reference == str(master)
    save_plan(again, tmp_path / "p.toml")
    assert load_plan(tmp_path / "p.toml").conduct.reference == str(master)
    assert main(["check", str(study.path), "--programme"]) == 0
    assert again.facts().conduct.reference == ""
    again.close()
