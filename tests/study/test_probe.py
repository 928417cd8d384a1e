"""What is read from clips, and what is said of files that are none."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import pytest

from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.study.clip.footage import Footage
from tiny_clip import FRAMES, write_clip


def test_reads_the_facts(footage: Footage) -> None:
    assert (footage.codec, footage.width, footage.height) == ("ffvhuff", 320, 180)
    assert footage.rate == Fraction(25)
    assert footage.constant_rate
    assert (footage.frames, footage.frames_counted) == (FRAMES, True)
    assert footage.duration_s == pytest.approx(1.2)
    assert (footage.pixel_format, footage.bit_depth, footage.chroma) == ("yuv422p10le", 10, "4:2:2")
    assert footage.sample_aspect == 1
    assert [(s.codec, s.sample_rate, s.channels, s.layout) for s in footage.sounds] == [
        ("pcm_s16le", 48000, 2, "stereo")
    ]


def test_survives_json(footage: Footage) -> None:
    assert Footage.from_json(footage.to_json()) == footage


def test_knows_a_variable_rate(tmp_path: Path) -> None:
    stamps = [0, 1, 2, 5, 6, 7, 12, 13, 14, 15]
    uneven = probe(write_clip(tmp_path / "uneven.mkv", 10, stamps=stamps))
    assert not uneven.constant_rate
    assert (uneven.stored_frames, uneven.frames) == (10, 16)
    assert uneven.duration_s == pytest.approx(0.64, abs=0.002)
    assert "0 left out" in uneven.rate_evidence


def test_rational_rate_and_matroska_rounding(tmp_path: Path) -> None:
    path = tmp_path / "ntsc.mkv"
    with av.open(str(path), "w") as box:
        stream = box.add_stream("mpeg4", rate=Fraction(30000, 1001))
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuv420p"
        for n in range(40):
            frame = av.VideoFrame(64, 48, "yuv420p")
            frame.pts = n
            box.mux(stream.encode(frame))
        box.mux(stream.encode(None))
    read = probe(path)
    assert read.rate == Fraction(30000, 1001)
    assert read.constant_rate  # time stamps in whole milliseconds jitter, the rate does not
    assert read.chroma == "4:2:0"
    assert read.sounds == ()


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("missing.mov", None, "is not there"),
        ("notes.mp4", b"These are only words, not pictures.\n" * 40, "not a clip"),
        ("empty.mp4", b"", "not a clip"),
    ],
)
def test_refuses_what_is_no_clip(tmp_path: Path, name: str, content: bytes | None, words: str) -> None:
    path = tmp_path / name
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(OvrikError) as caught:
        probe(path)
    assert words in str(caught.value)
    assert name in str(caught.value)
    assert caught.value.remedy


def test_refuses_a_folder(tmp_path: Path) -> None:
    with pytest.raises(OvrikError, match="folder"):
        probe(tmp_path)


def test_refuses_sound_alone(tmp_path: Path) -> None:
    path = tmp_path / "tone.wav"
    with av.open(str(path), "w") as box:
        track = box.add_stream("pcm_s16le", rate=8000, layout="mono")
        import numpy as np

        audio = av.AudioFrame.from_ndarray(np.zeros((1, 800), np.int16), format="s16", layout="mono")
        audio.sample_rate = 8000
        box.mux(track.encode(audio))
    with pytest.raises(OvrikError, match="no video"):
        probe(path)


def test_truncated_clip_is_read_as_far_as_it_goes(tmp_path: Path, clip: Path) -> None:
    path = tmp_path / "cut.mkv"
    whole = clip.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    assert 2 <= probe(path).frames < FRAMES


def test_a_frames_time_is_its_number_over_the_rate(footage: Footage) -> None:
    assert footage.time_of(0) == 0.0
    assert footage.time_of(10) == 0.4
    assert replace(footage, rate=Fraction(30000, 1001)).time_of(30) == pytest.approx(1.001)
