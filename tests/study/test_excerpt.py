"""Excerpts are exact to the frame and stay inside the footage."""

import re
from dataclasses import replace
from fractions import Fraction

import pytest

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.excerpt import Excerpt, excerpt_checked, from_seconds, place_in_name, whole
from ovrik.study.programme.programme import of_clip


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
        excerpt_checked(footage, excerpt)


def test_no_output_of_one_programme_takes_the_place_of_anothers(footage: Footage) -> None:
    """Checksums of large files all begin with how they were made."""
    names = {
        place_in_name(of_clip(replace(footage, checksum=f"sampled-{end}")), Excerpt(0, 9)) for end in "ab"
    }
    assert len(names) == 2
    assert all(re.fullmatch(r"[0-9a-f]{6}-0\+9", name) for name in names)
