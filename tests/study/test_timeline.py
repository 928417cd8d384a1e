"""Timeline files: read to the frame, written back, and refused with a word when they are broken."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import opentimelineio as otio
import pytest

from numbered import number_in, write_numbered
from ovrik.errors import OvrikError
from ovrik.quality.decode.probe import probe
from ovrik.quality.decode.timelines import read_timeline, read_timeline_apart
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import GAP, Overlay, Programme, Shot, of_clips
from ovrik.study.programme.treatment import treatment
from ovrik.study.timeline.cut import linked_sound
from ovrik.study.timeline.edl import RateNeeded
from ovrik.study.timeline.reader import TimelineRead
from ovrik.study.timeline.writer import write_timeline
from rendered import pictures
from timeline_texts import EDL, XMEML


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Three clips beside the timelines."""
    made = tmp_path_factory.mktemp("timelines")
    write_numbered(made / "a.mkv", 60, sound=True)
    write_numbered(made / "b.mkv", 60, mark=40, first=100)
    write_numbered(made / "c 24.mkv", 60, 24, mark=80, first=200)
    write_numbered(made / "ntsc.mkv", 60, Fraction(30000, 1001), first=300)
    return made


def edit(folder: Path) -> Programme:
    """A programme with everything a timeline can hold."""
    clips = [probe(folder / n) for n in ("a.mkv", "b.mkv", "c 24.mkv")]
    shots = (
        Shot(0, 5, 20, name="one"),
        Shot(1, 10, 20, 6, (treatment("blur", {"radius": 4}),), "two"),
        Shot(GAP, 0, 5),
        Shot(2, 12, 20, name="three"),
        Shot(1, 2, 10, 0, (treatment("retime", {"speed": 50}),), "slow"),
    )
    base = of_clips("Edit", clips)
    return replace(
        base,
        shots=shots,
        overlays=(Overlay(9, Shot(1, 30, 4, name="over")),),
        sound=linked_sound(shots, clips, base.rate),
        treatments=(treatment("title", {"text": "Bell"}),),
    )


def test_a_programme_comes_back_from_otio_as_it_was(folder: Path) -> None:
    made = edit(folder)
    write_timeline(made, folder / "edit.otio")
    found = read_timeline(folder / "edit.otio")
    assert found.left_out == ()
    assert found.programme == made
    text = (folder / "edit.otio").read_text()
    assert str(folder) not in text, "clips beside the timeline are named without their folder"


def test_cuts_and_dissolves_come_back_from_edl(folder: Path) -> None:
    clips = [probe(folder / n) for n in ("a.mkv", "b.mkv")]
    shots = (Shot(0, 5, 20, name="a.mkv"), Shot(1, 10, 20, 6, name="b.mkv"), Shot(0, 40, 8, name="a.mkv"))
    made = replace(of_clips("Edl", clips), shots=shots, sound=())
    write_timeline(made, folder / "edit.edl")
    found = read_timeline(folder / "edit.edl").programme
    assert found is not None
    assert [(s.clip, s.start, s.frames, s.dissolve) for s in found.shots] == [
        (s.clip, s.start, s.frames, s.dissolve) for s in shots
    ]
    assert (pictures(found) == pictures(made)).all()


def test_an_edl_is_exact_to_the_frame(folder: Path) -> None:
    (folder / "cut.edl").write_text(EDL)
    found = read_timeline(folder / "cut.edl")
    assert found.programme is not None
    assert [number_in(p) for p in pictures(found.programme)] == [*range(10, 25), *range(130, 150)]
    assert found.programme.left_out == ("no audio track: the shots' own audio is used",)
    assert [(p.start, p.length) for p in found.programme.sound[0]] == [(Fraction(2, 5), Fraction(3, 5))]


def test_drop_frame_timecode_is_counted_as_it_is_written(folder: Path) -> None:
    text = (
        EDL.replace("NON-DROP FRAME", "DROP FRAME").replace("a.mkv", "ntsc.mkv").replace("b.mkv", "ntsc.mkv")
    )
    text = text.replace("01:00:00:00 01:00:00:15", "00:00:59:22 00:01:00;07")
    text = text.replace("01:00:00:15 01:00:01:10", "00:01:00;07 00:01:01;02")
    text = text.replace("00:00:59:22", "00:00:59;22").replace(
        "00:00:00:10 00:00:01:00", "00:00:00;10 00:00:00;23"
    )
    (folder / "drop.edl").write_text(text)
    found = read_timeline(folder / "drop.edl").programme
    assert found is not None
    assert found.rate == Fraction(30000, 1001)
    # 00:00:59;22 to 00:01:00;07: ;00 and ;01 of a new minute do not exist.
    assert found.shots[0].frames == 13


def test_xmeml_is_read_and_its_effects_are_listed(folder: Path) -> None:
    path = folder / "x.xml"
    path.write_text(XMEML.format(a=(folder / "a.mkv").as_uri(), b=(folder / "b.mkv").as_uri()))
    found = read_timeline(path)
    assert found.programme is not None
    assert [(s.clip, s.start, s.frames) for s in found.programme.shots] == [(0, 7, 20), (1, 0, 20)]
    assert any("Shiny" in note for note in found.left_out)
    assert number_in(pictures(found.programme, Excerpt(20, 2))[0]) == 100


def clip(name: str, start: int, frames: int, rate: float = 25, url: str | None = None) -> otio.schema.Clip:
    """A clip of a timeline."""
    span = otio.opentime.TimeRange(
        otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(frames, rate)
    )
    media = otio.schema.ExternalReference(url if url is not None else name)
    return otio.schema.Clip(name, media, span)


def timeline(folder: Path, *children: object, name: str = "t") -> Path:
    """A file with one video track of these children."""
    made = otio.schema.Timeline(name, global_start_time=otio.opentime.RationalTime(0, 25))
    made.tracks.append(otio.schema.Track("V", children=list(children), kind="Video"))
    otio.adapters.write_to_file(made, str(folder / f"{name}.otio"))
    return folder / f"{name}.otio"


def test_what_is_not_carried_is_listed(folder: Path) -> None:
    odd = clip("a.mkv", 0, 10)
    odd.effects.append(otio.schema.Effect("Glow", "glow"))
    odd.markers.append(otio.schema.Marker("m"))
    off = clip("b.mkv", 0, 5)
    off.enabled = False
    made = otio.schema.GeneratorReference("bars", "bars")
    bars = otio.schema.Clip("bars", made, odd.source_range)
    wipe = otio.schema.Transition(
        "wipe", "SMPTE_Wipe", otio.opentime.RationalTime(2, 25), otio.opentime.RationalTime(2, 25)
    )
    found = read_timeline(timeline(folder, odd, wipe, clip("b.mkv", 5, 0), off, bars, name="odd"))
    shown_text = " | ".join(found.left_out)
    for words in ("Glow", "1 markers", "wipe", "no length", "switched off", "generated picture"):
        assert words in shown_text
    assert found.programme is not None
    assert [number_in(p) for p in pictures(found.programme)][-16:] == [9, *[-1] * 15]


def test_missing_media_are_named_and_found_in_another_folder(folder: Path, tmp_path: Path) -> None:
    place = timeline(tmp_path, clip("a.mkv", 0, 10, url="/gone/a.mkv"), clip("zz", 0, 5, url="/gone/zz.mov"))
    assert read_timeline(place).missing == ("/gone/a.mkv", "/gone/zz.mov")
    assert read_timeline(place, [folder]).missing == ("/gone/zz.mov",)
    found = read_timeline(timeline(tmp_path, clip("a.mkv", 3, 10, url="/gone/a.mkv"), name="one"), [folder])
    assert found.programme is not None
    assert found.programme.clips[0].path == str(folder / "a.mkv")


def test_mixed_rates_do_not_drift(folder: Path) -> None:
    every = [clip("c 24.mkv", 0, 7, 24) for _ in range(24)]
    found = read_timeline(timeline(folder, *every, name="mixed")).programme
    assert found is not None
    assert found.frames == round(24 * 7 / 24 * 25)
    assert {s.frames for s in found.shots} == {7, 8}


def test_a_nested_timeline_is_laid_flat(folder: Path) -> None:
    inner = otio.schema.Track("inner", children=[clip("a.mkv", 0, 10), clip("b.mkv", 20, 10)], kind="Video")
    inner.source_range = otio.opentime.TimeRange(
        otio.opentime.RationalTime(6, 25), otio.opentime.RationalTime(8, 25)
    )
    found = read_timeline(timeline(folder, clip("b.mkv", 0, 2), inner, name="nest")).programme
    assert found is not None
    assert [number_in(p) for p in pictures(found)] == [100, 101, 6, 7, 8, 9, 120, 121, 122, 123]


def test_huge_nesting_is_refused(folder: Path) -> None:
    deep = otio.schema.Track("d", children=[clip("a.mkv", 0, 10)], kind="Video")
    for _ in range(60):
        deep = otio.schema.Track("d", children=[deep], kind="Video")
    with pytest.raises(OvrikError, match="nested more than"):
        read_timeline(timeline(folder, deep, name="deep"))
    text = '{"OTIO_SCHEMA": "Timeline.1", "metadata": ' + '{"a":' * 5000 + "1" + "}" * 5001
    (folder / "deeper.otio").write_text(text)
    with pytest.raises(OvrikError, match="nested 5001 deep"):
        read_timeline(folder / "deeper.otio")


def test_a_shot_beyond_its_clip_is_refused(folder: Path) -> None:
    with pytest.raises(OvrikError, match="ends with frame 59"):
        read_timeline(timeline(folder, clip("a.mkv", 50, 20), name="beyond"))


def test_a_dissolve_without_room_is_shortened_and_reported(folder: Path) -> None:
    fade = otio.schema.Transition(
        "f", "SMPTE_Dissolve", otio.opentime.RationalTime(4, 25), otio.opentime.RationalTime(4, 25)
    )
    found = read_timeline(timeline(folder, clip("a.mkv", 40, 20), fade, clip("b.mkv", 0, 20), name="tight"))
    assert any(
        "8 frames of the dissolve" in note for note in (found.programme.left_out if found.programme else ())
    )


@pytest.mark.parametrize(
    ("name", "text", "said"),
    [
        ("x.txt", "a", "no timeline that can be read"),
        ("x.otio", "{", "can't be read"),
        ("x.otio", otio.schema.Marker("m").to_json_string(), "holds no timeline"),
        ("x.xml", "<fcpxml/>", "not xmeml"),
        ("x.edl", "001 nonsense", "can't be read"),
        ("gone.otio", None, "not there"),
        ("empty.otio", "", "can't be read"),
    ],
)
def test_broken_files_are_reported(tmp_path: Path, name: str, text: str | None, said: str) -> None:
    if text is not None:
        (tmp_path / name).write_text(text)
    with pytest.raises(OvrikError, match=said):
        read_timeline(tmp_path / name)


def test_what_is_read_apart_is_the_same(folder: Path) -> None:
    path = timeline(folder, clip("a.mkv", 5, 10), clip("b.mkv", 0, 8), name="apart")
    here = read_timeline(path)
    assert here.programme is not None
    assert read_timeline_apart(path) == here
    gone = timeline(folder, clip("a.mkv", 3, 10, url="/gone/zz.mov"), name="gone apart")
    assert read_timeline_apart(gone) == read_timeline(gone)
    with pytest.raises(OvrikError, match="is no timeline that can be read"):
        read_timeline_apart(folder / "x.aaf")


HEAD = "TITLE: x\nFCM: NON-DROP FRAME\n\n"
FIRST = "001  AX V C        00:00:00:10 00:00:01:00 01:00:00:00 01:00:00:15\n* FROM CLIP NAME: a.mkv\n"
SECOND = "002  AX {}      {} 01:00:00:15 01:00:01:10\n{}* FROM CLIP NAME: b.mkv\n"


def from_edl(folder: Path, text: str, rate: Fraction | None = None) -> TimelineRead:
    (folder / "some.edl").write_text(HEAD + text)
    return read_timeline(folder / "some.edl", (), rate)


def test_effects_on_anything_are_listed(folder: Path) -> None:
    def with_effect(thing: object, name: str) -> object:
        thing.effects.append(otio.schema.Effect(name, "x"))  # type: ignore[attr-defined]
        return thing

    second = otio.opentime.RationalTime(25, 25)
    made = otio.schema.Timeline("t", global_start_time=otio.opentime.RationalTime(0, 25))
    gap = with_effect(otio.schema.Gap(duration=second), "on a gap")
    video = otio.schema.Track("V1", children=[clip("a.mkv", 0, 10), gap], kind="Video")
    sound = otio.schema.Track("A1", children=[with_effect(clip("a.mkv", 0, 10), "louder")], kind="Audio")
    made.tracks.append(with_effect(video, "on a track"))
    made.tracks.append(sound)
    with_effect(made.tracks, "on all")
    otio.adapters.write_to_file(made, str(folder / "effects.otio"))
    said = " | ".join(read_timeline(folder / "effects.otio").left_out)
    for words in ("“on a gap” on a gap", "“on a track” on track “V1”", "“on all” on the whole timeline"):
        assert words in said
    assert "“louder” on the audio of “a.mkv”" in said


def test_a_dissolve_on_an_upper_track_is_said_to_become_a_cut(folder: Path) -> None:
    two = otio.opentime.RationalTime(2, 25)
    made = otio.schema.Timeline("t", global_start_time=otio.opentime.RationalTime(0, 25))
    made.tracks.append(otio.schema.Track("V1", children=[clip("a.mkv", 0, 20)], kind="Video"))
    upper = [
        clip("b.mkv", 5, 8),
        otio.schema.Transition("d", "SMPTE_Dissolve", two, two),
        clip("a.mkv", 9, 8),
    ]
    made.tracks.append(otio.schema.Track("V2", children=upper, kind="Video"))
    otio.adapters.write_to_file(made, str(folder / "upper.otio"))
    found = read_timeline(folder / "upper.otio").programme
    assert found is not None
    assert "the dissolve to “a.mkv” on an upper track: it is a cut" in found.left_out


@pytest.mark.parametrize(
    ("scalar", "wanted"), [(2.0, [26, 28, 30]), (0.5, [14, 14, 15]), (-1.0, [31, 30, 29])]
)
def test_a_trimmed_nested_timeline_begins_at_the_right_frame(
    folder: Path, scalar: float, wanted: list[int]
) -> None:
    inner = clip("a.mkv", 10, 30)
    inner.effects.append(otio.schema.LinearTimeWarp(time_scalar=scalar))
    nested = otio.schema.Stack("nested", children=[otio.schema.Track("V", children=[inner], kind="Video")])
    time = otio.opentime.RationalTime
    nested.source_range = otio.opentime.TimeRange(time(8, 25), time(3, 25))
    found = read_timeline(timeline(folder, nested, name="trimmed")).programme
    assert found is not None
    assert [number_in(p) for p in pictures(found)] == wanted


def test_audio_of_an_edl_keeps_its_place(folder: Path) -> None:
    sound = "002  AX A C        00:00:01:05 00:00:01:15 01:00:00:05 01:00:00:15\n* FROM CLIP NAME: a.mkv\n"
    found = from_edl(folder, FIRST + sound).programme
    assert found is not None
    assert [(p.start, p.at) for p in found.sound[0]] == [(Fraction(30, 25), Fraction(5, 25))]


def test_what_an_edl_asks_for_and_does_not_get_is_said(folder: Path) -> None:
    wipe = (
        "002  AX V C        00:00:01:00 00:00:01:00 01:00:00:15 01:00:00:15\n"
        "002  AX V W001 010 00:00:01:05 00:00:02:00 01:00:00:15 01:00:01:10\n"
        "* FROM CLIP NAME: a.mkv\n* TO CLIP NAME: b.mkv\n"
    )
    assert "SMPTE_Wipe" in " ".join(from_edl(folder, FIRST + wipe).left_out)
    keyed = FIRST + SECOND.format("V K B", "00:00:01:05 00:00:02:00", "")
    assert "the key of event 002: its clip covers the whole frame" in from_edl(folder, keyed).left_out
    slow = "M2   AX       012.5      00:00:01:05\n"
    half = from_edl(folder, FIRST + SECOND.format("V C", "00:00:01:05 00:00:01:15", slow))
    assert half.programme is not None
    assert not any("speed" in words for words in half.left_out)
    assert half.programme.shots[1].speed == Fraction(1, 2)
    equal = from_edl(folder, FIRST + SECOND.format("V C", "00:00:01:05 00:00:02:00", slow))
    assert "1 speed change: source and record are equally long there" in equal.left_out


def test_a_drop_frame_edl_asks_for_the_rate(folder: Path) -> None:
    text = FIRST.replace("00:00:00:10 00:00:01:00", "00:00:00;10 00:00:00;25")
    text = text.replace("01:00:00:00 01:00:00:15", "01:00:00;00 01:00:00;15").replace("a.mkv", "nobody.mkv")
    path = folder / "asks.edl"
    path.write_text(HEAD.replace("NON-DROP", "DROP") + text)
    for read in (read_timeline, read_timeline_apart):
        with pytest.raises(RateNeeded, match="drop-frame"):
            read(path)
    assert read_timeline_apart(path, (), Fraction(30000, 1001)).missing == ("nobody.mkv",)


def test_a_retime_is_written_as_a_warp_that_others_read(folder: Path) -> None:
    made = edit(folder)
    assert write_timeline(made, folder / "warp.otio") == ()
    found = otio.adapters.read_from_file(str(folder / "warp.otio"))
    warps = [e for c in found.find_clips() for e in c.effects if isinstance(e, otio.schema.LinearTimeWarp)]
    assert [w.time_scalar for w in warps] == [0.5]


def test_a_retime_comes_first_whatever_the_order_on_the_clip(folder: Path) -> None:
    """Treatments are of the pictures that are shown, not of those that a speed leaves out."""
    made = edit(folder)
    write_timeline(made, folder / "later.otio")
    found = otio.adapters.read_from_file(str(folder / "later.otio"))
    two = next(c for c in found.find_clips() if c.name == "two")
    assert two.effects
    two.effects.append(otio.schema.LinearTimeWarp(time_scalar=0.5))
    otio.adapters.write_to_file(found, str(folder / "later.otio"))
    programme = read_timeline(folder / "later.otio").programme
    assert programme is not None
    shot = next(s for s in programme.shots if s.name == "two")
    assert [t.kind for t in shot.treatments] == ["retime", "blur"]


def test_what_an_edl_can_t_hold_is_said_when_it_is_written(folder: Path) -> None:
    lost = write_timeline(edit(folder), folder / "lost.edl")
    assert lost[:3] == ("1 overlay", "1 audio track", "1 treatment of shots")
    assert "1 treatment over the whole" in lost
    assert "how speeds are done: motion interpolation" in lost
    assert "exact in points of 1 clip at another rate" in lost
    again = read_timeline(folder / "lost.edl").programme
    assert again is not None
    assert [(s.clip, s.start, s.frames, s.speed) for s in again.shots] == [
        (s.clip, s.start, s.frames, s.speed) for s in edit(folder).shots
    ]


def test_a_clip_of_another_kind_is_not_taken_without_a_word(folder: Path, tmp_path: Path) -> None:
    """The master is gone, and beside the timeline lies a proxy of its name."""
    text = XMEML.format(a=(folder / "a.mkv").as_uri(), b=(folder / "gone" / "b.mov").as_uri())
    path = folder / "proxied.xml"
    path.write_text(text)
    found = read_timeline(path).programme
    assert found is not None
    [said] = [words for words in found.left_out if "stands in for it" in words]
    assert said.startswith("the file b.mov, which is not there: b.mkv stands in for it, ")
    path.write_text(text.replace("b.mov", "b.mkv"))
    moved = read_timeline(path).programme
    assert moved is not None
    assert not any("stands in" in words for words in moved.left_out), (
        "the same name elsewhere is the same clip"
    )


def test_a_clip_of_another_length_is_no_stand_in(folder: Path) -> None:
    text = XMEML.format(a=(folder / "a.mkv").as_uri(), b=(folder / "gone" / "b.mov").as_uri())
    head, file_of_b = text.split('<file id="f2">')
    path = folder / "longer.xml"
    for frames, taken in ((90, False), (63, False), (62, True), (58, True), (57, False)):
        of_length = file_of_b.replace("<duration>60<", f"<duration>{frames}<", 1)
        path.write_text(f'{head}<file id="f2">{of_length}')
        found = read_timeline(path)
        assert (found.programme is not None) is taken, frames
        assert taken or ["its length" in words for words in found.missing] == [True]


def test_the_own_size_of_a_sequence_is_the_frame_s(folder: Path) -> None:
    text = XMEML.format(a=(folder / "a.mkv").as_uri(), b=(folder / "b.mkv").as_uri())
    own = "<format><samplecharacteristics><width>{}</width><height>1080</height></samplecharacteristics></format>"
    path = folder / "sized.xml"
    path.write_text(text.replace("<video>", f"<video>{own.format(1998)}", 1))
    found = read_timeline(path).programme
    assert found is not None
    assert (found.width, found.height, found.fit) == (1998, 1080, "inside")
    assert not any("size" in words for words in found.left_out)
    written = folder / "again.otio"
    write_timeline(found.sized(640, 360, "fill"), written)
    again = read_timeline(written).programme
    assert again is not None
    assert (again.width, again.height, again.fit) == (640, 360, "fill")
    path.write_text(text.replace("<video>", f"<video>{own.format(1)}", 1))
    odd = read_timeline(path).programme
    assert odd is not None
    assert (odd.width, odd.height) == (odd.clips[0].width, odd.clips[0].height)
    assert any("1×1080 is no size for a frame" in words for words in odd.left_out)
