"""Footage that is turned, anamorphic, full range, transparent, interlaced or HDR: exported as it should be, and what
is lost is said."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from calm import CALM
from odd_clips import run
from ovrik.quality.checks.conformity import conformity_faults
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.made import make_reference
from ovrik.quality.scores.metrics import frame_scores
from ovrik.quality.viewing.frames import FrameReader
from ovrik.report.forms.as_text import verdict_text
from ovrik.report.values.everything import evidence_json
from ovrik.report.words.reasons import reasons_words
from ovrik.report.words.rows import footage_rows
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import delivery
from ovrik.study.contender.follow_source import following
from ovrik.study.contender.losses import programme_losses, recipe_losses
from ovrik.study.encoder.recipe import Recipe, recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.plan import load_plan
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.summary import Summary
from ovrik.work.lineup.able import checked_able, judge_for
from ovrik.work.lineup.from_plan import for_programme, programme_of
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

SOURCE = ("-f", "lavfi", "-i", "testsrc2=s=160x96:r=25:d=0.4")
SHARP = ("-c:v", "libx264", "-crf", "1", "-preset", "ultrafast")


def judged_study(
    path: Path, programme: Programme, *recipes: Recipe, excerpt: Excerpt | None = None
) -> list[Summary]:
    """One run of each recipe, scored; the study is closed."""
    study = Study.create(path, "Odd", programme, excerpt or whole(programme), rounds=1, warmup=0)
    study.set_conduct(CALM)
    study.add_contenders(Contender("bundled", r) for r in recipes)
    ids = [c.contender_id for c in study.contenders()]
    assert time_all(study, remaining(study, ids, 1)), [r.reason for r in study.runs()]
    score_all(study)
    evidence = gather(study)
    text = verdict_text(evidence)
    said = evidence_json(evidence, None)
    for words in programme_losses(programme):
        assert words in text
        assert words in said["programme_loses"]
    study.close()
    return list(evidence.summaries)


def decoded(path: Path, pixel_format: str = "rgb24") -> bytes:
    """All frames as a player of its own makes them: upright, in one format."""
    return run("-i", str(path), "-f", "rawvideo", "-pix_fmt", pixel_format, "-")


@pytest.mark.parametrize("turn", [90, 180, 270])
def test_turned_clips_come_out_upright(tmp_path: Path, turn: int) -> None:
    run(*SOURCE, *SHARP, "-pix_fmt", "yuv420p", str(tmp_path / "flat.mp4"))
    path = tmp_path / "turned.mp4"
    run("-display_rotation", str(turn), "-i", str(tmp_path / "flat.mp4"), "-c", "copy", str(path))
    clip = probe(path)
    upright = (160, 96) if turn == 180 else (96, 160)
    assert (clip.width, clip.height, clip.rotation) == (160, 96, -turn % 360)
    assert (clip.shown_width, clip.shown_height) == upright
    assert dict(footage_rows(clip))["Turned"].startswith(f"{-turn % 360}° clockwise")
    plain, treated = (
        of_clip(clip),
        replace(of_clip(clip), treatments=(treatment("sharpen", {"amount": 0.01}),)),
    )
    shown = np.frombuffer(decoded(path), np.uint8).astype(int)
    for name, programme in (("plain", plain), ("treated", treated)):
        found = judged_study(tmp_path / f"{name}.ovrik", programme, recipe("libx264", "ultrafast", 1))[0]
        assert found.reasons == ()
        output = next((tmp_path / f"{name} outputs").glob("*.mp4"))
        made = probe(output)
        assert (made.width, made.height, made.rotation) == (*upright, 0)
        assert np.abs(np.frombuffer(decoded(output), np.uint8).astype(int) - shown).mean() < 4
    reader = FrameReader(path)
    assert reader.rgb(0).shape == (upright[1], upright[0], 3)
    # Untagged, which is BT.709 here; the build would take it for BT.601.
    as_709 = run(
        "-i", str(path), "-vf", "scale=in_color_matrix=bt709", "-f", "rawvideo", "-pix_fmt", "rgb24", "-"
    )
    wanted = np.frombuffer(as_709, np.uint8).astype(int)[: 160 * 96 * 3]
    assert np.abs(reader.rgb(0).astype(int).ravel() - wanted).mean() < 2
    reader.close()


def test_pixels_keep_their_shape(tmp_path: Path) -> None:
    path = tmp_path / "wide.mov"
    run(*SOURCE, "-vf", "setsar=64/45", "-c:v", "prores_ks", str(path))
    clip = probe(path)
    assert clip.sample_aspect == Fraction(64, 45)
    treated = replace(of_clip(clip), treatments=(treatment("blur"),))
    small = recipe("libx264", "ultrafast", 10, width=80, height=96)
    for number, programme in enumerate((of_clip(clip), treated)):
        one, other = judged_study(
            tmp_path / f"{number}.ovrik", programme, recipe("libx264", "ultrafast", 10), small
        )
        assert one.reasons == other.reasons == ()
        outputs = sorted((tmp_path / f"{number} outputs").glob("*.mp4"))
        assert [probe(o).sample_aspect for o in outputs] == [Fraction(64, 45), Fraction(128, 45)]


def test_an_output_of_another_shape_does_not_conform(tmp_path: Path) -> None:
    path, squeezed = tmp_path / "wide.mov", tmp_path / "out.mp4"
    run(*SOURCE, "-vf", "setsar=64/45", "-c:v", "prores_ks", str(path))
    run("-i", str(path), "-vf", "setsar=1", *SHARP, "-pix_fmt", "yuv420p", str(squeezed))
    programme = of_clip(probe(path))
    made = recipe("libx264")
    faults = conformity_faults(probe(squeezed), delivery(programme, whole(programme), made), made)
    assert faults == ["its pixel aspect ratio is 1:1 instead of 64:45"]


def full_range(path: Path, depth: str = "") -> Footage:
    """A clip whose levels are full, and that says so."""
    run(*SOURCE, "-vf", f"scale=out_range=pc,format=yuv420p{depth}", "-color_range", "pc", *SHARP, str(path))
    return probe(path)


@pytest.mark.parametrize("depth", ["", "10le"])
@pytest.mark.parametrize("treated", [False, True])
def test_full_range_is_delivered_as_limited_and_looks_the_same(
    tmp_path: Path, depth: str, treated: bool
) -> None:
    clip = full_range(tmp_path / "full.mp4", depth)
    assert clip.full_range
    programme = of_clip(clip)
    if treated:
        programme = replace(programme, treatments=(treatment("sharpen", {"amount": 0.01}),))
    assert "full-range levels" in " ".join(programme_losses(programme))
    two = recipe("libx264", "ultrafast", 1), recipe("prores_ks", "hq")
    found = judged_study(tmp_path / "s.ovrik", programme, *two)
    for s in found:
        assert s.reasons == ()
        assert s.vmaf is not None
        assert s.vmaf.mean > 95
    for output in (tmp_path / "s outputs").iterdir():
        if output.suffix in (".mp4", ".mov"):
            assert probe(output).colour.range in ("tv", "")
            apart = np.abs(
                np.frombuffer(decoded(output), np.uint8).astype(int)
                - np.frombuffer(decoded(Path(clip.path)), np.uint8)
            )
            assert apart.mean() < 5, "the same picture"


@pytest.mark.parametrize("depth", ["", "10le"])
def test_wrong_levels_are_seen(tmp_path: Path, depth: str) -> None:
    """Full-range samples in a file that says nothing of it: players show them too bright and too dark."""
    clip = full_range(tmp_path / "full.mp4", depth)
    programme = of_clip(clip)
    reference = make_reference(programme, whole(programme))
    wanted = delivery(programme, whole(programme))
    honest, mute = tmp_path / "honest.mp4", tmp_path / "mute.mp4"
    run("-i", clip.path, "-c", "copy", str(honest))
    run("-i", clip.path, "-c", "copy", "-bsf:v", "h264_metadata=video_full_range_flag=0", str(mute))
    scores = {}
    for path in (honest, mute):
        facts = probe(path)
        scores[path.name] = frame_scores(path, reference, wanted, facts.colour)["psnr"].values.mean()
    assert not probe(mute).full_range
    assert scores["honest.mp4"] > 45
    assert scores["mute.mp4"] < 30


BT709 = np.array([[0.2126, 0.7152, 0.0722], [-0.1146, -0.3854, 0.5], [0.5, -0.4542, -0.0458]])
"""R'G'B' to Y'CbCr, ITU-R BT.709-6, item 3.2 to 3.4."""


@pytest.mark.parametrize("coded", [("-c:v", "libx264rgb", "-crf", "0"), ("-c:v", "png", "-pix_fmt", "rgba")])
def test_rgb_is_delivered_in_a_stated_matrix(tmp_path: Path, coded: tuple[str, ...]) -> None:
    """The colours are those of the published formula, whatever a build or a player assumes of small pictures."""
    path, patches = tmp_path / "rgb.mov", [(200, 40, 60), (30, 180, 90), (20, 60, 220), (240, 230, 10)]
    row = np.repeat(np.array(patches, np.uint8), 40, axis=0)
    (tmp_path / "bare").write_bytes(np.broadcast_to(row, (10, 96, 160, 3)).tobytes())
    bare = ("-f", "rawvideo", "-pix_fmt", "rgb24", "-s", "160x96", "-r", "25", "-i", str(tmp_path / "bare"))
    run(*bare, *coded, str(path))
    clip = probe(path)
    assert clip.rgb
    assert dict(footage_rows(clip))["Levels"] == "RGB; delivered as Y'CbCr (bt709), limited range"
    plain = of_clip(clip)
    assert "becomes Y'CbCr (bt709)" in " ".join(programme_losses(plain))
    luma, blue, red = BT709 @ (np.array(patches).T / 255)
    wanted = np.array([16 + 219 * luma, 128 + 224 * blue, 128 + 224 * red])
    treated = replace(plain, treatments=(treatment("sharpen", {"amount": 0.01}),))
    for name, programme in (("plain", plain), ("treated", treated)):
        made = recipe("libx264", "ultrafast", 1, pixel_format="yuv444p"), recipe("prores_ks", "4444")
        for s in judged_study(tmp_path / f"{name}.ovrik", programme, *made):
            assert s.reasons == ()
            assert s.vmaf is not None
            assert s.vmaf.mean > 95
        for output in (tmp_path / f"{name} outputs").glob("*.m*"):
            samples = np.frombuffer(decoded(output, "yuv444p"), np.uint8).reshape(-1, 3, 96, 160)
            assert samples[0, :, 48, 20::40] == pytest.approx(wanted, abs=1.6), output.name
            assert probe(output).colour.matrix == "bt709"


def test_transparency_is_kept_where_it_can_be_and_said_where_not(tmp_path: Path) -> None:
    path = tmp_path / "alpha.mov"
    fade = "format=yuva444p10le,geq=lum='lum(X,Y)':cb='cb(X,Y)':cr='cr(X,Y)':a='X*6'"
    run(
        *SOURCE, "-vf", fade, "-c:v", "prores_ks", "-profile:v", "4444", "-pix_fmt", "yuva444p10le", str(path)
    )
    clip = probe(path)
    assert (clip.alpha, clip.bit_depth) == (True, 12)
    programme = of_clip(clip)
    kept = recipe("prores_ks", "4444", pixel_format="yuva444p10le")
    opaque, eight = recipe("prores_ks", "4444"), recipe("libx264", "ultrafast", 5)
    for s in judged_study(tmp_path / "s.ovrik", programme, kept, opaque, eight):
        assert s.reasons == ()
    assert [probe(p).alpha for p in sorted((tmp_path / "s outputs").glob("*.mov"))] == [True, False]
    assert "transparency is dropped" not in recipe_losses(programme, kept)
    assert "transparency is dropped" in recipe_losses(programme, opaque)
    lost = {"transparency is dropped", "12 bit becomes 8 bit", "4:4:4 becomes 4:2:0"}
    assert set(recipe_losses(programme, eight)) >= lost


def test_interlaced_is_said(tmp_path: Path) -> None:
    path = tmp_path / "fields.mov"
    run(
        "-f",
        "lavfi",
        "-i",
        "testsrc2=s=160x96:r=50:d=0.4",
        "-vf",
        "interlace=scan=tff",
        "-flags",
        "+ildct+ilme",
        "-c:v",
        "mpeg2video",
        "-q:v",
        "2",
        str(path),
    )
    clip = probe(path)
    assert clip.field_order == "upper field first"
    assert dict(footage_rows(clip))["Fields"] == "interlaced, upper field first"
    programme = of_clip(clip)
    assert any("woven into progressive" in w for w in programme_losses(programme))
    smaller = recipe("libx264", "ultrafast", 5, width=80, height=48)
    assert "scaling mixes the fields of interlaced frames" in recipe_losses(programme, smaller)
    assert judged_study(tmp_path / "s.ovrik", programme, recipe("libx264", "ultrafast", 5))[0].reasons == ()


def test_hdr_in_eight_bit_is_said(tmp_path: Path) -> None:
    path = tmp_path / "hdr.mp4"
    run(
        *SOURCE,
        "-c:v",
        "libx265",
        "-pix_fmt",
        "yuv420p10le",
        "-x265-params",
        "log-level=none:colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc",
        str(path),
    )
    clip = probe(path)
    assert clip.hdr == "PQ"
    programme = of_clip(clip)
    assert "HDR (PQ) in 8 bit shows banding" in recipe_losses(programme, recipe("libx264"))
    assert not any(
        "HDR" in w for w in recipe_losses(programme, recipe("libx265", pixel_format="yuv420p10le"))
    )


def test_tags_are_asked_of_container_and_stream(tmp_path: Path) -> None:
    tags = ("-vf", "setparams=color_primaries=bt709:color_trc=bt709:colorspace=bt709")
    honest, torn = tmp_path / "honest.mp4", tmp_path / "torn.mp4"
    run(*SOURCE, *SHARP, "-pix_fmt", "yuv420p", *tags, "-movflags", "+write_colr", str(honest))
    run(
        "-i",
        str(honest),
        "-c",
        "copy",
        "-bsf:v",
        "h264_metadata=colour_primaries=9",
        "-movflags",
        "+write_colr",
        str(torn),
    )
    assert probe(torn).stream_colour.primaries == "bt2020"
    assert probe(torn).colour.primaries == "bt709"
    programme = of_clip(probe(honest))
    made = recipe("libx264", pixel_format="yuv420p")
    wanted = delivery(programme, whole(programme), made)
    assert conformity_faults(probe(honest), wanted, made) == []
    assert conformity_faults(probe(torn), wanted, made) == [
        "its colour primaries is tagged bt709 in the container and bt2020 in the coded stream"
    ]


@pytest.mark.parametrize(
    ("encoder", "preset", "depth", "wanted"),
    [
        ("libx264", "medium", 8, "yuv420p"),
        ("libx264", "medium", 10, "yuv420p10le"),
        ("libx265", "fast", 12, "yuv420p12le"),
        ("libsvtav1", "8", 8, "yuv420p"),
        ("libsvtav1", "8", 12, "yuv420p10le"),
        ("prores_ks", "hq", 8, "yuv422p10le"),
        ("dnxhd", "dnxhr_sq", 10, "yuv422p"),
        ("h264_nvenc", "p4", 10, "yuv420p"),
    ],
)
def test_an_open_format_follows_the_depth_of_the_source(
    footage: Footage, encoder: str, preset: str, depth: int, wanted: str
) -> None:
    programme = of_clip(replace(footage, bit_depth=depth))
    made = following(Contender("bundled", recipe(encoder, preset, pixel_format="")), programme)
    assert made.recipe.pixel_format == wanted


PLAN = """[study]
title = "Odd"
footage = "{clip}"
[[contender]]
label = "odd"
encoder = "libx264"
{more}
"""


@pytest.mark.parametrize(
    ("size", "more", "words"),
    [
        (
            "161x90",
            'pixel_format = "yuv420p"',
            'odd width, which x264 can\'t code in 4:2:0; set size = "160x90"',
        ),
        ("160x91", 'pixel_format = "yuv422p"', ""),
        ("160x91", 'pixel_format = "yuv444p"', ""),
        ("160x90", 'encoder = "dnxhd"', "too small: DNxHR takes 256×120 and more"),
        ("160x90", 'size = "20000x20000"', "20000×20000 is too large: x264 takes up to 16384×16384"),
        ("160x90", 'size = "20000x16000"\nencoder = "ffv1"', "is too large: FFV1 takes up to 268 megapixels"),
        ("160x90", 'size = "16384x8706"\nencoder = "libsvtav1"', "SVT-AV1 takes up to 16384×8704"),
        (
            "32x32",
            'build = "system"\nencoder = "libsvtav1"',
            "32×32 is too small: SVT-AV1 takes 64×64 and more",
        ),
        ("32x32", 'encoder = "libsvtav1"', ""),
        ("16x16", "", "16×16 can't be scored: VMAF takes 20 pixels and more"),
        ("160x90", 'sound = "flac"', ""),
        ("160x90", 'container = "mov"\nsound = "flac"', "can't hold flac"),
        (
            "160x90",
            'build = "standin-echo"\nencoder = "h264_standin"\npixel_format = "yuv420p10le"',
            "10 bit",
        ),
        ("160x90", "raw = { crf = 30 }", "the raw option crf has its own key: set quality"),
        ("160x90", 'raw = { "x264-params" = "ref=2:colorprim=bt2020" }', "x264-params sets colorprim"),
    ],
)
def test_the_plan_predicts_what_would_fail(tmp_path: Path, size: str, more: str, words: str) -> None:
    clip = tmp_path / "clip.mkv"
    zero = ("-f", "rawvideo", "-pix_fmt", "gray", "-s", size, "-i", "/dev/zero")
    run(*zero, "-frames:v", "10", "-c:v", "ffv1", str(clip))
    text = PLAN.format(clip=clip.name, more=more)
    if 'encoder = "' in more:
        text = text.replace('encoder = "libx264"\n', "", 1)
    plan = tmp_path / "p.toml"
    plan.write_text(text)

    question = load_plan(plan)
    programme = programme_of(question.source, "x")
    question = for_programme(question, programme)
    found = checked_able(question.contenders, judge_for(programme, whole(programme), question.contenders))
    assert [e.can_run for e in found] == [not words], found
    assert words in found[0].reason


def test_frames_too_small_to_be_scored_are_refused_for_that(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As what another program exported may be: Ovrik's own are refused before they are timed."""
    monkeypatch.setattr("ovrik.work.lineup.able.LEAST_SIDE", 0)
    path = tmp_path / "tiny.mkv"
    run("-f", "lavfi", "-i", "testsrc2=s=16x16:r=25:d=0.4", "-c:v", "ffv1", str(path))
    found = judged_study(tmp_path / "s.ovrik", of_clip(probe(path)), recipe("libx264", "ultrafast", 10))[0]
    assert found.rounds == 1
    assert "16×16 is too small for VMAF" in " ".join(reasons_words(found.reasons))
