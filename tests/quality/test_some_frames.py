"""Frames that nobody wants are left out undecoded; those that are wanted are what a player shows."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from odd_clips import run
from ovrik.errors import OvrikError
from ovrik.quality.decode.frame_index import decoded_frames, sample_sum
from ovrik.quality.decode.some_frames import some_frames

FRAMES = 23


@pytest.fixture(scope="module", params=["ffvhuff", "prores_ks", "mjpeg", "libx264"])
def clip(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    place: Path = tmp_path_factory.mktemp("some") / "c.mkv"
    run(
        "-f",
        "lavfi",
        "-i",
        f"testsrc2=s=96x64:r=25,trim=end_frame={FRAMES}",
        "-pix_fmt",
        "yuvj422p"
        if request.param == "mjpeg"
        else "yuv422p10le"
        if request.param == "prores_ks"
        else "yuv420p",
        "-c:v",
        request.param,
        str(place),
    )
    return place


@settings(max_examples=15)
@given(st.sets(st.integers(0, FRAMES + 2)))
def test_those_that_are_wanted_are_the_frames_of_a_player(clip: Path, wanted: set[int]) -> None:
    shown = [sample_sum(f) for f in decoded_frames(clip)]
    found = list(some_frames(clip, wanted.__contains__))
    assert len(found) == FRAMES
    left_out = {n for n, f in enumerate(found) if f is None}
    for number, frame in enumerate(found):
        if frame is not None:
            assert sample_sum(frame) == shown[number]
    assert left_out == (set() if "x264" in clip_codec(clip) else set(range(FRAMES)) - wanted)


def clip_codec(clip: Path) -> str:
    return "x264" if b"x264" in clip.read_bytes() else "alone"


def test_a_frame_that_can_not_be_decoded_is_an_error_where_it_is_wanted_and_none_where_not(
    tmp_path: Path,
) -> None:
    place = tmp_path / "c.avi"
    run("-f", "lavfi", "-i", "testsrc2=s=96x64:r=25,trim=end_frame=9", "-c:v", "prores_ks", str(place))
    content, number = bytearray(place.read_bytes()), 4
    at = -1
    for _frame in range(number + 1):
        at = content.index(b"icpf", at + 1)
    content[at : at + 60] = bytes(60)
    place.write_bytes(bytes(content))
    with pytest.raises(OvrikError, match="can't be decoded"):
        list(some_frames(place, lambda _n: True))
    assert len(list(some_frames(place, lambda n: n != number))) == 9
