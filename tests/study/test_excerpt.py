"""Excerpts are exact to the frame and stay inside the footage."""

from dataclasses import replace
from fractions import Fraction

import pytest

from ovrik.errors import OvrikError
from ovrik.study.excerpt import Excerpt, checked, from_seconds, whole
from ovrik.study.footage import Footage


def test_seconds_to_frames(footage: Footage) -> None:
    assert from_seconds(footage, 0.4, 0.8) == Excerpt(10, 20)
    assert from_seconds(footage, 0.4, None) == Excerpt(10, 20)
    assert whole(footage) == Excerpt(0, 30)


def test_seconds_at_an_uneven_rate(footage: Footage) -> None:
    ntsc = replace(footage, rate=Fraction(30000, 1001), frames=300, duration_s=300 * 1001 / 30000)
    assert from_seconds(ntsc, 1001 / 30000 * 100, 1001 / 30000 * 50) == Excerpt(100, 50)


@pytest.mark.parametrize(
    ("excerpt", "words"),
    [
        (Excerpt(30, 5), "ends at 1.200 s"),
        (Excerpt(20, 11), "past the end of the programme at 1.200 s"),
        (Excerpt(-1, 5), "before the programme"),
        (Excerpt(3, 1), "shorter than two"),
    ],
)
def test_outside_is_refused(footage: Footage, excerpt: Excerpt, words: str) -> None:
    with pytest.raises(OvrikError, match=words):
        checked(footage, excerpt)
