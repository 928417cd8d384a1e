"""Whatever the container: the frames that are asked for, and their sound. Every frame carries its own number."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from approving import allow_program
from calm import CALM
from numbered import HEIGHT, WIDTH, number_in, numbered_picture
from odd_clips import CASES, Odd, numbers_of, pitch_change_s, run, write_odd
from ovrik.errors import OvrikError
from ovrik.export.command.export import Export, export_commands
from ovrik.export.run.process import measure
from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.pace import pace_of
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline
from ovrik.quality.reference.frames_read import reader_of
from ovrik.quality.reference.true_frames import wrong_frames
from ovrik.quality.viewing.frames import FrameReader
from ovrik.report.words.reasons import reason_words
from ovrik.store.study import Study
from ovrik.study.clip import frame_access as reading
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, Shot, SoundPiece, of_clip, of_clips
from ovrik.study.timeline.writer import write_timeline
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

LENGTH = 20


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the odd clips lie; a name that has to be quoted."""
    made = tmp_path_factory.mktemp("odd") / "it's, [odd]"
    made.mkdir()
    return made


def exported(programme: Programme, excerpt: Excerpt, output: Path) -> Path:
    """The excerpt exported by the bundled build, after its frames were proved."""
    build = find_build("bundled")
    made = recipe("libx264", "ultrafast", 10, sound="aac" if programme.sounds else "none")
    job = Export(build.path, programme, excerpt, made)
    assert wrong_frames(reader_of(job, build.sha256), programme, excerpt) == ""
    usage = measure(export_commands(job, output, output.with_suffix(".stats"))[-1])
    assert usage.exit_code == 0, usage.log
    return output


def in_a_timeline(clip: Footage, start: int, folder: Path) -> Programme:
    """One shot of a clip with its sound, written as a timeline and read back."""
    at, length = start / clip.rate, LENGTH / clip.rate
    sound = ((SoundPiece(0, at, length, Fraction(0)),),) if clip.sounds else ()
    made = replace(of_clips("cut", (clip,)), shots=(Shot(0, start, LENGTH),), sound=sound)
    write_timeline(made, folder / "cut.otio")
    found = read_timeline(folder / "cut.otio").programme
    assert found is not None
    return found


@pytest.mark.parametrize("crossed", [False, pytest.param(True, marks=pytest.mark.sweep)])
@pytest.mark.parametrize("odd", CASES, ids=[c.name for c in CASES])
def test_the_frames_and_the_sound_that_are_meant(
    folder: Path, tmp_path: Path, odd: Odd, crossed: bool
) -> None:
    """As a clip near its start and in a timeline further in; crossed, the other way round."""
    path = write_odd(folder, odd)
    assert numbers_of(path) == list(range(odd.first, odd.first + odd.frames)), "the clip itself"
    clip = probe(path)
    assert (clip.frames, clip.rate, clip.constant_rate) == (odd.frames, 25, True)
    assert clip.duration_s == pytest.approx(odd.frames / 25)
    for start, is_cut in ((20, crossed), (min(163, odd.frames - LENGTH), not crossed)):
        programme, excerpt = of_clip(clip), Excerpt(start, LENGTH)
        if is_cut:
            programme, excerpt = in_a_timeline(clip, start, folder), Excerpt(0, LENGTH)
        wanted = list(range(odd.first + start, odd.first + start + LENGTH))
        output = exported(programme, excerpt, tmp_path / "out.mp4")
        assert numbers_of(output) == wanted, (start, "in a timeline" if is_cut else "as a clip")
        made = probe(output)
        assert made.container_s == pytest.approx(0.8, abs=0.1)
        begins = odd.sound_s + start / 25
        if odd.sound and np.ceil(begins) - begins < 0.75:
            assert pitch_change_s(output) == pytest.approx(np.ceil(begins) - begins, abs=0.07), start
        reader = FrameReader(path)
        assert reader.count == odd.frames
        reader.close()


@pytest.mark.parametrize("odd", [c for c in CASES if c.size == (WIDTH, HEIGHT)], ids=lambda c: c.name)
def test_the_viewer_shows_the_frame_it_names(folder: Path, odd: Odd) -> None:
    path = folder / f"viewed {odd.name}.{odd.ending}"
    path = write_odd(folder, odd)
    reader = FrameReader(path)
    for number in (odd.frames - 1, 0, 30, 29, odd.frames // 2):
        luma = reader.luma(number)
        assert number_in(luma / 4 if luma.dtype == np.uint16 else luma) == odd.first + number
    reader.close()


@pytest.mark.parametrize("name", ["mp4 edit list", "mov edit list", "mp4 late picture", "mpegts h264"])
def test_packets_alone_count_what_is_shown(folder: Path, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    """Of clips too large to be decoded at once."""
    path = write_odd(folder, odd := next(c for c in CASES if c.name == name))
    monkeypatch.setattr("ovrik.quality.decode.probe.DECODED_PIXELS", 0)
    monkeypatch.setattr("ovrik.quality.decode.probe.kept_index", lambda _checksum: None)
    clip = probe(path)
    assert (clip.frames, clip.rate, clip.constant_rate) == (odd.frames, 25, True)


@pytest.mark.parametrize("pixels", [0, 250_000_000])
def test_an_edit_list_that_ends_early(folder: Path, monkeypatch: pytest.MonkeyPatch, pixels: int) -> None:
    path = folder / f"ends early {pixels}.mp4"
    data = bytearray(write_odd(folder, CASES[0]).read_bytes())
    at = data.index(b"elst") + 12  # the duration of its only segment (ISO/IEC 14496-12, 8.6.6)
    data[at : at + 4] = (int.from_bytes(data[at : at + 4]) // 2).to_bytes(4)
    path.write_bytes(data)
    assert numbers_of(path) == list(range(100)), "the clip itself"
    monkeypatch.setattr("ovrik.quality.decode.probe.DECODED_PIXELS", pixels)
    clip = probe(path)
    assert clip.frames == 100
    output = exported(of_clip(clip), Excerpt(80, 20), path.with_name("end.mp4"))
    assert numbers_of(output) == list(range(80, 100))


def test_sound_that_begins_later_stays_in_its_place(folder: Path, tmp_path: Path) -> None:
    odd = next(c for c in CASES if c.name == "mkv late sound")
    clip = probe(write_odd(folder, odd))
    plain = of_clip(clip)
    cut = replace(
        of_clips("c", (clip,)),
        shots=(Shot(0, 5, 50),),
        sound=((SoundPiece(0, Fraction(1, 5), Fraction(2), Fraction(0)),),),
    )
    for programme, excerpt in ((plain, Excerpt(5, 50)), (plain, Excerpt(0, 55)), (cut, Excerpt(0, 50))):
        output = exported(programme, excerpt, tmp_path / "out.mp4")
        begins = 0.0 if excerpt.frames == 55 else 0.2
        assert pitch_change_s(output) == pytest.approx(1.5 - begins, abs=0.07)


def test_a_seek_that_lands_late_is_seen_by_the_viewer(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = write_odd(folder, next(c for c in CASES if c.name == "mpegts mpeg2"))
    monkeypatch.setattr("ovrik.quality.viewing.frames.BY_CONTAINER", {"mpegts": reading.SEEK})
    reader = FrameReader(path)
    assert [number_in(reader.luma(n)) for n in (163, 20, 199, 90)] == [163, 20, 199, 90]
    reader.close()


UNEVEN = [0, 40, 80, 120, 480, 520, 560, 600, 1000, 1062, 1080, 1400]
"""Milliseconds at which frames begin; the last one stands for 40. At 25 fps the one at 1062 falls together with the
next, so that it is left out."""


def write_uneven(path: Path) -> Path:
    """Numbered frames at uneven times."""
    with av.open(str(path), "w") as box:
        stream = box.add_stream("ffv1", rate=25)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.codec_context.time_base = Fraction(1, 1000)
        for n, at in enumerate(UNEVEN):
            frame = av.VideoFrame(WIDTH, HEIGHT, "yuv420p")
            for place, plane in enumerate(frame.planes):
                rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)
                rows[:, : plane.width] = numbered_picture(n) if place == 0 else 128
            frame.pts, frame.time_base = at, Fraction(1, 1000)
            box.mux(stream.encode(frame))
        box.mux(stream.encode(None))
    return path


def standing(place: int) -> int:
    """The number of the frame that stands at a place of the grid."""
    return max(n for n, at in enumerate(UNEVEN) if int(at / 40 + 0.5) <= place)


def test_a_variable_rate_is_made_constant_and_loses_nothing(tmp_path: Path) -> None:
    clip = probe(write_uneven(tmp_path / "uneven.mkv"))
    assert not clip.constant_rate
    assert (clip.rate, clip.stored_frames, clip.frames) == (25, 12, 36)
    assert clip.duration_s == pytest.approx(1.44, abs=0.005)
    assert "25 frames are repeated, 1 left out" in clip.rate_evidence
    wanted = [standing(k) for k in range(36)]
    assert numbers_of(exported(of_clip(clip), Excerpt(0, 36), tmp_path / "all.mp4")) == wanted
    for start in (8, 19, 24, 30):
        part = exported(of_clip(clip), Excerpt(start, 6), tmp_path / "part.mp4")
        assert numbers_of(part) == wanted[start : start + 6]
        cut = replace(of_clips("c", (clip,)), shots=(Shot(0, start, 6),), sound=())
        assert numbers_of(exported(cut, Excerpt(0, 6), tmp_path / "cut.mp4")) == wanted[start : start + 6]
    reader = FrameReader(Path(clip.path))
    assert reader.count == 36
    assert (reader.luma(20)[HEIGHT // 4] == reader.luma(15)[HEIGHT // 4]).all()
    reader.close()


def test_a_rate_that_drifts_from_what_the_file_states_is_found() -> None:
    stamps = (
        np.arange(1200) * 1001 // 24
    )  # 23.976 fps in milliseconds, where 24 fps would be within a tick a step
    found = pace_of(stamps, Fraction(1, 1000), [Fraction(24)], 0.04, "all")
    assert (found.rate, found.constant, found.frames) == (Fraction(24000, 1001), True, 1200)


WALL = pytest.mark.parametrize(
    ("name", "method"), [("mpegts mpeg2", reading.SEEK), ("avi h264", reading.SEEK)]
)


@WALL
def test_what_would_be_read_wrongly_is_refused(
    folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str, method: str
) -> None:
    odd = next(c for c in CASES if c.name == name)
    path = write_odd(folder, odd)
    clip = replace(probe(path), untimed=False)
    monkeypatch.setitem(reading.BY_CONTAINER, clip.container.split(",")[0], method)
    build = find_build("bundled")
    job = Export(build.path, of_clip(clip), Excerpt(163, LENGTH), recipe("libx264"))
    why = wrong_frames(reader_of(job, "trusting a seek"), job.programme, job.excerpt)
    output = tmp_path / "wrong.mp4"
    measure(export_commands(job, output, tmp_path / "stats")[-1])
    assert numbers_of(output) != list(range(163, 163 + LENGTH)), (
        "the seek is right after all: choose another clip"
    )
    assert "163" in why
    assert path.name in why


def test_frames_that_are_not_there_are_refused(folder: Path) -> None:
    clip = probe(write_odd(folder, CASES[0]))
    longer = replace(clip, frames=clip.frames + 5)
    build = find_build("bundled")
    job = Export(build.path, of_clip(longer), Excerpt(190, 15), recipe("libx264"))
    why = wrong_frames(reader_of(job, build.sha256), job.programme, job.excerpt)
    assert f"holds {clip.frames} frames that can be shown, not {clip.frames + 5}" in why


def test_a_build_that_reads_other_frames_is_out_before_it_is_timed(tmp_path: Path, folder: Path) -> None:
    program = tmp_path / "late ffmpeg"
    program.write_text(f"""#!/usr/bin/env python3
import os, sys
given = [w.replace("trim=start_frame=20:end_frame=40", "trim=start_frame=21:end_frame=41") for w in sys.argv[1:]]
os.execv({find_build("bundled").path!r}, ["ffmpeg", *given])
""")
    program.chmod(0o755)
    allow_program(program)
    clip = probe(write_odd(folder, next(c for c in CASES if c.name == "avi mpeg4")))
    study = Study.create(tmp_path / "s.ovrik", "S", of_clip(clip), Excerpt(20, LENGTH), rounds=2, warmup=0)
    study.set_conduct(CALM)
    study.add_contenders(
        [
            Contender("bundled", recipe("libx264", "ultrafast")),
            Contender(str(program), recipe("libx264", "ultrafast")),
        ]
    )
    assert not time_all(study, remaining(study, [1, 2], 2))
    good, bad = gather(study).summaries
    assert [r.state for r in good.runs] == ["done", "done"]
    assert [r.state for r in bad.runs] == ["failed"]
    assert "begins with frame 21 instead of 20" in reason_words(bad.reasons[0])
    study.close()


@pytest.mark.parametrize("many", [1, 2])
def test_a_clip_of_a_frame_or_two(tmp_path: Path, many: int, folder: Path) -> None:
    path = tmp_path / "short.mov"
    write_odd(folder, CASES[0])
    run(
        "-i",
        str(folder / f"{CASES[0].name}.mp4"),
        "-frames:v",
        str(many),
        "-an",
        "-c:v",
        "prores_ks",
        str(path),
    )
    clip = probe(path)
    assert clip.frames == many
    output = exported(of_clip(clip), Excerpt(0, many), tmp_path / "out.mp4")
    assert numbers_of(output) == list(range(many))


def refused(path: Path) -> str:
    with pytest.raises(OvrikError) as caught:
        probe(path)
    return str(caught.value)


def test_what_is_no_clip_is_refused_for_what_it_is(tmp_path: Path) -> None:
    picture = ("-f", "lavfi", "-i", "testsrc2=s=64x48:d=0.4")
    for ending in ("png", "jpg", "gif"):
        still = tmp_path / f"still.{ending}"
        run(*picture, "-frames:v", "1", str(still))
        assert "still picture" in refused(still)
    run(*picture, str(tmp_path / "moving.gif"))
    assert "animated picture" in refused(tmp_path / "moving.gif")
    run(*picture, "-f", "rawvideo", str(tmp_path / "bare.YUV"))
    assert "bare samples" in refused(tmp_path / "bare.YUV")
