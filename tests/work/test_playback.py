"""Streams play at their own pace through a real build; a simulated decoder of known speed breaks where it must."""

import sys
from dataclasses import replace
from pathlib import Path

import pytest

from ovrik.analysis.playback import Streams, most_held
from ovrik.errors import OvrikError
from ovrik.export.playback import playback_command
from ovrik.store.study import Study
from ovrik.study.excerpt import Excerpt
from ovrik.study.treatment import treatment
from ovrik.work.outside import outside_contender
from ovrik.work.parts import Bench
from ovrik.work.playback import Played, play, together, words

DECODER = """
import fcntl, sys, time
shared, cost, rate, frames = open(sys.argv[1], "w"), *map(float, sys.argv[2:])
start = None
for n in range(int(frames)):
    fcntl.flock(shared, fcntl.LOCK_EX)
    time.sleep(cost)
    fcntl.flock(shared, fcntl.LOCK_UN)
    start = start or time.monotonic()
    time.sleep(max(0.0, start + n / rate - time.monotonic()))
    print("0, %d" % n, flush=True)
"""
"""One unit that all streams share, and that takes `cost` seconds for each frame."""


def test_a_decoder_of_known_speed_breaks_where_its_pace_says(tmp_path: Path) -> None:
    """20 frames a second at 15.5 ms each: two streams keep one unit busy for 62 % of the time; four would for 124
    %."""
    script = tmp_path / "decoder.py"
    script.write_text(DECODER)
    command = [sys.executable, str(script), str(tmp_path / "unit"), "0.0155", "20", "40"]
    tried = [Streams(n, tuple(together(command, n, 20.0)[0])) for n in (1, 2, 4)]
    assert [s.held for s in tried] == [True, True, False]
    assert most_held(tried) == 2
    slowest = min(p.sustained for p in tried[2].paces)
    assert slowest == pytest.approx(1 / 0.0155 / 4, rel=0.25)


def test_the_excerpt_is_played_by_the_build_at_three_sizes(study: Study) -> None:
    study.set_excerpt(Excerpt(0, 20))
    found = play(Bench(study), study.contenders()[0], rounds=1)
    assert [p.size for p in found] == ["full", "half", "quarter"]
    for one in found:
        assert one.one.paces[0].frames == 20, "every frame is seen"
        assert one.one.paces[0].sustained == pytest.approx(one.rate, rel=0.2) or not one.most
        assert words(one).startswith(f"{one.size} size: ")


def test_a_treated_programme_is_treated_at_the_size_it_is_played(study: Study) -> None:
    programme = replace(study.programme(), treatments=(treatment("blur"),))
    study.set_programme(programme, Excerpt(0, 10))
    contender = study.contenders()[0]
    job = Bench(study).plan(contender, Excerpt(0, 10)).straight()
    full, half = (playback_command(job, size) for size in ("full", "half"))
    assert ["160" in c[c.index("-filter_complex") + 1] for c in (full, half)] == [False, True]
    [pace], _cores = together(half, 1, float(programme.rate))
    assert pace.frames == 10


def test_words_say_what_held_and_what_did_not() -> None:
    from ovrik.analysis.playback import paced

    good, bad = paced([n / 25 for n in range(50)], 25.0), paced([n / 10 for n in range(50)], 25.0)
    held = Played(
        "half", (Streams(1, (good,)), Streams(2, (good, good)), Streams(3, (good, good, bad))), 1.5, 25.0
    )
    assert words(held) == "half size: plays in real time, 2 streams at once, 1.5 cores busy"
    assert "does not play in real time" in words(Played("full", (Streams(1, (bad,)),), 2.0, 25.0))
    assert "10.0 of 25 fps" in words(Played("full", (Streams(1, (bad,)),), 2.0, 25.0))


def test_what_can_not_be_played_says_so(study: Study) -> None:
    made = study.add_contender(outside_contender("Bell Yard", "1.0", {}))
    with pytest.raises(OvrikError, match="can't be played from here"):
        play(Bench(study), made)
    with pytest.raises(OvrikError, match="Playing failed"):
        together([sys.executable, "-c", "import sys; sys.exit('no such codec')"], 1, 25.0)
