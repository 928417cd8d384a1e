"""What people saw, in the study file."""

import json
import sqlite3
from dataclasses import replace

from ovrik.errors import OvrikError
from ovrik.store import rows
from ovrik.store.sound import sound
from ovrik.store.study_file import StudyFile, now_utc, reading
from ovrik.study.excerpt import Excerpt
from ovrik.study.programme import Programme
from ovrik.study.seen import Blind, Choice, Pin, Spot, area_from, checked_words

ENDED = ("", "decided", "stopped")


class SeenTable(StudyFile):
    """The tables `pin` and `blind`."""

    def keep_pin(self, made: Pin, programme: Programme, excerpt: Excerpt) -> Pin:
        """Keep a note; gives it with its number. Raises OvrikError on one that says nothing."""
        words, at = checked_words(made.words), now_utc()
        with self._change() as db:
            done = db.execute(
                "INSERT INTO pin (contender_id, programme_id, start_frame, frames, output_sha256, frame, region,"
                " words, made_utc) VALUES (?,?,?,?,?,?,?,?,?)",
                (
                    made.contender_id,
                    *(rows.programme_id(db, programme), excerpt.start_frame, excerpt.frames),
                    *(made.output_sha256, made.frame, json.dumps(made.area), words, at),
                ),
            )
        return replace(made, words=words, made_utc=at, id=int(done.lastrowid or 0))

    def drop_pin(self, number: int) -> None:
        """Take a note away."""
        with self._change() as db:
            db.execute("DELETE FROM pin WHERE id = ?", (number,))

    @reading("notes")
    def pins(self, programme: str, excerpt: Excerpt) -> list[Pin]:
        """Notes on this excerpt of the programme with this checksum, in the order in which they were made."""
        found = self._all(
            "SELECT n.* FROM pin n JOIN programme p ON p.id = n.programme_id "
            "WHERE p.checksum = ? AND n.start_frame = ? AND n.frames = ? ORDER BY n.id",
            (programme, excerpt.start_frame, excerpt.frames),
        )
        return [pin_from(r) for r in found]

    def keep_blind(self, made: Blind, programme: Programme, excerpt: Excerpt) -> Blind:
        """Keep a blind comparison, or what it has come to since; gives it with its number. One that has ended can't
        be changed."""
        at = made.made_utc or now_utc()
        spots = json.dumps([[s.frame, *s.area] for s in made.spots])
        choices = json.dumps(
            [[c.spot, int(c.one_left), int(c.chose_one), round(c.seconds, 3)] for c in made.choices]
        )
        with self._change() as db:
            if made.id:
                done = db.execute(
                    "UPDATE blind SET answers = ?, ended = ? WHERE id = ? AND ended = ''",
                    (choices, made.ended, made.id),
                )
                if done.rowcount != 1:
                    raise OvrikError(f"Blind comparison {made.id} has ended", "Begin a new one")
                return made
            done = db.execute(
                "INSERT INTO blind (programme_id, start_frame, frames, one_sha256, other_sha256, reference, viewer,"
                " watching, places, most, answers, ended, made_utc) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)",
                (
                    *(rows.programme_id(db, programme), excerpt.start_frame, excerpt.frames),
                    *(made.one, made.other, made.reference, made.viewer, made.watching),
                    *(spots, made.most, choices, made.ended, at),
                ),
            )
        return replace(made, made_utc=at, id=int(done.lastrowid or 0))

    @reading("blind comparisons")
    def blinds(self, programme: str, excerpt: Excerpt) -> list[Blind]:
        """Blind comparisons on this excerpt of the programme with this checksum, in order."""
        found = self._all(
            "SELECT n.* FROM blind n JOIN programme p ON p.id = n.programme_id "
            "WHERE p.checksum = ? AND n.start_frame = ? AND n.frames = ? ORDER BY n.id",
            (programme, excerpt.start_frame, excerpt.frames),
        )
        return [blind_from(r) for r in found]


def pin_from(row: sqlite3.Row) -> Pin:
    """A row of the table. Raises ValueError on one that can't be."""
    sound(row)
    if not 0 <= row["frame"] < row["frames"]:
        raise ValueError(f"note {row['id']} is on no frame of the excerpt")
    return Pin(
        row["contender_id"],
        row["output_sha256"],
        row["frame"],
        area_from(json.loads(row["region"])),
        row["words"],
        row["made_utc"],
        row["id"],
    )


def blind_from(row: sqlite3.Row) -> Blind:
    """A row of the table. Raises ValueError on one that can't be."""
    sound(row)
    spots = tuple(Spot(int(s[0]), area_from(s[1:])) for s in json.loads(row["places"]))
    choices = tuple(
        Choice(int(c[0]), bool(c[1]), bool(c[2]), float(c[3])) for c in json.loads(row["answers"])
    )
    if any(not 0 <= c.spot < len(spots) for c in choices) or len(choices) > row["most"]:
        raise ValueError(f"answers of blind comparison {row['id']} make no sense")
    if row["ended"] not in ENDED:
        raise ValueError(f"blind comparison {row['id']} ended in no known way")
    return Blind(
        row["one_sha256"],
        row["other_sha256"],
        row["reference"],
        row["viewer"],
        row["watching"],
        spots,
        row["most"],
        choices,
        row["ended"],
        row["made_utc"],
        row["id"],
    )
