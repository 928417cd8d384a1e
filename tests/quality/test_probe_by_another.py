"""What is read from clips of many containers, beside what ffprobe reads."""

import json
import subprocess
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from numbered import HEIGHT, WIDTH
from odd_clips import run
from ovrik.quality.decode import probe as probing
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.sound import sound_of
from ovrik.quality.scores.bits import bits_of

CODINGS = {
    "b-frames.mp4": ("-c:v", "libx264", "-preset", "veryfast", "-bf", "3", "-g", "20", "-pix_fmt", "yuv420p"),
    "wide.mkv": ("-c:v", "libx265", "-preset", "ultrafast", "-pix_fmt", "yuv422p10le",
                 "-x265-params", "log-level=none"),
    "tall pixels.mov": ("-c:v", "prores_ks", "-pix_fmt", "yuv444p10le", "-vf", "setsar=16/11"),
    "stream.ts": ("-c:v", "mpeg2video", "-bf", "2", "-g", "12", "-pix_fmt", "yuv420p"),
    "untimed.avi": ("-c:v", "mpeg4", "-bf", "0", "-g", "15", "-pix_fmt", "yuv420p"),
    "bare.264": ("-an", "-c:v", "libx264", "-preset", "veryfast", "-bf", "2", "-pix_fmt", "yuv420p"),
    "tagged.mov": ("-c:v", "libx264", "-preset", "veryfast", "-pix_fmt", "yuvj420p", "-color_range", "pc",
                   "-vf", "setparams=colorspace=smpte170m:color_primaries=smpte170m:color_trc=smpte170m"),
}  # fmt: skip
FRAMES = 60


@pytest.fixture(scope="module", params=list(CODINGS))
def coded(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A second of 60 frames each."""
    path = tmp_path_factory.mktemp("probed") / str(request.param)
    run(
        *("-f", "lavfi", "-i", f"testsrc2=s={WIDTH}x{HEIGHT}:r=60:d=1"),
        *("-f", "lavfi", "-i", "sine=f=300:d=1:sample_rate=48000", "-shortest"),
        *CODINGS[request.param],
        str(path),
    )
    return path


def asked(path: Path) -> dict[str, Any]:
    """What ffprobe says of the picture and its packets."""
    words = ["ffprobe", "-v", "error", "-show_streams", "-show_packets", "-of", "json", str(path)]
    said = json.loads(subprocess.run(words, capture_output=True, check=True).stdout)
    [picture] = [s for s in said["streams"] if s["codec_type"] == "video"]
    packets = [p for p in said["packets"] if p["stream_index"] == picture["index"]]
    return {
        **picture,
        "packets": packets,
        "sounds": [s for s in said["streams"] if s["codec_type"] == "audio"],
    }


def test_a_clip_is_what_another_program_says(coded: Path) -> None:
    clip, said = probe(coded), asked(coded)
    assert clip.codec == said["codec_name"]
    assert (clip.width, clip.height) == (said["width"], said["height"])
    assert clip.pixel_format == said["pix_fmt"]
    assert clip.sample_aspect == Fraction(said.get("sample_aspect_ratio", "1:1").replace(":", "/"))
    assert (clip.frames, clip.frames_counted, clip.rate, clip.constant_rate) == (FRAMES, True, 60, True)
    assert clip.duration_s == pytest.approx(1.0)
    assert clip.bit_depth == int(said["pix_fmt"].partition("p")[2].removesuffix("le") or 8)
    assert clip.chroma == {"0": "4:2:0", "2": "4:2:2", "4": "4:4:4"}[said["pix_fmt"].split("p")[0][-1]]
    assert clip.colour.matrix == said.get("color_space", "").replace("unknown", "")
    assert clip.full_range == (said.get("color_range") == "pc")
    assert clip.size_bytes == coded.stat().st_size
    assert clip.untimed == coded.name.startswith(("untimed", "bare"))
    assert len(clip.sounds) == len(said["sounds"])
    if clip.untimed:
        assert (clip.start_s, clip.container_start_s) == (0.0, 0.0)
    else:
        shown = min(float(p["pts_time"]) for p in said["packets"])
        assert clip.start_s == pytest.approx(shown, abs=0.001)


def test_key_frames_are_as_far_apart(coded: Path) -> None:
    keys = [n for n, p in enumerate(asked(coded)["packets"]) if "K" in p["flags"]]
    wanted = max(np.diff(keys), default=0) / 60 if len(keys) > 1 else 59 / 60
    clip = probe(coded)
    if not clip.untimed:
        off = 0.035 if len(keys) > 1 else 0.002  # frames change places around a key frame
        assert clip.longest_gop_s == pytest.approx(wanted, abs=off)


def test_bits_are_those_of_its_packets_as_frames_are_shown(coded: Path) -> None:
    packets = asked(coded)["packets"]
    if all("pts" in p for p in packets):
        packets = sorted(packets, key=lambda p: p["pts"])
    if len(packets) == FRAMES:
        assert bits_of(coded, FRAMES).tolist() == [8 * int(p["size"]) for p in packets]
    assert bits_of(coded, FRAMES // 2).sum() == 8 * sum(int(p["size"]) for p in packets)


def test_of_a_long_clip_the_beginning_is_read(coded: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """As far as packets go; where frames change places, those at the end of it are not all there."""
    monkeypatch.setattr(probing, "MOST_PACKETS", 40)
    monkeypatch.setattr(probing, "REORDERED", 8)
    monkeypatch.setattr(probing, "DECODED_PIXELS", 0)
    monkeypatch.setattr(probing, "kept_index", lambda _checksum: None)
    monkeypatch.setattr(probing, "_known", {})
    clip = probe(coded)
    assert not clip.frames_counted
    assert clip.frames == pytest.approx(FRAMES, abs=20 if coded.name.startswith("bare") else 2)
    assert clip.bit_rate > 0
    assert clip.rate == 60
    if not clip.untimed:
        shown = min(float(p["pts_time"]) for p in asked(coded)["packets"])
        assert clip.start_s == pytest.approx(shown, abs=0.001)
        assert clip.jitter_s < 0.002
        assert clip.stored_frames == 0
    counted = probing.count_frames(clip)
    assert (counted.frames, counted.frames_counted) == (FRAMES, True)
    assert probing.count_frames(counted) is counted


@pytest.mark.parametrize("offset", [0.0, 0.25])
def test_sound_is_where_the_picture_is(tmp_path: Path, offset: float) -> None:
    """Of a picture that begins after its sound, the sound's later part is that of the first frame."""
    path = tmp_path / "late.mkv"
    tone = "aevalsrc=exprs='if(lt(t,0.5),0.2*sin(2*PI*200*t),0.8*sin(2*PI*400*t))':s=48000:d=2"
    picture = ("-itsoffset", str(offset), "-f", "lavfi", "-i", "testsrc2=s=160x120:r=20:d=2")
    run(*picture, "-f", "lavfi", "-i", tone, "-c:v", "ffv1", "-c:a", "pcm_s16le", str(path))
    t = np.arange(48_000) / 48_000 + 0.25
    wanted = np.where(t < 0.5, 0.2 * np.sin(2 * np.pi * 200 * t), 0.8 * np.sin(2 * np.pi * 400 * t))
    found = sound_of(path, 0.25 - offset, 1.0)
    assert found.shape == (48_000, 2)
    # Mono goes to both sides at half its power each.
    assert np.abs(found[:, 0] * np.sqrt(2) - wanted).max() < 0.01
    assert (found[:, 0] == found[:, 1]).all()


def test_sound_that_begins_late_is_silent_until_then(tmp_path: Path) -> None:
    path = tmp_path / "late sound.mkv"
    picture = ("-f", "lavfi", "-i", "testsrc2=s=160x120:r=20:d=1")
    run(*picture, "-itsoffset", "0.3", "-f", "lavfi", "-i", "sine=f=300:d=1:sample_rate=48000", "-c:v", "ffv1",
        "-c:a", "pcm_s16le", str(path))  # fmt: skip
    found = sound_of(path, 0.1, 0.6)[:, 0]
    assert np.abs(found[: 9_600 - 60]).max() == 0
    assert np.abs(found[9_600:]).max() == pytest.approx(0.125 / np.sqrt(2), rel=0.02)
