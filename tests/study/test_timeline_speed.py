"""Constant speeds, freeze frames, reverse motion, disabled tracks and source time code: to the frame, or left out."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import opentimelineio as otio
import pytest

from numbered import number_in, write_numbered
from odd_clips import run
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline
from ovrik.study.contender.losses import programme_losses
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.timeline.speed import remap_speed, warp_speed
from ovrik.study.timeline.writer import write_timeline
from rendered import pictures


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Clips beside the timelines; one of them counts its time code from 01:00:00:00."""
    made = tmp_path_factory.mktemp("speeds")
    write_numbered(made / "a.mkv", 60, sound=True)
    write_numbered(made / "b.mkv", 60, first=100)
    write_numbered(made / "plain.mkv", 200, first=300)
    run(
        "-i",
        str(made / "plain.mkv"),
        "-c:v",
        "prores_ks",
        "-timecode",
        "01:00:00:00",
        str(made / "coded.mov"),
    )
    run("-i", str(made / "plain.mkv"), "-c:v", "prores_ks", "-timecode", "00:00:02:00", str(made / "low.mov"))
    return made


def time(frame: float) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(frame, 25)


def clip(
    name: str, start: int, frames: int, *effects: otio.schema.Effect, available: tuple[int, int] | None = None
) -> otio.schema.Clip:
    """A clip of a timeline."""
    media = otio.schema.ExternalReference(name)
    if available:
        media.available_range = otio.opentime.TimeRange(time(available[0]), time(available[1]))
    made = otio.schema.Clip(name, media, otio.opentime.TimeRange(time(start), time(frames)))
    made.effects.extend(effects)
    return made


def written(folder: Path, *tracks: otio.schema.Track, name: str = "t") -> Path:
    """A file with these tracks."""
    made = otio.schema.Timeline(name, global_start_time=time(0))
    made.tracks.extend(tracks)
    otio.adapters.write_to_file(made, str(folder / f"{name}.otio"))
    return folder / f"{name}.otio"


def shown(path: Path, excerpt: Excerpt | None = None) -> list[int]:
    """What the frames carry."""
    found = read_timeline(path).programme
    assert found is not None
    return [number_in(p / 4 if p.dtype == np.uint16 else p) for p in pictures(found, excerpt)]


def warp(scalar: float) -> otio.schema.Effect:
    return otio.schema.LinearTimeWarp(time_scalar=scalar)


BACKWARDS = [29 - n for n in range(20)]
HALF = [10 + n // 2 for n in range(20)]


@pytest.mark.parametrize(
    ("effect", "wanted"),
    [
        (warp(0.5), HALF),
        (warp(2.0), [10 + 2 * n for n in range(20)]),
        (warp(-1.0), BACKWARDS),
        (otio.schema.FreezeFrame(), [10] * 20),
        (warp(1.0), list(range(10, 30))),
    ],
)
def test_speeds_are_exported_and_come_back(
    folder: Path, effect: otio.schema.Effect, wanted: list[int]
) -> None:
    path = written(
        folder, otio.schema.Track("V", [clip("a.mkv", 10, 20, effect), clip("b.mkv", 0, 3)], kind="Video")
    )
    found = read_timeline(path)
    assert "effect" not in " ".join(found.left_out)
    assert found.programme is not None
    everything = [*wanted, 100, 101, 102]
    assert shown(path) == everything
    for start in (3, 7, 18):
        assert shown(path, Excerpt(start, 5)) == everything[start : start + 5]
    sources = [found.programme.source_of(n)[1] for n in range(20)]
    assert sources == wanted, "what the viewer shows"
    write_timeline(found.programme, folder / "again.otio")
    assert shown(folder / "again.otio") == everything


@pytest.mark.parametrize(("scalar", "words"), [(0.001, "the speed 0.1 %"), (40.0, "the speed 4000 %")])
def test_speeds_that_are_not_exported_are_said_everywhere(folder: Path, scalar: float, words: str) -> None:
    path = written(folder, otio.schema.Track("V", [clip("a.mkv", 10, 20, warp(scalar))], kind="Video"))
    found = read_timeline(path).programme
    assert found is not None
    assert any(words in note for note in programme_losses(found))
    assert shown(path) == list(range(10, 30)), "at its own speed"


REMAP = """<filter><effect><name>Time Remap</name><effectid>timeremap</effectid><effecttype>motion</effecttype>
<mediatype>video</mediatype><parameter><parameterid>variablespeed</parameterid><value>{variable}</value></parameter>
<parameter><parameterid>speed</parameterid><value>{speed}</value></parameter>
<parameter><parameterid>reverse</parameterid><value>{reverse}</value></parameter>{more}</effect></filter>"""
GRAPH = """<parameter><parameterid>graphdict</parameterid>
<keyframe><when>0</when><value>6</value></keyframe><keyframe><when>60</when><value>36</value></keyframe></parameter>"""
XMEML = """<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE xmeml><xmeml version="4"><sequence id="s">
<name>X</name><duration>20</duration><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><media><video>
<track>{track}<clipitem id="c1"><name>a.mkv</name><duration>60</duration>
<rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><start>0</start><end>10</end><in>8</in><out>18</out>
<file id="f1"><name>a.mkv</name><pathurl>a.mkv</pathurl><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>
<duration>60</duration><media><video/></media></file>{remap}</clipitem></track>{above}</video></media></sequence></xmeml>"""


def xmeml(folder: Path, remap: str, track: str = "", above: str = "") -> Path:
    (folder / "x.xml").write_text(XMEML.format(remap=remap, track=track, above=above))
    return folder / "x.xml"


@pytest.mark.parametrize(
    ("speed", "more", "wanted"),
    [
        (50, "", [4 + n // 2 for n in range(10)]),
        (200, "", [16 + 2 * n for n in range(10)]),
        (50, GRAPH, [10 + n // 2 for n in range(10)]),
        (0, "", [0] * 10),
    ],
)
def test_constant_speeds_of_xmeml(folder: Path, speed: int, more: str, wanted: list[int]) -> None:
    remap = REMAP.format(variable=0, speed=speed, reverse="FALSE", more=more)
    assert shown(xmeml(folder, remap)) == wanted


@pytest.mark.parametrize(
    ("variable", "speed", "reverse", "words"),
    [
        (1, 50, "FALSE", "the changing speed"),
        (0, 100, "TRUE", "the reverse motion"),
        (0, "fast", "FALSE", "can't be read"),
    ],
)
def test_what_of_xmeml_is_left_out_is_said(
    folder: Path, variable: int, speed: object, reverse: str, words: str
) -> None:
    found = read_timeline(
        xmeml(folder, REMAP.format(variable=variable, speed=speed, reverse=reverse, more=""))
    )
    assert found.programme is not None
    assert any(words in note for note in programme_losses(found.programme))


def test_disabled_tracks_stay_out(folder: Path) -> None:
    off = otio.schema.Track("Titles", [clip("b.mkv", 0, 20)], kind="Video")
    off.enabled = False
    quiet = otio.schema.Track("Music", [clip("a.mkv", 0, 20)], kind="Audio")
    quiet.enabled = False
    path = written(folder, otio.schema.Track("V", [clip("a.mkv", 5, 20)], kind="Video"), off, quiet)
    found = read_timeline(path)
    assert {"track “Titles”, which is switched off", "track “Music”, which is switched off"} <= set(
        found.left_out
    )
    assert shown(path) == list(range(5, 25))
    above = (
        '<track><enabled>FALSE</enabled><clipitem id="c9"><name>b.mkv</name><duration>60</duration><rate>'
        "<timebase>25</timebase></rate><start>0</start><end>10</end><in>0</in><out>10</out>"
        '<file id="f9"><name>b.mkv</name><pathurl>b.mkv</pathurl><duration>60</duration></file></clipitem>'
        "</track>"
    )
    assert shown(xmeml(folder, "", above=above)) == list(range(8, 18))


HOUR = 3600 * 25


@pytest.mark.parametrize(
    ("name", "start", "available", "first"),
    [
        ("coded.mov", HOUR + 30, None, 330),  # counted from the file's own time code
        ("coded.mov", HOUR + 30, (HOUR, 200), 330),
        (
            "coded.mov",
            HOUR + 30,
            (HOUR + 20, 100),
            330,
        ),  # the range is a part of the file, which begins before it
        ("coded.mov", 30, (0, 200), 330),  # counted from its first frame
        (
            "low.mov",
            60,
            None,
            310,
        ),  # 00:00:02:10 of a file that begins at 00:00:02:00 and lasts eight seconds
        ("low.mov", 20, None, 320),  # before its time code: counted from its first frame
        ("plain.mkv", 540, (500, 200), 340),
    ],
)
def test_source_time_code_and_available_range(
    folder: Path, name: str, start: int, available: tuple[int, int] | None, first: int
) -> None:
    path = written(folder, otio.schema.Track("V", [clip(name, start, 5, available=available)], kind="Video"))
    assert shown(path) == list(range(first, first + 5))


def test_speeds_as_numbers() -> None:
    assert warp_speed(-0.5).factor == Fraction(1, 2)
    assert warp_speed(-0.5).reverse
    effect = otio.schema.Effect(
        "t",
        "t",
        metadata={
            "fcp_xml": {"effectid": "timeremap", "parameter": [{"parameterid": "speed", "value": "25"}]}
        },
    )
    assert remap_speed(effect, Fraction(80)).start == 20


def test_a_clip_too_long_to_be_held_is_not_reversed(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ovrik.study.timeline.cut.MOST_REVERSED_BYTES", 1000)
    path = written(folder, otio.schema.Track("V", [clip("a.mkv", 10, 20, warp(-1.0))], kind="Video"))
    found = read_timeline(path).programme
    assert found is not None
    assert any("reverse motion" in note for note in found.left_out)
    assert [s.reverse for s in found.shots] == [False]
    assert probe(folder / "a.mkv").frames == 60
