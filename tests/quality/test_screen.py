"""A file's own colours on the screen, its own numbers under the pointer, and any frame at once."""

from pathlib import Path

import av
import numpy as np
import pytest

from moving_clip import write_moving
from odd_clips import run
from ovrik.errors import OvrikError
from ovrik.quality.viewing.frames import FrameReader
from ovrik.quality.viewing.intra_copy import copy_path, make_copy, worth_it
from ovrik.quality.viewing.looked_at import LookedAt
from ovrik.quality.viewing.screen import HLG, PQ, WHITE_NITS, numbers_at, seen, stored_place, to_sdr


def flat(y: int, cb: int, cr: int, depth: int = 8, **tags: int) -> av.VideoFrame:
    """A frame of one colour, 64×32."""
    frame = av.VideoFrame(64, 32, "yuv420p" if depth == 8 else f"yuv420p{depth}le")
    for plane, value in zip(frame.planes, (y, cb, cr), strict=True):
        plane.update(
            value.to_bytes(1 if depth == 8 else 2, "little") * (plane.buffer_size // (1 if depth == 8 else 2))
        )
    for name, value in tags.items():
        setattr(frame, name, value)
    return frame


def by_hand(y: float, cb: float, cr: float, kr: float, kb: float) -> list[int]:
    """Limited-range Y′CbCr to R′G′B′ by the formula of BT.601, BT.709 and BT.2020."""
    y, cb, cr = (y - 16) / 219, (cb - 128) / 224, (cr - 128) / 224
    red, blue = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
    green = (y - kr * red - kb * blue) / (1 - kr - kb)
    return [round(255 * min(max(v, 0), 1)) for v in (red, green, blue)]


@pytest.mark.parametrize(
    ("matrix", "kr", "kb"), [(1, 0.2126, 0.0722), (6, 0.299, 0.114), (2, 0.2126, 0.0722)]
)
def test_the_files_own_matrix(matrix: int, kr: float, kb: float) -> None:
    """By its tag; untagged is BT.709, as everywhere in Ovrik."""
    shown = seen(flat(110, 90, 160, colorspace=matrix, color_range=1)).pixels[16, 32, 2::-1]
    assert np.abs(shown.astype(int) - by_hand(110, 90, 160, kr, kb)).max() <= 2


def test_ten_bits_and_full_range() -> None:
    ten = seen(flat(440, 360, 640, 10, colorspace=1, color_range=1)).pixels[16, 32, 2::-1]
    assert np.abs(ten.astype(int) - by_hand(110, 90, 160, 0.2126, 0.0722)).max() <= 2
    full = seen(flat(110, 128, 128, colorspace=1, color_range=2)).pixels[16, 32]
    assert np.abs(full[:3].astype(int) - 110).max() <= 1


def test_hdr_is_brought_to_the_screen_and_says_so() -> None:
    """Graphics white of PQ and HLG, 203 cd/m², lies near the screen's white; what is brighter is kept apart."""
    signal = np.full((1, 1, 3), round(0.5806 * 65535), np.uint16)  # PQ of 203 cd/m² by SMPTE ST 2084
    white = float(to_sdr(signal, PQ)[0, 0, 0])
    assert 0.9 < white < 0.99
    bright = float(to_sdr(np.full((1, 1, 3), round(0.75 * 65535), np.uint16), PQ)[0, 0, 0])
    assert white < bright <= 1
    dim = float(to_sdr(np.full((1, 1, 3), round(0.4403 * 65535), np.uint16), PQ)[0, 0, 0])  # 50 cd/m²
    linear = 50 / WHITE_NITS
    assert dim == pytest.approx(1.055 * linear ** (1 / 2.4) - 0.055, abs=0.01)
    hlg = float(
        to_sdr(np.full((1, 1, 3), round(0.75 * 65535), np.uint16), HLG)[0, 0, 0]
    )  # its graphics white
    assert 0.88 < hlg < 0.99
    found = seen(flat(400, 512, 512, 10, colorspace=9, color_trc=16, color_primaries=9, color_range=1))
    assert found.said == "HDR (PQ), tone-mapped"
    assert seen(flat(100, 128, 128)).said == ""


def test_the_files_own_numbers(tmp_path: Path) -> None:
    """Under the pointer: where a pixel is shown, also when the picture is turned or its pixels are not square."""
    found = seen(flat(440, 360, 640, 10))
    assert numbers_at(found, 10, 10) == (("Y′", 440), ("Cb", 360), ("Cr", 640))
    write_moving(tmp_path / "plain.mkv", 0.4)
    turned = tmp_path / "it's turned.mp4"
    run("-i", str(tmp_path / "plain.mkv"), "-c:v", "libx264", "-qp", "0", str(tmp_path / "t.mp4"))
    run("-display_rotation", "90", "-i", str(tmp_path / "t.mp4"), "-c", "copy", str(turned))
    one = LookedAt(turned).seen(3)
    assert one.pixels.shape[:2] == (320, 180)
    luma = FrameReader(turned).luma(3)
    for x, y in ((0, 0), (179, 0), (17, 300), (90, 160)):
        across, down = stored_place(one, x, y)
        assert numbers_at(one, x, y)[0] == ("Y′", int(luma[down, across]))
        grey = one.pixels[y, x, :3].astype(int)
        assert abs(grey.mean() - seen(one.frame).pixels[y, x, :3].mean()) < 1
    assert stored_place(one, 0, 0) in ((319, 0), (0, 179))
    wide = seen(flat(100, 128, 128), 2.0)
    assert wide.pixels.shape[:2] == (32, 128)
    assert stored_place(wide, 127, 31) == (63, 31)


def test_a_copy_gives_the_very_same_frames(tmp_path: Path) -> None:
    write_moving(tmp_path / "source.mkv", 3)
    path = tmp_path / "long gop.mp4"
    run("-i", str(tmp_path / "source.mkv"), "-c:v", "libx264", "-g", "250", "-bf", "3", str(path))
    assert worth_it(path)
    plain = LookedAt(path)
    own = {n: plain.seen(n).pixels for n in (0, 7, 40, 74)}
    made = make_copy(path)
    assert made is not None
    assert made == copy_path(path)
    copied = LookedAt(path)
    for n in (40, 0, 74, 7, 8, 9):
        wanted = own.get(n, FrameReader(path).rgb(n)[..., ::-1] if n not in own else None)
        assert np.array_equal(copied.seen(n).pixels[..., :3], np.asarray(wanted)[..., :3]), n
    assert copied._copy is not None
    assert numbers_at(copied.seen(40), 5, 5) == numbers_at(plain.seen(40), 5, 5)
    with pytest.raises(OvrikError, match="no frame 75"):
        copied.seen(75)
    made.write_bytes(b"broken")
    broken = LookedAt(path)
    assert np.array_equal(broken.seen(40).pixels, own[40])
    intra = tmp_path / "intra.mov"
    run("-i", str(tmp_path / "source.mkv"), "-c:v", "mjpeg", str(intra))
    assert not worth_it(intra)


def test_a_copy_is_of_the_file_as_it_is(tmp_path: Path) -> None:
    """One that was replaced is not shown by the copy of what was there before, and what a kill left is cleared
    away."""
    path = tmp_path / "o.mp4"
    coded = ("-c:v", "libx264", "-g", "250", "-qp", "0")
    run("-i", str(write_moving(tmp_path / "one.mkv", 1)), *coded, str(path))
    left = copy_path(path).with_suffix(".999999999.partial")
    left.parent.mkdir(parents=True, exist_ok=True)
    left.write_bytes(b"half")
    old = make_copy(path)
    assert not left.exists()
    run("-i", str(tmp_path / "one.mkv"), "-vf", "negate", *coded, str(path))
    assert copy_path(path) != old
    shown = LookedAt(path).seen(20).pixels
    assert np.array_equal(shown[..., 2::-1], FrameReader(path).rgb(20))


def test_no_copy_where_it_would_look_different(tmp_path: Path) -> None:
    """A copy can't say where BT.2020 has its chroma samples: such a clip is looked at itself."""
    write_moving(tmp_path / "source.mkv", 1)
    path = tmp_path / "hdr.mp4"
    tags = "log-level=error:keyint=60:colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc"
    coded = ("-pix_fmt", "yuv420p10le", "-c:v", "libx265", "-x265-params", tags)
    run("-i", str(tmp_path / "source.mkv"), *coded, str(path))
    assert worth_it(path)
    assert make_copy(path) is None
    reader = FrameReader(path)
    straight = [reader.rgb(n) for n in range(25)]
    one = LookedAt(path)
    for n in (20, 0, 9):
        assert np.array_equal(one.seen(n).pixels[..., 2::-1], straight[n])


def test_a_copy_that_is_stopped_leaves_nothing(tmp_path: Path) -> None:
    from ovrik.errors import Stopped

    path = write_moving(tmp_path / "source.mkv", 1)
    asked: list[int] = []

    def stop() -> bool:
        asked.append(1)
        return len(asked) > 4

    with pytest.raises(Stopped):
        make_copy(path, stop)
    assert not list(copy_path(path).parent.glob(f"{copy_path(path).stem}*"))
