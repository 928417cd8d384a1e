"""Where the time goes, in words and as plain values."""

from dataclasses import replace

from ovrik.analysis.forecast.ladder import Load, ladder
from ovrik.analysis.forecast.whole_programme import Check, Costs, WholeForecast
from ovrik.report.words.explained import (
    NO_PARTS,
    explain_json,
    ladder_rows,
    ladder_words,
    share_words,
    time_words,
    whole_words,
)
from ovrik.study.facts.part import ALL, DECODE, ENCODE
from ovrik.work.apart.phases import Shape
from ovrik.work.apart.whole_programme import WholeTimed

NOTHING = WholeTimed(None, None, None, None)
ROUNDS = {DECODE: [1.0, 1.1, 1.0], ENCODE: [8.0, 8.1, 8.2], ALL: [10.0, 10.2, 10.1]}


def test_what_is_not_known_is_said_to_be_so() -> None:
    assert ladder_words(None) == NO_PARTS
    assert ladder_rows(None) == []
    assert whole_words(NOTHING) == ["The fixed cost of an export is not known yet: time segments of it."]
    said = explain_json(None, NOTHING)
    assert (said["parts"], said["limit"], said["forecast"]) == ([], None, None)


def test_parts_in_words() -> None:
    found = ladder(ROUNDS, Load(92.0, 95.0))
    assert found is not None
    rows = dict(ladder_rows(found))
    assert rows["Encoding from raw frames"].startswith("8.10 s, 80.2 % of the whole (")
    single = ladder({n: t[:1] for n, t in ROUNDS.items()}, Load(92.0, 95.0))
    assert single is not None
    assert share_words(single.shares[0]) == "1.00 s, 10.0 % of the whole"
    assert explain_json(found, NOTHING)["limit"]["limit"] == ENCODE


def test_the_whole_in_words() -> None:
    paid = Costs(-0.1, -0.4, 0.2, 0.02, 0.019, 0.021, 2, 10, 0.031)
    guess = WholeForecast(3700.0, 3500.0, 3900.0, 7, 0.05, "7 segments", 0)
    whole = WholeTimed(Shape(0.5, 9.4, 0.1, 6.4), paid, guess, Check(3650.0, 0.0137, True))
    shape, costs, forecast, check = whole_words(whole)
    assert "First frame written after 0.50 s" in shape
    assert "takes 0.00 s once (0.00 to 0.20)" in costs, "nobody is paid for exporting"
    assert (
        "20.0 ms a frame (19.0 to 21.0), 50.0 frames per second; the spread of one timing is 3.1 %" in costs
    )
    assert "1 h 01 min, 58 min 20 s to 1 h 05 min, from 7 segments, 5 % of its frames" in forecast
    assert check == ("It took 1 h 00 min: the forecast said 1 % more, which is inside its interval.")
    off = WholeTimed(None, whole.costs, whole.forecast, Check(2000.0, 0.85, False))
    assert "OUTSIDE its interval" in whole_words(off)[-1]
    assert (time_words(9.87), time_words(119.9), time_words(300.0)) == ("9.9 s", "119.9 s", "5 min 00 s")
    for more, helps in (
        (4, "about 4 more segments would tell"),
        (1, "1 more segment would"),
        (None, "whole once"),
    ):
        opened = whole_words(replace(whole, forecast=replace(guess, low=3000.0, more=more)))[2]
        assert "can't be told yet (50 min 00 s to 1 h 05 min" in opened
        assert helps in opened
