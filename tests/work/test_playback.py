"""Streams play at their own pace through a real build; a simulated decoder of known speed breaks where it must."""

import sys
from dataclasses import replace
from pathlib import Path

import pytest

from calm import CALM
from ovrik.analysis.scores.playback import Streams, most_held, paced
from ovrik.errors import OvrikError
from ovrik.export.command.playback import playback_command
from ovrik.report.words.reasons import reasons_words
from ovrik.store.records.made import PlaybackRecord
from ovrik.store.study import Study
from ovrik.study.facts.played import Pace
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.treatment import treatment
from ovrik.study.question.limits import limits
from ovrik.work.apart.parts import Bench
from ovrik.work.checking import playback
from ovrik.work.checking.playback import Played, play, playback_words, played, played_together
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.tried import plays_by_output
from ovrik.work.outside.exports import outside_contender
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

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


@pytest.mark.quiet
def test_a_decoder_of_known_speed_breaks_where_its_pace_says(tmp_path: Path) -> None:
    """20 frames a second at 15.5 ms each: two streams keep one unit busy for 62 % of the time; four would for 124
    %."""
    script = tmp_path / "decoder.py"
    script.write_text(DECODER)
    command = [sys.executable, str(script), str(tmp_path / "unit"), "0.0155", "20", "40"]
    tried = [Streams(n, tuple(played_together(command, n, 20.0)[0])) for n in (1, 2, 4)]
    assert [s.held for s in tried] == [True, True, False]
    assert most_held(tried) == 2
    slowest = min(p.sustained for p in tried[2].paces)
    assert slowest == pytest.approx(1 / 0.0155 / 4, rel=0.25)


@pytest.mark.alone
def test_the_excerpt_is_played_by_the_build_at_three_sizes(study: Study) -> None:
    study.set_excerpt(Excerpt(0, 20))
    found = play(Bench(study), study.contenders()[0], rounds=1, most=1)
    assert [p.size for p in found] == ["full", "half", "quarter"]
    kept = played(gather(study).playbacks)[study.contenders()[0].contender_id, ""]
    assert kept == {p.size: p for p in found}, "what is on file is what was found"
    for one in found:
        assert set(one.shares) == {"decoding", "treatments and scaling"}
        assert one.one.paces[0].frames == 20, "every frame is seen"
        assert one.one.paces[0].sustained == pytest.approx(one.rate, rel=0.2) or not one.most
        assert playback_words(one).startswith(f"{one.size} size: ")


def test_a_treated_programme_is_treated_at_the_size_it_is_played(study: Study) -> None:
    programme = replace(study.programme(), treatments=(treatment("blur"),))
    study.set_programme(programme, Excerpt(0, 10))
    contender = study.contenders()[0]
    job = Bench(study).plan(contender, Excerpt(0, 10)).straight()
    full, half = (playback_command(job, size) for size in ("full", "half"))
    assert ["160" in c[c.index("-filter_complex") + 1] for c in (full, half)] == [False, True]
    [pace], _cores = played_together(half, 1, float(programme.rate))
    assert pace.frames == 10


GOOD, BAD = (paced([n / rate for n in range(50)], 25.0) for rate in (25, 10))


def test_words_say_what_held_and_what_did_not() -> None:
    three = Streams(1, (GOOD,)), Streams(2, (GOOD, GOOD)), Streams(3, (GOOD, GOOD, BAD))
    held = Played("half", three, (25.0,), 1.5, {"decoding": 0.009, "treatments and scaling": 0.005}, 25.0)
    assert playback_words(held) == (
        "half size: plays in real time, 2 streams at once, 1.5 cores busy; slowest step: decoding, 9.0 of 14.0 ms a "
        "frame"
    )
    assert "1 stream or more at once" in playback_words(replace(held, tried=three[:1]))
    late = Played("full", (Streams(1, (BAD, BAD)),), (10.0, 10.2), 2.0, {}, 25.0)
    assert "does not play in real time" in playback_words(late)
    assert "10.1 of 25 fps (8.8 to 11.4)" in playback_words(late)


def record(study: Study, sha256: str, number: int, *paces: Pace) -> None:
    one = PlaybackRecord(study.contenders()[0].contender_id, sha256, "full", len(paces), number, paces, 1.0)
    study.keep_playback([one], study.programme(), study.facts().excerpt, {"processor": "x"})


def test_an_output_plays_when_every_round_of_its_last_trial_held(study: Study) -> None:
    def now() -> dict[tuple[int, str], bool]:
        return plays_by_output(study.playbacks(study.programme().checksum, study.facts().excerpt))

    one = study.contenders()[0].contender_id
    record(study, "abc", 1, GOOD)
    assert now() == {(one, "abc"): True}
    record(study, "abc", 2, BAD)
    record(study, "abc", 3, GOOD)
    assert now() == {(one, "abc"): False}
    record(study, "", 1, GOOD)
    record(study, "abc", 1, GOOD, BAD)
    assert now() == {(one, "abc"): False}, "two streams at once, and the programme, are other questions"
    record(study, "abc", 1, GOOD)
    assert now() == {(one, "abc"): True}
    study.set_excerpt(Excerpt(0, 5))
    assert now() == {}


def test_the_limits_can_ask_that_outputs_play(study: Study, monkeypatch: pytest.MonkeyPatch) -> None:
    """Played for real; whether this machine stalls meanwhile is another question."""
    monkeypatch.setattr(playback, "paced", lambda moments, _rate: GOOD if len(moments) == 30 else BAD)
    study.set_conduct(CALM)
    study.set_excerpt(Excerpt(0, 30))
    ids = [c.contender_id for c in study.contenders()][:1]
    assert time_all(study, remaining(study, ids, 1))
    score_all(study)
    assert gather(study).summaries[0].acceptable
    study.set_limits(limits(plays=True))
    assert gather(study).summaries[0].acceptable is None, "not tried yet"
    assert score_all(study) == 1
    assert gather(study).summaries[0].acceptable
    assert score_all(study) == 0, "played once"
    sha256 = gather(study).summaries[0].runs[-1].output_sha256
    record(study, str(sha256), 1, BAD)
    assert tuple(reasons_words(gather(study).summaries[0].reasons)) == ("it does not play in real time here",)
    [found] = played(gather(study).playbacks)[ids[0], str(sha256)].values()
    assert (found.most, found.rate) == (0, 25.0)


def test_what_can_not_be_played_says_so(study: Study) -> None:
    made = study.add_contender(outside_contender("Bell Yard", "1.0", {}))
    with pytest.raises(OvrikError, match="can't be played from here"):
        play(Bench(study), made)
    with pytest.raises(OvrikError, match="Playing failed"):
        played_together([sys.executable, "-c", "import sys; sys.exit('no such codec')"], 1, 25.0)


def test_a_stabilised_shot_is_played_at_every_size(study: Study) -> None:
    """Each size has an analysis of its own, made before it is played."""
    programme = study.programme()
    shot = replace(programme.shots[0], treatments=(treatment("stabilise"),))
    study.set_programme(replace(programme, shots=(shot,)), Excerpt(0, 12))
    found = play(Bench(study), study.contenders()[0], ("half", "quarter"), rounds=1, most=1)
    assert [p.size for p in found] == ["half", "quarter"]
    assert all(p.one.paces[0].frames == 12 for p in found)
