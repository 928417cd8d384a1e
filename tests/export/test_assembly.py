"""Cuts, dissolves, gaps, other rates and overlays, exact to the frame: each carries its number."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from numbered import HEIGHT, number_in, numbered_picture, write_numbered
from odd_clips import run
from ovrik.errors import OvrikError
from ovrik.export.command.export import Export, export_commands
from ovrik.export.graph import long_graph
from ovrik.export.run.process import measure
from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.probe import probe
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import GAP, Overlay, Programme, Shot, of_clip, of_clips
from ovrik.study.programme.treatment import treatment
from rendered import pictures, sound


@pytest.fixture(scope="module")
def clips(tmp_path_factory: pytest.TempPathFactory) -> tuple[Footage, ...]:
    """Two clips at 25 fps, one at 24 and one at 29.97; the first has sound, the second an odd name."""
    folder = tmp_path_factory.mktemp("numbered")
    odd = folder / "it's 50%, [a:b]; \\ 2.mkv"
    return (
        probe(write_numbered(folder / "a.mkv", 60, sound=True)),
        probe(write_numbered(odd, 60, mark=40, first=100)),
        probe(write_numbered(folder / "c.mkv", 60, 24, mark=80, first=200)),
        probe(write_numbered(folder / "d.mkv", 60, Fraction(30000, 1001), first=300)),
    )


def edit(clips: tuple[Footage, ...], *shots: Shot, **more: object) -> Programme:
    """A programme of these shots."""
    return replace(of_clips("edit", clips), shots=shots, sound=(), **more)


def numbers(programme: Programme, excerpt: Excerpt | None = None) -> list[int]:
    """What each frame carries."""
    return [number_in(p) for p in pictures(programme, excerpt)]


def test_cuts_are_exact(clips: tuple[Footage, ...]) -> None:
    made = edit(clips, Shot(0, 7, 5), Shot(1, 31, 4), Shot(GAP, 0, 3), Shot(0, 0, 2))
    assert numbers(made) == [7, 8, 9, 10, 11, 131, 132, 133, 134, -1, -1, -1, 0, 1]
    assert made.frames == 14


@pytest.mark.parametrize("span", [(0, 14), (3, 6), (6, 5), (10, 3)])
def test_an_excerpt_is_a_part_of_the_whole(clips: tuple[Footage, ...], span: tuple[int, int]) -> None:
    made = edit(clips, Shot(0, 7, 5), Shot(1, 31, 4), Shot(GAP, 0, 3), Shot(0, 0, 2))
    start, count = span
    assert numbers(made, Excerpt(start, count)) == numbers(made)[start : start + count]


def test_other_rates_show_the_picture_that_stands_at_the_time(clips: tuple[Footage, ...]) -> None:
    made = edit(clips, Shot(2, 10, 25), Shot(3, 5, 20))
    wanted = [210 + (n * 24) // 25 for n in range(25)]
    wanted += [305 + int(n * Fraction(30000, 1001) / 25) for n in range(20)]
    assert numbers(made) == wanted
    assert [made.source_of(n)[1] for n in range(25)] == [w - 200 for w in wanted[:25]]
    assert numbers(made, Excerpt(11, 20)) == wanted[11:31]


def test_a_dissolve_mixes_linearly_and_keeps_the_length(clips: tuple[Footage, ...]) -> None:
    made = edit(clips, Shot(0, 0, 12), Shot(1, 0, 12, dissolve=4), Shot(0, 40, 6))
    shown = pictures(made)
    assert len(shown) == made.frames == 26
    for step in range(5):
        one, other = numbered_picture(8 + step), numbered_picture(100 + step, 40)
        if step < 4:
            mixed = one * (1 - step / 4) + other * (step / 4)
            assert np.abs(shown[8 + step].astype(float) - mixed).max() <= 1.5, step
    assert number_in(shown[12]) == 104
    assert number_in(shown[20]) == 40


@pytest.mark.parametrize("start", [7, 9, 11, 13])
def test_an_excerpt_may_begin_or_end_within_a_dissolve(clips: tuple[Footage, ...], start: int) -> None:
    made = edit(clips, Shot(0, 0, 12), Shot(1, 0, 12, dissolve=4))
    np.testing.assert_array_equal(pictures(made, Excerpt(start, 5)), pictures(made)[start : start + 5])
    np.testing.assert_array_equal(pictures(made, Excerpt(3, start - 3)), pictures(made)[3:start])


def test_an_overlay_lies_on_top_for_its_time(clips: tuple[Footage, ...]) -> None:
    made = edit(clips, Shot(0, 0, 12), overlays=(Overlay(4, Shot(1, 20, 3)),))
    assert numbers(made) == [0, 1, 2, 3, 120, 121, 122, 7, 8, 9, 10, 11]
    assert numbers(made, Excerpt(5, 4)) == [121, 122, 7, 8]


@pytest.mark.parametrize(
    ("speed", "method"),
    [
        (50, "nearest frame"),
        (200, "nearest frame"),
        (50, "motion interpolation"),
        (50, "frame blending"),
        (25, "motion interpolation"),
    ],
)
def test_a_retimed_shot_is_as_long_as_it_stands(clips: tuple[Footage, ...], speed: int, method: str) -> None:
    slow = treatment("retime", {"speed": speed, "method": method})
    made = edit(clips, Shot(0, 4, 20, treatments=(slow,)), Shot(1, 0, 3))
    shown = numbers(made)
    assert len(shown) == 23
    assert shown[20:] == [100, 101, 102]
    exact = [(n, 4 + n * speed // 100) for n in range(0, 20, 4)]
    assert [shown[n] for n, _w in exact] == [w for _n, w in exact]


def test_sound_follows_the_cuts(clips: tuple[Footage, ...]) -> None:
    made = of_clips("cut", (clips[0],))
    track = made.sound[0][0]
    cut = replace(
        made,
        shots=(Shot(0, 25, 25), Shot(GAP, 0, 25), Shot(0, 0, 25)),
        sound=(
            (
                replace(track, start=Fraction(1), length=Fraction(1), at=Fraction(0)),
                replace(track, start=Fraction(0), length=Fraction(1), at=Fraction(2)),
            ),
        ),
    )
    heard = sound(cut)
    assert len(heard) == 3 * 48000

    def pitch(second: int) -> float:
        part = heard[second * 48000 : (second + 1) * 48000]
        return float(np.argmax(np.abs(np.fft.rfft(part)))) if np.abs(part).max() > 0.01 else 0.0

    assert [pitch(n) for n in range(3)] == [400, 0, 200]
    assert np.abs(heard[48000 + 2000 : 2 * 48000 - 2000]).max() < 1e-4


def test_a_plain_programme_is_known_by_its_clip(clips: tuple[Footage, ...]) -> None:
    one = of_clip(clips[0])
    assert one.plain
    assert one.checksum == clips[0].checksum
    cut = replace(one, shots=(Shot(0, 1, 20),))
    assert not cut.plain
    assert cut.checksum != one.checksum
    assert replace(cut, name="other").checksum == cut.checksum


def test_a_programme_survives_json(clips: tuple[Footage, ...]) -> None:
    made = edit(
        clips,
        Shot(0, 0, 12, treatments=(treatment("blur"),)),
        Shot(2, 3, 9, 2),
        overlays=(Overlay(2, Shot(1, 0, 3)),),
        treatments=(treatment("title", {"text": "a"}),),
    )
    assert Programme.from_json(made.to_json(), clips) == made


def test_more_clips_than_one_export_can_open_are_refused(clips: tuple[Footage, ...]) -> None:
    many = edit(clips, *(Shot(n % 2, n % 40, 2, treatments=(treatment("grade"),)) for n in range(900)))
    with pytest.raises(OvrikError, match="900 shots"):
        pictures(many)


def test_the_canvas_takes_other_shapes_with_bars(clips: tuple[Footage, ...]) -> None:
    wide = replace(edit(clips, Shot(1, 0, 3)), width=160, height=96)
    shown = pictures(wide)
    assert shown.shape == (3, 96, 160)
    assert shown[0, :20].max() < 20
    assert number_in(shown[0][24 : 24 + HEIGHT]) == 100


@pytest.mark.parametrize("key", ["bundled", "system"])
def test_a_dissolve_is_the_same_by_every_version(tmp_path: Path, key: str) -> None:
    """Up to version 5 the filter by itself loses its last frame. Levels by the formula: (1 − k/d) of the old one."""
    clips = []
    for name, shade in (("black", 16), ("white", 235)):
        path = tmp_path / f"{name}.mkv"
        plane = bytes([shade]) * (64 * 48) + bytes([128]) * (64 * 48 // 2)
        (tmp_path / "bare").write_bytes(plane * 40)
        bare = (
            "-f",
            "rawvideo",
            "-pix_fmt",
            "yuv420p",
            "-s",
            "64x48",
            "-r",
            "25",
            "-i",
            str(tmp_path / "bare"),
        )
        run(*bare, "-c:v", "ffv1", str(path))
        clips.append(probe(path))
    programme = replace(
        of_clips("two", tuple(clips)), shots=(Shot(0, 0, 20), Shot(1, 0, 20, 8), Shot(0, 0, 12, 4)), sound=()
    )
    build, output = find_build(key), tmp_path / "out.mkv"
    made = recipe("ffv1", sound="none")
    job = Export(build.path, programme, Excerpt(0, programme.frames), made, build.options)
    assert measure(export_commands(job, output, tmp_path / "stats")[-1]).exit_code == 0
    with av.open(str(output)) as box:
        found = [
            float(np.frombuffer(memoryview(f.planes[0]), np.uint8)[:64].mean()) for f in box.decode(video=0)
        ]
    white = [0.0] * 12 + [k / 8 for k in range(8)] + [1.0] * 8 + [1 - k / 4 for k in range(4)] + [0.0] * 8
    assert found == pytest.approx([16 + 219 * share for share in white], abs=1.5)


MANY, A_FEW = 170, 20
"""Shots whose graph is longer than any argument can be, and those that stand in for them."""


@pytest.mark.parametrize(
    ("key", "count"),
    [
        ("bundled", A_FEW),
        ("system", A_FEW),
        *(pytest.param(k, MANY, marks=pytest.mark.sweep) for k in ("bundled", "system")),
    ],
)
def test_many_graded_shots_are_one_export(
    clips: tuple[Footage, ...], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, key: str, count: int
) -> None:
    """The graph is handed over in a file."""
    monkeypatch.setattr(long_graph, "LONGEST", long_graph.LONGEST * count // MANY)
    grade = treatment(
        "grade", {"exposure": 0.01, "contrast": 1.02, "saturation": 1.05, "white_balance": 6000}
    )
    shots = tuple(Shot(n % 2, n % 50, 2, 0, (grade,)) for n in range(count))
    programme = replace(of_clips("many", clips[:2]), shots=shots, sound=())
    build, output = find_build(key), tmp_path / "out.mkv"
    made = recipe("ffv1", sound="none")
    job = Export(build.path, programme, Excerpt(0, programme.frames), made, build.options)
    commands = export_commands(job, output, tmp_path / "stats")
    assert max(len(word) for word in commands[-1]) < 1000
    assert measure(commands[-1]).exit_code == 0
    with av.open(str(output)) as box:
        found = [number_in(f.to_ndarray()[: f.height]) for f in box.decode(video=0)]
    assert len(found) == 2 * count
    first = [0, 100]
    assert found[::2] == [first[n % 2] + n % 50 for n in range(count)]


@pytest.mark.parametrize("place", ["software", "opencl", "vulkan"])
def test_a_clip_that_goes_on_for_ever_holds_nothing_up(
    clips: tuple[Footage, ...], tmp_path: Path, place: str
) -> None:
    build, output = find_build("bundled"), tmp_path / "out.mkv"
    small = treatment("picture", {"file": clips[1].path})
    programme = replace(of_clip(clips[0]), treatments=(small, treatment("key"), small), sound=())
    job = Export(
        build.path, programme, Excerpt(5, 30), recipe("ffv1", sound="none"), build.options, treat=place
    )
    made = measure(export_commands(job, output, tmp_path / "stats")[-1], stall_s=8)
    if place != "software" and made.exit_code and not made.stalled:
        pytest.skip("no such device here, or one that gives wrong pictures, or crashes")
    assert (made.exit_code, made.stalled) == (0, False)
    with av.open(str(output)) as box:
        assert sum(1 for _f in box.decode(video=0)) == 30
