"""Outputs that begin early, are short of frames, have bars, another rate or another picture: real files, made by a
real build, whose truth is known from how they were cut."""

from fractions import Fraction
from pathlib import Path

import pytest

from moving_clip import write_moving
from odd_clips import run
from ovrik.quality.checks.alignment import doubtful, elsewhere_words, kept_miniatures, match, whose
from ovrik.quality.checks.miniatures import Miniatures, miniatures
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import cache_folder
from ovrik.quality.scores.metrics import belonging, frame_scores
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import Programme, of_clip

RATE = Fraction(25)
CODED = ("-c:v", "libx264", "-crf", "30", "-preset", "ultrafast", "-pix_fmt", "yuv420p")


@pytest.fixture(scope="module")
def source(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_moving(tmp_path_factory.mktemp("aligned") / "source.mkv", 6)


@pytest.fixture(scope="module")
def reference(source: Path) -> Path:
    path = source.with_name("reference.mkv")
    run("-i", str(source), "-vf", cut(40, 100), "-c:v", "ffv1", str(path))
    return path


def cut(first: int, end: int, more: str = "") -> str:
    return f"trim=start_frame={first}:end_frame={end},setpts=PTS-STARTPTS{more}"


def made(source: Path, folder: Path, filters: str, *coded: str) -> Path:
    path = folder / "out.mp4"
    run("-i", str(source), "-vf", filters, *(coded or CODED), str(path))
    return path


def seen(path: Path) -> Miniatures:
    return miniatures(path)


@pytest.mark.parametrize(
    ("filters", "lag", "words"),
    [
        (cut(40, 100), 0, ""),
        (cut(40, 100, ",eq=brightness=0.08:contrast=1.3"), 0, ""),
        (cut(40, 100, ",scale=160:90"), 0, ""),
        (cut(43, 103), -3, "it begins 3 frames into the excerpt"),
        (cut(39, 99), 1, "it begins 1 frame before the excerpt"),
        (cut(30, 90), 10, "it begins 10 frames before the excerpt"),
        (cut(40, 101, ",select='not(eq(n,31))',setpts=N/25/TB"), 0, "1 frame is missing from its middle"),
        (cut(40, 98, ",setpts='(N+2*gt(N,30))/25/TB',fps=25"), 0, "2 frames are repeated in"),
        (cut(40, 100, ",scale=320:134,pad=320:180:0:23"), 0, "its picture fills 320×13"),
        (cut(42, 102, ",scale=240:180,pad=320:180:40:0"), -2, "its picture fills 240×180 of 320×180"),
    ],
)
def test_what_was_done_to_an_output_is_found(
    source: Path, reference: Path, tmp_path: Path, filters: str, lag: int, words: str
) -> None:
    found = match(seen(made(source, tmp_path, filters)), RATE, seen(reference), RATE)
    assert found.shown
    assert found.lag == lag
    assert words in "; ".join(found.faults)
    assert bool(found.faults) is bool(words)


@pytest.mark.parametrize("rate", ["50", "30000/1001", "24"])
def test_another_rate_is_laid_beside_by_time(
    source: Path, reference: Path, tmp_path: Path, rate: str
) -> None:
    path = made(source, tmp_path, cut(40, 100, f",fps={rate}"))
    found = match(seen(path), Fraction(rate), seen(reference), RATE)
    assert (found.lag, found.faults, found.shown) == (0, (), True)
    programme = of_clip(probe(reference))
    wanted = delivery(programme, whole(programme), recipe("libx264"))
    filters = belonging(found, probe(path), probe(reference), wanted)
    scores = frame_scores(path, reference, wanted, beside=filters)["vmaf"].values
    assert len(scores) >= 58
    assert scores.mean() > 60


def test_aligned_frames_score_as_they_would_have_unshifted(
    source: Path, reference: Path, tmp_path: Path
) -> None:
    programme = of_clip(probe(reference))
    wanted = delivery(programme, whole(programme), recipe("libx264"))
    early = made(source, tmp_path, cut(36, 96, ",pad=320:200:0:10"))
    found = match(seen(early), RATE, seen(reference), RATE)
    assert (found.lag, found.overlap) == (4, 56)
    filters = belonging(found, probe(early), probe(reference), wanted)
    shifted = frame_scores(early, reference, wanted, beside=filters)["psnr"].values
    as_it_is = frame_scores(early, reference, wanted)["psnr"].values
    right = made(source, tmp_path, cut(40, 100))
    plain = frame_scores(right, reference, wanted)["psnr"].values
    assert len(shifted) == 56
    assert shifted.mean() == pytest.approx(plain[:56].mean(), abs=1.0)
    assert as_it_is.mean() < shifted.mean() - 5


def test_another_excerpt_is_named(source: Path, reference: Path, tmp_path: Path) -> None:
    clip = probe(source)
    programme: Programme = of_clip(clip)
    other = seen(made(source, tmp_path, cut(100, 140)))
    found = match(other, RATE, seen(reference), RATE)
    assert doubtful(found)
    shown = whose(other, RATE, programme)
    assert shown == range(100, 140)
    said = elsewhere_words(shown, Excerpt(40, 60))
    assert said == "it shows frames 100 to 139 of the programme, not 40 to 99"


def test_something_else_is_not_the_excerpt(source: Path, reference: Path, tmp_path: Path) -> None:
    path = tmp_path / "else.mp4"
    run("-f", "lavfi", "-i", "testsrc2=s=320x180:r=25:d=2.4", *CODED, str(path))
    found = match(seen(path), RATE, seen(reference), RATE)
    assert not found.shown
    assert whose(seen(path), RATE, of_clip(probe(source))) is None


def test_a_longer_reference_is_searched(source: Path, tmp_path: Path) -> None:
    path = made(source, tmp_path, cut(70, 110))
    found = match(seen(path), RATE, seen(source), RATE, anywhere=True)
    assert (found.lag, found.overlap, found.faults) == (-70, 40, ())


def test_miniatures_of_a_reference_are_kept_in_the_cache(reference: Path) -> None:
    fresh = seen(reference)
    before = set(reference.parent.iterdir())
    kept_miniatures(reference)
    again = kept_miniatures(reference)
    assert (again.head == fresh.head).all()
    assert (again.colours == fresh.colours).all()
    assert (again.count, again.width, again.height, again.even) == (60, 320, 180, None)
    assert set(reference.parent.iterdir()) == before, (
        "nothing is written beside a file that may be the user's"
    )
    for kept in cache_folder("references", "miniatures").iterdir():
        kept.write_bytes(b"broken")
    assert kept_miniatures(reference).count == 60
