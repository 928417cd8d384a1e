"""Any frame, in any order, is the right frame."""

from pathlib import Path

import av
import numpy as np
import pytest

from ovrik.errors import OvrikError
from ovrik.export.run.timed import timed_run
from ovrik.machine.builds.build import locate
from ovrik.quality.viewing.frames import FrameReader
from ovrik.quality.viewing.thumbnails import strip, strip_frames
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from plain_export import export_command
from tiny_clip import moving_picture


def test_random_access_in_an_intra_clip(clip: Path) -> None:
    reader = FrameReader(clip)
    for n in (0, 29, 3, 4, 5, 28, 0):
        assert (reader.luma(n) == moving_picture(n)).all()


def test_random_access_through_long_groups(footage: Footage, tmp_path: Path) -> None:
    partial, path = tmp_path / "p.mp4", tmp_path / "o.mp4"
    argv = export_command(
        str(locate("bundled")), footage, whole(footage), recipe("libx264", "medium", 10), partial
    )
    assert timed_run([argv], partial, path).state == "done"
    straight = [FrameReader(path).luma(n) for n in range(30)]
    reader = FrameReader(path)
    for n in (17, 2, 29, 16, 0, 1, 28):
        assert (reader.luma(n) == straight[n]).all()
        error = np.abs(straight[n].astype(float) * 4 - moving_picture(n))
        assert error.mean() < 25  # the frame itself, not a neighbour


def test_rgb_has_the_size_of_a_frame(clip: Path) -> None:
    assert FrameReader(clip).rgb(3).shape == (180, 320, 3)
    assert FrameReader(clip, size=(160, 90)).rgb(3).shape == (90, 160, 3)


def test_no_such_frame(clip: Path) -> None:
    with pytest.raises(OvrikError, match="no frame 30"):
        FrameReader(clip).rgb(30)
    with pytest.raises(OvrikError, match="is not there"):
        FrameReader(clip.parent / "none.mkv")


def test_thumbnails(clip: Path) -> None:
    numbers = strip_frames(30, 6)
    assert numbers == [2, 7, 12, 17, 22, 27]
    pictures = strip(clip, numbers)
    assert list(pictures) == numbers
    import io

    with av.open(io.BytesIO(pictures[12]), format="mjpeg") as box:
        frame = next(box.decode(video=0))
    assert (frame.width, frame.height) == (128, 72)


def test_thumbnails_stop(clip: Path) -> None:
    assert strip(clip, [0, 5, 10], should_stop=lambda: True) == {}
