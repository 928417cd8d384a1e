"""The progress stream is read however it is cut."""

import pytest

from ovrik.export.run.progress import PatternReader, ProgressReader

STREAM = (
    b"frame=0\nfps=0.00\nbitrate=N/A\ntotal_size=N/A\nout_time=N/A\nprogress=continue\n"
    b"frame=12\nfps=24.50\ntotal_size=4096\nspeed=1.2x\nprogress=continue\n"
    b"frame=30\nfps=25.00\ntotal_size=9000\nprogress=end\n"
)


@pytest.mark.parametrize("size", [1, 7, 64, 10_000])
def test_pieces_of_any_size(size: int) -> None:
    reader = ProgressReader()
    reports = []
    for at in range(0, len(STREAM), size):
        reports += reader.feed(STREAM[at : at + size], at / 10)
    assert [r.frame for r in reports] == [0, 12, 30]
    assert [r.bytes for r in reports] == [0, 4096, 9000]
    assert [r.ended for r in reports] == [False, False, True]
    assert reports[1].fps == 24.5


def test_time_is_that_of_the_piece_that_closed_the_report() -> None:
    reader = ProgressReader()
    assert reader.feed(b"frame=3\nprogr", 1.0) == []
    assert reader.feed(b"ess=continue\n", 2.5)[0].at_s == 2.5


@pytest.mark.parametrize(
    ("unit", "said", "frames"),
    [("frames", b"at 30\n", 30), ("percent", b"at 12.5\n", 25), ("seconds", b"at 1.5\n", 37)],
)
def test_another_programs_words_become_frames(unit: str, said: bytes, frames: int) -> None:
    """Of 200 frames at 25 a second; that it has ended is never read off its words."""
    reader = PatternReader(r"at ([\d.]+)", unit, 200, 25.0)
    assert reader.feed(said[:4], 1.0) == []
    [found] = reader.feed(said[4:] + b"no number\r", 2.0)
    assert (found.at_s, found.frame, found.fps, found.bytes, found.ended) == (
        2.0,
        frames,
        frames / 2,
        0,
        False,
    )
