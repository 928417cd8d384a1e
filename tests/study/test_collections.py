"""A timeline is found in whatever a timeline file holds."""

import opentimelineio as otio
import pytest

from ovrik.study.timeline.file import _first_timeline, nesting


def track(name: str) -> otio.schema.Track:
    return otio.schema.Track(name, children=[otio.schema.Clip(f"{name} clip")], kind="Video")


def test_the_first_timeline_of_a_collection_is_taken() -> None:
    bin_ = otio.schema.SerializableCollection("bin", children=[otio.schema.Clip("loose")])
    wanted = otio.schema.Timeline("wanted")
    every = otio.schema.SerializableCollection("all", children=[bin_, wanted, otio.schema.Timeline("later")])
    assert _first_timeline(wanted) is wanted
    assert _first_timeline(every).name == "wanted"
    assert _first_timeline(bin_) is None
    assert _first_timeline(otio.schema.Clip("loose")) is None


@pytest.mark.parametrize("stacked", [False, True])
def test_tracks_alone_become_a_timeline(stacked: bool) -> None:
    one, other = track("one"), track("other")
    found = _first_timeline(otio.schema.Stack("cut", children=[one, other]) if stacked else one)
    assert [t.name for t in found.tracks] == (["one", "other"] if stacked else ["one"])
    assert [c.name for c in found.tracks[0]] == ["one clip"]


@pytest.mark.parametrize(
    ("text", "deep"),
    [
        ("", 0),
        ("{}", 1),
        ('{"a": [1, {"b": []}]}', 4),
        (r'{"a": "[[[[", "b": "\"[{"}', 1),
        ("[[], [], []]", 2),
    ],
)
def test_brackets_are_counted_as_deep_as_they_stand(text: str, deep: int) -> None:
    assert nesting(text) == deep
