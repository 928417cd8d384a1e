"""What people saw."""

import sqlite3

from ovrik.store.records.columns import IN_PLACE
from ovrik.store.records.table import Table
from ovrik.study.facts.notes import Blind, BlindChoice, Pin, Spot, area_from


def _pin_trouble(made: Pin, row: sqlite3.Row) -> str:
    return "" if 0 <= made.frame < row["frames"] else f"note {made.id} is on no frame of the excerpt"


PINS = Table(
    "pin", Pin, [*IN_PLACE], names={"area": "region"}, ways={"area": (list, area_from)}, check=_pin_trouble
)


ENDED = ("", "decided", "stopped")


def _blind_trouble(made: Blind, _row: object) -> str:
    out = any(not 0 <= c.spot < len(made.spots) for c in made.choices) or len(made.choices) > made.most
    if out:
        return f"answers of blind comparison {made.id} make no sense"
    return "" if made.ended in ENDED else f"blind comparison {made.id} ended in no known way"


BLINDS = Table(
    "blind",
    Blind,
    [*IN_PLACE],
    names={"one": "one_sha256", "other": "other_sha256", "spots": "places", "choices": "answers"},
    ways={
        "spots": (
            lambda spots: [[s.frame, *s.area] for s in spots],
            lambda said: tuple(Spot(int(s[0]), area_from(s[1:])) for s in said),
        ),
        "choices": (
            lambda made: [[c.spot, int(c.one_left), int(c.chose_one), round(c.seconds, 3)] for c in made],
            lambda said: tuple(BlindChoice(int(c[0]), bool(c[1]), bool(c[2]), float(c[3])) for c in said),
        ),
    },
    check=_blind_trouble,
)
