"""What was found besides runs: scores, preparations, parts, decisions, what was played, searched and seen."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ovrik.errors import OvrikError
from ovrik.store.records.decision import DECISIONS, Decision
from ovrik.store.records.looks import LOOKS, Looks
from ovrik.store.records.made import PARTS, PLAYBACKS, PREPARATIONS, PartRecord, PlaybackRecord, Preparation
from ovrik.store.records.score import SCORES, MetricScores, ScoreRecord
from ovrik.store.records.searched import SEARCH_POINTS, SearchPoint
from ovrik.store.records.seen import BLINDS, PINS
from ovrik.store.tables import ids
from ovrik.store.tables.sittings import SittingsTable
from ovrik.store.tables.study_file import now_utc, reading_rows
from ovrik.study.clip.footage import Footage
from ovrik.study.facts.notes import Blind, Pin, checked_words
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme

OF_PROGRAMME = "SELECT n.*, p.checksum FROM {} n JOIN programme p ON p.id = n.programme_id"


class EvidenceTables(SittingsTable):
    """The tables of the evidence besides `run` and `trace`."""

    def keep_score(self, score: ScoreRecord, build: dict[str, Any]) -> int:
        """Keep a checked output with its per-frame scores, in place of an earlier one of the same output and
        reference; gives its number."""
        with self._change() as db:
            db.execute(
                "DELETE FROM score WHERE contender_id = ? AND output_sha256 = ? AND reference = ?",
                (score.contender_id, score.output_sha256, score.reference),
            )
            number = SCORES.insert(
                db, replace(score, id=0), build_id=ids.build_id(db, build), measured_utc=now_utc()
            )
            db.executemany(
                "INSERT INTO score_metric (score_id, metric, version, series) VALUES (?,?,?,?)",
                [
                    (number, key, one.version, one.values.astype("<f8").tobytes())
                    for key, one in score.metrics.items()
                ],
            )
            return number

    @reading_rows("scores")
    def score(self, contender_id: int, output_sha256: str, reference: str) -> ScoreRecord | None:
        """The check of one output against one reference, or None."""
        return self._scored(
            "contender_id = ? AND output_sha256 = ? AND reference = ?",
            (contender_id, output_sha256, reference),
        )

    @reading_rows("scores")
    def scored_alike(self, output_sha256: str, reference: str) -> ScoreRecord | None:
        """The newest score of a file with this content against this reference, whoever wrote it, or None."""
        return self._scored(
            "output_sha256 = ? AND reference = ? AND EXISTS (SELECT 1 FROM score_metric WHERE score_id = score.id)"
            " ORDER BY id DESC LIMIT 1",
            (output_sha256, reference),
        )

    def _scored(self, where: str, given: Sequence[Any]) -> ScoreRecord | None:
        row = self._one(f"SELECT * FROM score WHERE {where}", given)
        if row is None:
            return None
        found = self._all("SELECT * FROM score_metric WHERE score_id = ? ORDER BY id", (row["id"],))
        metrics = {
            m["metric"]: MetricScores(
                m["version"],
                self._frame_by_frame(m["id"])
                if m["series"] is None
                else np.frombuffer(m["series"], "<f8").astype(float),
            )
            for m in found
        }
        return replace(SCORES.read(row), metrics=metrics)

    def _frame_by_frame(self, metric_id: int) -> np.ndarray:
        """Values of a metric row by row, as they once were kept. Raises ValueError where a frame is missing."""
        found = self._all(
            "SELECT frame, value FROM frame_score WHERE metric_id = ? ORDER BY frame", (metric_id,)
        )
        if [r["frame"] for r in found] != list(range(len(found))):
            raise ValueError(f"a frame of metric {metric_id} is missing")
        return np.array([r["value"] for r in found], float)

    def keep_preparation(
        self, made: Preparation, programme: Programme, build: dict[str, Any], machine: dict[str, Any]
    ) -> None:
        """Keep a preparation that has ended."""
        with self._change() as db:
            PREPARATIONS.insert(
                db,
                made,
                programme_id=ids.programme_id(db, programme),
                build_id=ids.build_id(db, build),
                machine_id=ids.machine_id(db, machine),
                started_utc=now_utc(),
            )

    @reading_rows("preparations")
    def preparations(self, kind: str = "") -> list[Preparation]:
        """Preparations in the order in which they were made, of one kind or of all."""
        query = f"{OF_PROGRAMME.format('preparation')} WHERE ? IN ('', n.kind) ORDER BY n.id"
        return [PREPARATIONS.read(r) for r in self._all(query, (kind,))]

    @reading_rows("preparations")
    def preparations_here(self) -> list[Preparation]:
        """Those made in the sitting that is spoken of, in order."""
        query = f"{OF_PROGRAMME.format('preparation')} WHERE n.started_utc >= ? AND n.started_utc < ? ORDER BY n.id"
        return [PREPARATIONS.read(r) for r in self._all(query, self._span())]

    def _span(self) -> tuple[str, str]:
        """Between what moments this sitting lies, ISO 8601: the first one begins before anything."""
        began = {row["id"]: row["began_utc"] for row in self._all("SELECT id, began_utc FROM sitting")}
        later = [moment for number, moment in began.items() if number > self.sitting_id]
        first = self.sitting_id <= min(began, default=self.sitting_id)
        return "" if first else began.get(self.sitting_id, ""), min(later, default="9999")

    def keep_part(self, made: PartRecord, programme: Programme) -> None:
        """Keep a timed part of an export."""
        with self._change() as db:
            PARTS.insert(db, made, programme_id=ids.programme_id(db, programme), started_utc=now_utc())

    @reading_rows("parts")
    def parts(self) -> list[PartRecord]:
        """Timed parts in the order in which they were made."""
        return [PARTS.read(r) for r in self._all(f"{OF_PROGRAMME.format('part')} ORDER BY n.id")]

    def keep_decisions(self, made: Sequence[Decision], programme: Programme, excerpt: Excerpt) -> None:
        """Keep decisions about who is timed further, all of them or none."""
        with self._change() as db:
            for one in made:
                now = replace(one, made_utc=now_utc())
                DECISIONS.insert(db, now, **self._where(db, programme, excerpt), sitting_id=self.sitting_id)

    @reading_rows("decisions")
    def decisions(self, programme: str, excerpt: Excerpt) -> list[Decision]:
        """Decisions on this excerpt of the programme with this checksum, in the order in which they were made."""
        return self._in_place(DECISIONS, programme, excerpt, of_sitting=True)

    def keep_looks(self, made: Looks, programme: Programme, excerpt: Excerpt) -> None:
        """Keep how often evidence has been looked at: no number of it is ever lowered."""
        known = self.looks(programme.checksum, excerpt)
        most = Looks(*(max(a, b) for a, b in zip(vars(made).values(), vars(known).values(), strict=True)))
        if most == known:
            return
        with self._change() as db:
            where = {**self._where(db, programme, excerpt), "sitting_id": self.sitting_id}
            db.execute(
                f"DELETE FROM look WHERE {' AND '.join(f'{name} = ?' for name in where)}",
                tuple(where.values()),
            )
            LOOKS.insert(db, most, **where)

    @reading_rows("looks")
    def looks(self, programme: str, excerpt: Excerpt) -> Looks:
        """How often what was timed of this excerpt has been looked at, in the sitting that is spoken of."""
        return next(iter(self._in_place(LOOKS, programme, excerpt, of_sitting=True)), Looks())

    def keep_playback(
        self, made: Sequence[PlaybackRecord], programme: Programme, excerpt: Excerpt, machine: dict[str, Any]
    ) -> None:
        """Keep rounds that were played, all of them or none."""
        with self._change() as db:
            where = {**self._where(db, programme, excerpt), "machine_id": ids.machine_id(db, machine)}
            for one in made:
                PLAYBACKS.insert(db, replace(one, made_utc=now_utc()), **where)

    @reading_rows("playback")
    def playbacks(self, programme: str, excerpt: Excerpt) -> list[PlaybackRecord]:
        """What was played of this excerpt of the programme with this checksum, in the order in which it was."""
        return self._in_place(PLAYBACKS, programme, excerpt)

    def keep_search_point(self, made: SearchPoint, programme: Programme, excerpt: Excerpt) -> SearchPoint:
        """Keep one, at once; it is evidence, and is never changed."""
        made = replace(made, made_utc=now_utc())
        with self._change() as db:
            SEARCH_POINTS.insert(db, made, **self._where(db, programme, excerpt))
        return made

    @reading_rows("searches")
    def search_points(self, programme: str, excerpt: Excerpt) -> list[SearchPoint]:
        """Those of a programme's excerpt, in the order in which they were made."""
        return self._in_place(SEARCH_POINTS, programme, excerpt)

    def keep_pin(self, made: Pin, programme: Programme, excerpt: Excerpt) -> Pin:
        """Keep a note; gives it with its number. Raises OvrikError on one that says nothing."""
        made = replace(made, words=checked_words(made.words), made_utc=now_utc(), id=0)
        with self._change() as db:
            return replace(made, id=PINS.insert(db, made, **self._where(db, programme, excerpt)))

    def drop_pin(self, number: int) -> None:
        """Take a note away."""
        with self._change() as db:
            db.execute("DELETE FROM pin WHERE id = ?", (number,))

    @reading_rows("notes")
    def pins(self, programme: str, excerpt: Excerpt) -> list[Pin]:
        """Notes on this excerpt of the programme with this checksum, in the order in which they were made."""
        return self._in_place(PINS, programme, excerpt)

    def keep_blind(self, made: Blind, programme: Programme, excerpt: Excerpt) -> Blind:
        """Keep a blind comparison, or what it has come to since; gives it with its number. One that has ended can't
        be changed."""
        with self._change() as db:
            if not made.id:
                made = replace(made, made_utc=made.made_utc or now_utc())
                return replace(made, id=BLINDS.insert(db, made, **self._where(db, programme, excerpt)))
            now = {"choices": made.choices, "ended": made.ended}
            if BLINDS.update(db, "id = ? AND ended = ''", [made.id], now) != 1:
                raise OvrikError(f"Blind comparison {made.id} has ended", "Begin a new one")
            return made

    @reading_rows("blind comparisons")
    def blinds(self, programme: str, excerpt: Excerpt) -> list[Blind]:
        """Blind comparisons on this excerpt of the programme with this checksum, in order."""
        return self._in_place(BLINDS, programme, excerpt)

    @reading_rows("thumbnails")
    def thumbnails(self) -> dict[tuple[str, int], bytes]:
        """Small frames of the clips, JPEG by clip checksum and the clip's own frame."""
        found = self._all(
            "SELECT f.checksum, t.frame, t.jpeg FROM thumbnail t JOIN footage f ON f.id = t.footage_id"
        )
        return {(r["checksum"], r["frame"]): r["jpeg"] for r in found}

    def keep_thumbnails(self, clip: Footage, pictures: dict[int, bytes]) -> None:
        """Keep small frames of a clip."""
        with self._change() as db:
            number = ids.footage_id(db, clip)
            db.executemany(
                "INSERT OR REPLACE INTO thumbnail VALUES (?,?,?)",
                [(number, n, jpeg) for n, jpeg in pictures.items()],
            )
