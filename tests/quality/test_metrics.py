"""Scores agree with an independent computation in NumPy on the same frames."""

import json
from pathlib import Path

import numpy as np
import pytest

from odd_clips import run
from ovrik.errors import OvrikError, Stopped
from ovrik.export.run.process import measure
from ovrik.export.run.timed import timed_run
from ovrik.machine.builds.build import locate
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import reference_key, reference_path
from ovrik.quality.reference.made import make_reference
from ovrik.quality.scores.metric_table import METRICS
from ovrik.quality.scores.metrics import frame_scores, read_scores
from ovrik.quality.viewing.frames import FrameReader
from ovrik.store.records.score import MetricScores
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.delivery import delivery
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip, working_format
from plain_export import export_command

EXCERPT = Excerpt(4, 20)
PEAK = 1023.0


@pytest.fixture(scope="module")
def reference(footage: Footage) -> Path:
    return make_reference(of_clip(footage), EXCERPT)


@pytest.fixture(scope="module")
def output(footage: Footage, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("out")
    made = recipe("libx264", "veryfast", 30)
    partial, path = folder / "p.mp4", folder / "o'ut: 1.mp4"
    argv = export_command(str(locate("bundled")), footage, EXCERPT, made, partial)
    assert timed_run([argv], partial, path).state == "done"
    return path


@pytest.fixture(scope="module")
def scores(output: Path, reference: Path, footage: Footage) -> dict[str, MetricScores]:
    return frame_scores(output, reference, delivery(of_clip(footage), EXCERPT))


def lumas(output: Path, reference: Path, number: int) -> tuple[np.ndarray, np.ndarray]:
    """Both luma planes in 10 bit; eight-bit samples are shifted up."""
    eight = FrameReader(output).luma(number)
    assert eight.dtype == np.uint8
    return eight.astype(float) * 4, FrameReader(reference).luma(number).astype(float)


def numpy_psnr(a: np.ndarray, b: np.ndarray) -> float:
    return float(10 * np.log10(PEAK**2 / np.mean((a - b) ** 2)))


def numpy_ssim(a: np.ndarray, b: np.ndarray) -> float:
    """Wang et al. 2004 over 8x8 blocks, four pixels apart, with the constants and the unbiased
    variances of the widely used implementation in x264."""
    rows, columns = a.shape[0] // 4 * 4, a.shape[1] // 4 * 4
    total = []
    c1, c2 = round(0.01**2 * PEAK**2 * 64), round(0.03**2 * PEAK**2 * 64 * 63)
    for y in range(0, rows - 4, 4):
        for x in range(0, columns - 4, 4):
            p, q = a[y : y + 8, x : x + 8], b[y : y + 8, x : x + 8]
            s1, s2 = p.sum(), q.sum()
            spread = 64 * ((p**2).sum() + (q**2).sum()) - s1**2 - s2**2
            shared = 64 * (p * q).sum() - s1 * s2
            total.append((2 * s1 * s2 + c1) * (2 * shared + c2) / ((s1**2 + s2**2 + c1) * (spread + c2)))
    return float(np.mean(total))


@pytest.mark.parametrize("number", [0, 7, 19])
def test_psnr_and_ssim_agree_with_numpy(
    scores: dict[str, MetricScores], output: Path, reference: Path, number: int
) -> None:
    ours, theirs = lumas(output, reference, number)
    assert scores["psnr"].values[number] == pytest.approx(numpy_psnr(ours, theirs), abs=1e-3)
    assert scores["ssim"].values[number] == pytest.approx(numpy_ssim(ours, theirs), abs=2e-4)


@pytest.mark.parametrize("tag", ["bt709", "smpte170m"])
def test_tags_that_only_one_side_has_change_no_sample(
    scores: dict[str, MetricScores], output: Path, reference: Path, footage: Footage, tmp_path: Path, tag: str
) -> None:
    """The footage is not tagged; an output that is must be scored by its samples all the same."""
    tagged = tmp_path / "tagged.mp4"
    matrix = {"bt709": 1, "smpte170m": 6}[tag]
    names = ("colour_primaries", "transfer_characteristics", "matrix_coefficients")
    bits = "h264_metadata=" + ":".join(f"{name}={matrix}" for name in names)
    command = [
        str(locate("bundled")),
        "-v",
        "error",
        "-i",
        str(output),
        "-c",
        "copy",
        "-bsf:v",
        bits,
        str(tagged),
    ]
    assert measure(command).exit_code == 0
    colour = probe(tagged).colour
    assert colour.matrix == tag
    again = frame_scores(tagged, reference, delivery(of_clip(footage), EXCERPT), colour)
    assert again["psnr"].values == pytest.approx(scores["psnr"].values, abs=1e-6)
    assert again["vmaf"].values == pytest.approx(scores["vmaf"].values, abs=1e-3)


def test_one_score_for_every_frame(scores: dict[str, MetricScores]) -> None:
    assert (
        len(scores["vmaf"].values)
        == len(scores["psnr"].values)
        == len(scores["ssim"].values)
        == EXCERPT.frames
    )
    assert np.all((scores["vmaf"].values >= 0) & (scores["vmaf"].values <= 100))
    assert np.all((scores["ssim"].values > 0) & (scores["ssim"].values < 1))


def test_a_better_picture_scores_higher(
    scores: dict[str, MetricScores], reference: Path, footage: Footage, tmp_path: Path
) -> None:
    partial, path = tmp_path / "p.mp4", tmp_path / "o.mp4"
    argv = export_command(
        str(locate("bundled")), footage, EXCERPT, recipe("libx264", "veryfast", 12), partial
    )
    timed_run([argv], partial, path)
    finer = frame_scores(path, reference, delivery(of_clip(footage), EXCERPT))
    assert finer["vmaf"].values.mean() > scores["vmaf"].values.mean()
    assert np.all(finer["psnr"].values > scores["psnr"].values)


def test_vmaf_is_of_the_output_against_the_reference_and_not_the_reverse(
    scores: dict[str, MetricScores], output: Path, reference: Path, tmp_path: Path
) -> None:
    """Both decoded to bare samples first and scored by the build alone, both ways round."""
    build, raw = str(locate("bundled")), {}
    for name, path in (("output", output), ("reference", reference)):
        raw[name] = tmp_path / f"{name}.yuv"
        command = [
            build,
            "-v",
            "error",
            "-i",
            str(path),
            "-pix_fmt",
            "yuv422p10le",
            "-f",
            "rawvideo",
            str(raw[name]),
        ]
        assert measure(command).exit_code == 0

    def alone(first: str, second: str) -> list[float]:
        given = [
            w
            for n in (first, second)
            for w in (
                "-f",
                "rawvideo",
                "-pix_fmt",
                "yuv422p10le",
                "-s",
                "320x180",
                "-r",
                "25",
                "-i",
                str(raw[n]),
            )
        ]
        log = tmp_path / f"{first}.json"
        command = [
            build,
            "-v",
            "error",
            *given,
            "-lavfi",
            f"libvmaf=log_path={log}:log_fmt=json",
            "-f",
            "null",
            "-",
        ]
        assert measure(command).exit_code == 0
        return [f["metrics"]["vmaf"] for f in json.loads(log.read_text())["frames"]]

    right, swapped = alone("output", "reference"), alone("reference", "output")
    assert scores["vmaf"].values == pytest.approx(right, abs=1e-3)
    assert np.abs(np.array(right) - swapped).mean() > 0.5, "the pair tells the two ways apart"


def test_the_reference_is_lossless_and_made_once(footage: Footage, reference: Path) -> None:
    made, source = FrameReader(reference), FrameReader(Path(footage.path))
    assert made.count == EXCERPT.frames
    for n in (0, 9, 19):
        assert (made.luma(n) == source.luma(EXCERPT.start_frame + n)).all()
    stamp = reference.stat().st_mtime_ns
    assert make_reference(of_clip(footage), EXCERPT) == reference
    assert reference.stat().st_mtime_ns == stamp
    assert reference_key(of_clip(footage), EXCERPT) != reference_key(of_clip(footage), Excerpt(4, 19))


def test_the_reference_scores_perfectly_against_itself(reference: Path, footage: Footage) -> None:
    perfect = frame_scores(reference, reference, delivery(of_clip(footage), EXCERPT))
    assert np.all(perfect["ssim"].values == 1)
    assert perfect["psnr"].values.min() > 70


def test_stopping_leaves_nothing(footage: Footage) -> None:
    excerpt = Excerpt(0, 29)
    with pytest.raises(Stopped):
        make_reference(of_clip(footage), excerpt, should_stop=lambda: True)
    assert not reference_path(of_clip(footage), excerpt).exists()
    assert not list(reference_path(of_clip(footage), excerpt).parent.glob("*.partial"))


def test_an_output_that_is_no_clip(reference: Path, footage: Footage, tmp_path: Path) -> None:
    bad = tmp_path / "bad.mp4"
    bad.write_text("not a clip")
    with pytest.raises(OvrikError, match=r"bad\.mp4 could not be scored"):
        frame_scores(bad, reference, delivery(of_clip(footage), EXCERPT))


def test_unreadable_logs(tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match="can't be read"):
        read_scores(tmp_path, METRICS)


def test_the_format_in_which_frames_are_compared(footage: Footage) -> None:
    assert working_format(footage) == "yuv422p10le"


def test_logs_of_different_frames_are_no_scores(tmp_path: Path) -> None:
    ssim = [m for m in METRICS if m.key in ("ssim", "xpsnr")]
    (tmp_path / "ssim.log").write_text("".join(f"n:{n} Y:0.5 U:0.5\n" for n in range(1, 31)))
    (tmp_path / "xpsnr.log").write_text(
        "".join(f"n: {n:4}  XPSNR y: {(31.5, -2.5)[n > 1]}  XPSNR u: 30.0\n" for n in range(1, 31))
    )
    found = read_scores(tmp_path, ssim)
    assert found["xpsnr"].values.tolist() == [31.5, *[-2.5] * 29]
    (tmp_path / "xpsnr.log").write_text("n:    1  XPSNR y: 31.5  XPSNR u: 30.0\n")
    with pytest.raises(OvrikError, match="30 of ssim, 1 of xpsnr"):
        read_scores(tmp_path, ssim)


@pytest.mark.parametrize("width", [162, 192, 208, 320])
def test_xpsnr_is_of_the_picture_however_wide_it_is(tmp_path: Path, width: int) -> None:
    """Of the same picture in 8 and in 10 bits it is nearly the same, or there is none."""
    found = []
    for pixel_format in ("yuv420p", "yuv420p10le"):
        paths = [tmp_path / f"{pixel_format}.{kind}" for kind in ("mkv", "mp4")]
        source = f"mandelbrot=s={width}x96:r=25,noise=alls=8:allf=t:all_seed=3,trim=end_frame=4"
        coding = (("ffv1",), ("libx264", "-crf", "34", "-preset", "ultrafast"))
        for path, (coder, *words) in zip(paths, coding, strict=True):
            run("-f", "lavfi", "-i", source, "-pix_fmt", pixel_format, "-c:v", coder, *words, str(path))
        clip = probe(paths[0])
        wanted = delivery(of_clip(clip), Excerpt(0, 4))
        found.append(frame_scores(paths[1], paths[0], wanted).get("xpsnr"))
    assert found[0] is not None
    assert (found[1] is None) is bool(width % 64)
    if found[1] is not None:
        assert found[1].values == pytest.approx(found[0].values, abs=1)
