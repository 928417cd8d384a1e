"""Notes and blind comparisons in the study file, and how a comparison goes on."""

import json
import random
import sqlite3
from dataclasses import replace

import pytest

from added_runs import add_run
from ovrik.errors import OvrikError
from ovrik.report.forms.as_text import verdict_text
from ovrik.store.study import Study
from ovrik.study.facts.notes import REFERENCE, WHOLE, Blind, BlindChoice, Pin, Spot
from ovrik.study.programme.excerpt import Excerpt
from ovrik.work.checking.blind import BlindSeries, told_words
from ovrik.work.evidence.gathered import gather

AREA = (0.1, 0.2, 0.3, 0.4)
SPOTS = (Spot(3, AREA), Spot(7), Spot(9, WHOLE))


def asked(study: Study) -> tuple[object, ...]:
    return study.programme(), study.facts().excerpt


def read(study: Study) -> tuple[list[Pin], list[Blind]]:
    key = study.programme().checksum, study.facts().excerpt
    return study.pins(*key), study.blinds(*key)


def blind(**more: object) -> Blind:
    return replace(Blind("aa", "bb", "ref", "Ida", "Fit", SPOTS, 12), **more)  # type: ignore[arg-type]


def test_notes_belong_to_their_excerpt(study: Study) -> None:
    made = study.keep_pin(Pin(1, "ff", 3, AREA, '  swims; <b>"so"</b> '), *asked(study))  # type: ignore[arg-type]
    assert (made.id, made.words) == (1, 'swims; <b>"so"</b>')
    assert read(study)[0] == [made]
    assert study.pins(study.programme().checksum, Excerpt(1, 20)) == []
    with pytest.raises(OvrikError, match="says nothing"):
        study.keep_pin(Pin(1, "ff", 3, AREA, "   "), *asked(study))  # type: ignore[arg-type]
    study.drop_pin(made.id)
    assert read(study)[0] == []


@pytest.mark.parametrize("frame", [0, 29])
def test_a_note_may_be_on_the_first_frame_and_on_the_last(study: Study, frame: int) -> None:
    made = study.keep_pin(Pin(1, "ff", frame, AREA, "soft"), *asked(study))  # type: ignore[arg-type]
    assert [p.frame for p in read(study)[0]] == [made.frame] == [frame]


@pytest.mark.parametrize(
    ("table", "column", "value"),
    [
        ("pin", "region", "[0, 0, 2, 1]"),
        ("pin", "frame", 30),
        ("pin", "frame", -1),
        ("pin", "region", "[0, 0]"),
        ("pin", "frame", 100_000),
        ("blind", "answers", "[[9, 1, 1, 2.0]]"),
        ("blind", "answers", json.dumps([[0, 1, 1, 1.0]] * 13)),
        ("blind", "places", "[[1, 0, 0, 1, 9]]"),
        ("blind", "ended", "whenever"),
    ],
)
def test_nonsense_is_one_clear_line(study: Study, table: str, column: str, value: object) -> None:
    study.keep_pin(Pin(1, "ff", 3, AREA, "soft"), *asked(study))  # type: ignore[arg-type]
    study.keep_blind(blind(), *asked(study))  # type: ignore[arg-type]
    with sqlite3.connect(study.path) as db:
        db.execute(f"UPDATE {table} SET {column} = ?", (value,))
    with pytest.raises(OvrikError, match=r"notes|blind"):
        read(study)


def test_each_answer_is_kept_at_once(study: Study) -> None:
    """What a kill leaves is what was answered; what has ended is not changed."""
    series = BlindSeries(blind(), lambda b: study.keep_blind(b, *asked(study)), random.Random(1))  # type: ignore[arg-type]
    for count in range(1, 4):
        series.answer(count % 2 == 0)
        [kept] = read(study)[1]
        assert (len(kept.choices), kept.ended) == (count, "")
    series.stop()
    assert read(study)[1][0].ended == "stopped"
    with pytest.raises(OvrikError, match="has ended"):
        series.answer(True)
    with pytest.raises(OvrikError, match="has ended"):
        study.keep_blind(replace(series.blind, ended=""), *asked(study))  # type: ignore[arg-type]


def test_sides_and_spots_are_drawn_and_an_answer_is_for_what_lay_there() -> None:
    """Every spot once before any comes again; both sides in turn by chance; always-left is no answer."""
    series = BlindSeries(blind(most=60), lambda b: b, random.Random(2))
    spots, lefts = [], []
    while series.told.answer == "open":
        trial = series.trial
        spots.append(trial.spot.frame)
        lefts.append(trial.left)
        found = series.answer(trial.left == "aa")
        assert series.blind.choices[-1].chose_one
    assert found.answer == "one"
    assert sorted(spots[:3]) == [3, 7, 9]
    assert sorted(spots[3:6]) == [3, 7, 9]
    assert set(lefts) == {"aa", "bb"}
    told = told_words(series.blind, "x264", "x265")
    assert told.startswith(f"x264 looked nearer to the reference: {len(spots)} of {len(spots)}")
    stubborn = BlindSeries(blind(most=20), lambda b: b, random.Random(3))
    while stubborn.told.answer == "open":
        stubborn.answer(True)
    assert "could not tell them apart" in told_words(stubborn.blind, "x264", "x265")


@pytest.mark.parametrize(
    ("more", "why"),
    [({"spots": ()}, "nothing to look at"), ({"most": 3}, "3 trials"), ({"other": "aa"}, "same file")],
)
def test_what_can_not_be_begun(more: dict[str, object], why: str) -> None:
    with pytest.raises(OvrikError, match=why):
        BlindSeries(blind(**more), lambda b: b)


def test_told_from_the_reference_itself() -> None:
    series = BlindSeries(blind(other=REFERENCE), lambda b: b, random.Random(4))
    while series.told.answer == "open":
        series.answer(series.trial.left == REFERENCE)
    assert told_words(series.blind, "x264", "the reference").startswith("You told it from the reference: ")


def test_the_report_tells_what_was_seen(study: Study) -> None:
    add_run(study, 1, 1, 2.0)
    study.keep_pin(Pin(1, "ff", 3, AREA, "the rim\nswims"), *asked(study))  # type: ignore[arg-type]
    series = BlindSeries(
        blind(one="ff", other=REFERENCE), lambda b: study.keep_blind(b, *asked(study)), random.Random(4)
    )  # type: ignore[arg-type]
    while series.told.answer == "open":
        series.answer(series.trial.left == REFERENCE)
    said = verdict_text(gather(study))
    assert "Seen in x264 veryfast CRF 24, frame 3: the rim swims" in said
    assert "Blind, Ida: x264 veryfast CRF 24 against the reference. You told it from the reference: " in said


def test_answers_come_back_as_they_were_given(study: Study) -> None:
    choices = tuple(
        BlindChoice(n % 3, left, one, seconds)
        for n, (left, one, seconds) in enumerate(
            [(True, True, 2.5), (True, False, 0.125), (False, True, 0.0), (False, False, 9.0)]
        )
    )
    made = study.keep_blind(blind(choices=choices), *asked(study))  # type: ignore[arg-type]
    [found] = read(study)[1]
    assert (found, found.choices, found.spots) == (made, choices, SPOTS)
