"""What was played, in the study file."""

import json
import sqlite3
from collections.abc import Sequence
from typing import Any

from ovrik.store import rows
from ovrik.store.records import PlaybackRecord
from ovrik.store.sound import mapping, sound
from ovrik.store.study_file import StudyFile, now_utc, reading
from ovrik.study.excerpt import Excerpt
from ovrik.study.played import Pace
from ovrik.study.programme import Programme

PACE = ("frames", "late", "dropped", "sustained", "hitch_s", "rate")


class PlaybackTable(StudyFile):
    """The table `playback`."""

    def keep_playback(
        self, made: Sequence[PlaybackRecord], programme: Programme, excerpt: Excerpt, machine: dict[str, Any]
    ) -> None:
        """Keep rounds that were played, all of them or none."""
        with self._change() as db:
            where = rows.programme_id(db, programme), excerpt.start_frame, excerpt.frames
            here, at = rows.machine_id(db, machine), now_utc()
            db.executemany(
                "INSERT INTO playback (contender_id, programme_id, start_frame, frames, output_sha256, size, streams,"
                " round, paces, cores, shares, machine_id, made_utc) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)",
                [
                    (
                        *(m.contender_id, *where, m.output_sha256, m.size, m.streams, m.round),
                        json.dumps([[getattr(p, name) for name in PACE] for p in m.paces]),
                        *(m.cores, json.dumps(m.shares), here, at),
                    )
                    for m in made
                ],
            )

    @reading("playback")
    def playbacks(self, programme: str, excerpt: Excerpt) -> list[PlaybackRecord]:
        """What was played of this excerpt of the programme with this checksum, in the order in which it was."""
        found = self._all(
            "SELECT n.* FROM playback n JOIN programme p ON p.id = n.programme_id "
            "WHERE p.checksum = ? AND n.start_frame = ? AND n.frames = ? ORDER BY n.id",
            (programme, excerpt.start_frame, excerpt.frames),
        )
        return [_playback(r) for r in found]


def _playback(row: sqlite3.Row) -> PlaybackRecord:
    """A row of the table. Raises ValueError on one that can't be."""
    sound(row)
    shares = {str(k): float(v) for k, v in mapping(row["shares"]).items()}
    return PlaybackRecord(
        row["contender_id"],
        row["output_sha256"],
        row["size"],
        row["streams"],
        row["round"],
        tuple(_pace(values) for values in json.loads(row["paces"])),
        row["cores"],
        shares,
        row["made_utc"],
    )


def _pace(values: list[float]) -> Pace:
    if not isinstance(values, list) or len(values) != len(PACE) or not all(v >= 0 for v in values):
        raise ValueError("what should be the figures of a stream are none")
    frames, late, dropped = (int(v) for v in values[:3])
    return Pace(frames, late, dropped, *(float(v) for v in values[3:]))
