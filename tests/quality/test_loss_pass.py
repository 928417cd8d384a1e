"""The pass over the reference that measures losses; shades for a key; where a turned pixel is stored; steps."""

import re
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from moving_clip import write_moving
from odd_clips import run
from ovrik.errors import OvrikError, Stopped
from ovrik.quality.checks.alignment import Match
from ovrik.quality.checks.miniatures import miniatures
from ovrik.quality.decode.frame_index import _stamp, _step
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.known_render import STEPS, _untouched
from ovrik.quality.scores.losses import ToMeasure, losses_of, measurable, measured_meanwhile
from ovrik.quality.scores.one_reading import BesideThem, Reading, read_together
from ovrik.quality.viewing.screen import stored_place
from ovrik.study.programme.treatment import treatment
from tiny_clip import write_clip


def test_of_the_same_file_nothing_is_lost_and_shares_count_frames(tmp_path: Path) -> None:
    clip = probe(write_clip(tmp_path / "c.mkv", 6, sound=False))
    path, shares = Path(clip.path), list[float]()
    late = Match(0, 6, 1.0)
    [found] = losses_of([ToMeasure(path, clip, late)], path, clip, shares.append)
    assert shares == pytest.approx([n / 6 for n in range(1, 7)])
    assert all(len(values) == 6 and not values.any() for values in found.values())


def test_an_output_that_begins_late_is_measured_beside_its_own_frames(tmp_path: Path) -> None:
    clip = probe(write_clip(tmp_path / "c.mkv", 8, sound=False))
    path = Path(clip.path)
    # The output's frame k shows the reference's frame k + 2, of which there are six; and the other way round.
    ahead, behind = Match(2, 6, 1.0), Match(-2, 6, 1.0)
    [one, other] = losses_of([ToMeasure(path, clip, ahead), ToMeasure(path, clip, behind)], path, clip)
    assert {len(v) for v in one.values()} == {6}
    assert {len(v) for v in other.values()} == {6}
    assert any(v.any() for v in one.values()), "frames that differ were compared"


def test_what_has_bars_or_another_rate_can_not_be_measured(tmp_path: Path) -> None:
    clip = probe(write_clip(tmp_path / "c.mkv", 6, sound=False))
    plain = Match(0, 6, 1.0)
    job = ToMeasure(Path(clip.path), clip, plain)
    assert measurable(job, clip)
    assert not measurable(replace(job, match=replace(plain, own_edges=(0.1, 0.1, 0.0, 0.0))), clip)
    assert not measurable(replace(job, match=replace(plain, edges=(0.0, 0.0, 0.1, 0.0))), clip)
    assert not measurable(job, replace(clip, rate=Fraction(50)))
    assert not measurable(job, replace(clip, chroma="RGB", pixel_format="gbrp"))
    assert losses_of([replace(job, clip=replace(clip, rate=Fraction(50)))], Path(clip.path), clip) == [{}]


def test_what_was_measured_while_it_was_read_is_completed_and_no_other(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A frame that VMAF finds unusual is measured for all kinds later; the others are not decoded again."""
    source = probe(write_moving(tmp_path / "c.mkv", 1))
    coarse = tmp_path / "coarse.mp4"
    run("-i", source.path, "-c:v", "libx264", "-crf", "45", "-pix_fmt", "yuv420p", str(coarse))
    path, clip = Path(source.path), probe(coarse)
    job = ToMeasure(coarse, clip, Match(0, clip.frames, 1.0))
    vmaf = np.full(clip.frames, 90.0)
    vmaf[[8, 15]] = 40, 60
    reading = Reading(coarse, measured_meanwhile(job, source))
    assert reading.measured
    read_together([reading], BesideThem(path, source))
    assert reading.seen.count == clip.frames
    begun = replace(job, vmaf=vmaf, begun=reading.measured)
    [at_once], [later] = (losses_of([j], path, source) for j in (replace(job, vmaf=vmaf), begun))
    for key, values in at_once.items():
        np.testing.assert_allclose(later[key], values, rtol=1e-5, atol=1e-5, err_msg=key)
    assert not np.array_equal(later["loss_detail"], losses_of([job], path, source)[0]["loss_detail"])

    def none(*_asked: Any) -> Iterator[Any]:
        pytest.fail("decoded again")
        yield

    monkeypatch.setattr("ovrik.quality.scores.losses.decoded_frames", none)
    [same] = losses_of([begun], path, source)
    assert same.keys() == at_once.keys()


def test_what_is_read_together_is_what_each_is_alone(tmp_path: Path) -> None:
    """Also where one ends early, is longer than the reference, or is no video at all."""
    source = probe(write_moving(tmp_path / "c.mkv", 1))
    names = {"short.mkv": ("-frames:v", "9"), "same.mp4": (), "long.mkv": ("-vf", "tpad=stop=12")}
    for name, more in names.items():
        run(
            "-i",
            source.path,
            *more,
            "-c:v",
            "libx264",
            "-crf",
            "30",
            "-pix_fmt",
            "yuv420p",
            str(tmp_path / name),
        )
    (tmp_path / "bad.mkv").write_bytes(b"no video at all")
    readings = []
    for name in names:
        clip = probe(tmp_path / name)
        job = ToMeasure(tmp_path / name, clip, Match(0, clip.frames, 1.0))
        readings.append(Reading(tmp_path / name, measured_meanwhile(job, source)))
    bad = Reading(tmp_path / "bad.mkv")
    read_together([*readings, bad], BesideThem(Path(source.path), source))
    with pytest.raises(OvrikError):
        _ = bad.seen
    for one in readings:
        alone = miniatures(one.output)
        assert one.seen.count == alone.count
        np.testing.assert_array_equal(one.seen.head, alone.head)
        np.testing.assert_array_equal(one.seen.rows, alone.rows)
        assert one.measured
        assert len(one.measured.values) == min(alone.count, source.frames)
    with pytest.raises(Stopped):
        read_together(
            [Reading(tmp_path / "same.mp4")], BesideThem(Path(source.path), source), should_stop=lambda: True
        )


def test_a_key_finds_its_colour_and_colours_ever_further_from_it() -> None:
    nodes = [n.text() for n in _untouched(treatment("key", {"colour": "#2f8f80"}))]
    assert len(nodes) == len(STEPS)
    shades = [text.split("color=0x")[1][:6] for text in nodes]
    assert shades[0] == "2f8f80"
    far = [[int(s[n : n + 2], 16) for n in (0, 2, 4)] for s in shades]
    for step, (red, green, blue) in zip(STEPS, far, strict=True):
        assert (red, green, blue) == (0x2F + step, 0x8F - step, 0x80 - step)
    assert len({re.findall(r"[=:]x=(\d+)", text)[0] for text in nodes}) == len(STEPS), "side by side"
    assert _untouched(treatment("blur")) == []


@pytest.mark.parametrize("rotation", [0, 90, 180, 270, -90])
def test_a_pixel_of_a_turned_picture_is_stored_where_it_came_from(rotation: int) -> None:
    stored = np.arange(6 * 4).reshape(4, 6)
    shown = np.rot90(stored, rotation // 90 % 4)
    frame = SimpleNamespace(rotation=rotation, width=6, height=4)
    found: Any = SimpleNamespace(pixels=np.zeros((*shown.shape, 4)), frame=frame)
    for y in range(shown.shape[0]):
        for x in range(shown.shape[1]):
            across, down = stored_place(found, x, y)
            assert stored[down, across] == shown[y, x]


def test_frames_without_stamps_follow_one_another() -> None:
    stream: Any = SimpleNamespace(average_rate=Fraction(25), guessed_rate=None, time_base=Fraction(1, 25))
    assert _step(stream) == 1
    stream.time_base = Fraction(1, 90_000)
    assert _step(stream) == 3600
    bare: Any = SimpleNamespace(pts=None)
    assert _stamp(bare, [], 3600) == 0
    assert _stamp(bare, [0, 3600], 3600) == 7200
    stamped: Any = SimpleNamespace(pts=9000)
    assert _stamp(stamped, [0, 3600], 3600) == 9000
    assert _stamp(stamped, [9000], 3600) == 12_600, "a stamp that does not rise is none"
