"""What is asked: programme, excerpts, limits, conduct and the line-up, in the study file."""

import json
import sqlite3
from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from ovrik.store.records.line_up import CONTENDERS
from ovrik.store.records.study_facts import StudyFacts
from ovrik.store.schema.file import outputs_folder, outputs_within
from ovrik.store.tables import ids
from ovrik.store.tables.sittings import SittingsTable
from ovrik.store.tables.study_file import reading_rows
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import Description
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.study.programme.sense import senseless
from ovrik.study.question.conduct import Conduct
from ovrik.study.question.limits import Limits, limits_from
from ovrik.study.question.worth import Worth, checked_worth


class QuestionTables(SittingsTable):
    """The tables of the question."""

    # The question

    @property
    def outputs(self) -> Path:
        """Folder of the output files: beside the study, or on the drive that was chosen."""
        if self._outputs_in is None:
            self._outputs_in = self.facts().conduct.outputs
        if self._outputs_in:
            return outputs_within(Path(self._outputs_in), self.path)
        return outputs_folder(self.path)

    @reading_rows("question")
    def facts(self) -> StudyFacts:
        """The study's own row."""
        asked = {r["key"]: r["value"] for r in self._all("SELECT key, value FROM limit_value")}
        row = self._row("SELECT * FROM study")
        found = StudyFacts(
            title=row["title"],
            created_utc=row["created_utc"],
            excerpt=Excerpt(row["start_frame"], row["frames"]),
            rounds=row["rounds"],
            warmup=row["warmup"],
            tie_band=row["tie_band"],
            baseline_id=row["baseline_id"],
            seed=row["seed"] + self.sitting_id - 1,  # each sitting has shuffles of its own
            limits=limits_from(asked, bool(row["plays"]), bool(row["unseen"])),
            conduct=Conduct.from_json(json.loads(row["conduct"])),
            worth=Worth.from_json(json.loads(row["worth"])),
            damaged=self.aside,
        )
        if self._place is None or self._place == (row["programme_id"], found.excerpt):
            return found
        # A file that was named as the reference is the present footage's.
        own = replace(found.conduct, reference="", reference_checksum="")
        return replace(found, excerpt=self._place[1], conduct=own)

    @reading_rows("programme")
    def programme(self) -> Programme:
        """The edit that is exported, its clips as they were read when they were chosen."""
        edit = json.loads(
            self._all("SELECT edit FROM programme WHERE id = ?", (self._programme_id,))[0]["edit"]
        )
        known = {r["checksum"]: r for r in self._all("SELECT path, checksum, facts FROM footage")}
        clips = [
            replace(Footage.from_json(json.loads(known[c]["facts"])), path=ids.path_of(known[c]["path"]))
            for c in edit["clips"]
        ]
        made = Programme.from_json(edit, clips)
        if wrong := senseless(made):
            raise ValueError(wrong)
        return made

    def set_programme(self, programme: Programme, excerpt: Excerpt) -> None:
        """Choose another programme; runs of the old one stay, but no longer count. Excerpts kept by name
        go, unless they lie within the new one."""
        with self._change() as db:
            before, found = self._programme_id, ids.programme_id(db, programme)
            db.execute(
                "UPDATE study SET programme_id = ?, start_frame = ?, frames = ?",
                (found, excerpt.start_frame, excerpt.frames),
            )
            # Those of other kinds of footage stay with their own programmes.
            db.execute("UPDATE excerpt SET programme_id = ? WHERE programme_id = ?", (found, before))
            db.execute(
                "DELETE FROM excerpt WHERE programme_id = ? AND start_frame + frames > ?",
                (found, programme.frames),
            )

    def move_footage(self, path: Path, checksum: str = "") -> None:
        """The clip with this checksum (the only one, if none is named) now lies elsewhere."""
        checksum = checksum or self.programme().clips[0].checksum
        with self._change() as db:
            db.execute("UPDATE footage SET path = ? WHERE checksum = ?", (ids.path_text(str(path)), checksum))

    def recount(self, clip: Footage) -> None:
        """A clip's frames have been counted: what was read of it is brought up to date, and so is the programme that
        is this clip alone. An excerpt that was all of it stays so; one that ends beyond it is cut off there."""
        with self._change() as db:
            db.execute(
                "UPDATE footage SET facts = ? WHERE checksum = ?", (json.dumps(clip.to_json()), clip.checksum)
            )
            row = db.execute("SELECT * FROM programme WHERE checksum = ?", (clip.checksum,)).fetchone()
            if row is None:
                return
            old = json.loads(row["edit"])
            made = replace(of_clip(clip), name=old["name"])
            db.execute("UPDATE programme SET edit = ? WHERE id = ?", (json.dumps(made.to_json()), row["id"]))
            before = old["shots"][0]["frames"]
            db.execute(
                "UPDATE study SET frames = ? WHERE programme_id = ? AND start_frame = 0 AND frames = ?",
                (made.frames, row["id"], before),
            )
            db.execute(
                "UPDATE study SET start_frame = min(start_frame, ?), frames = min(frames, ? - min(start_frame, ?))"
                " WHERE programme_id = ? AND start_frame + frames > ?",
                (made.frames - 2, made.frames, made.frames - 2, row["id"], made.frames),
            )
            db.execute(
                "DELETE FROM excerpt WHERE programme_id = ? AND start_frame + frames > ?",
                (row["id"], made.frames),
            )

    def reseat_clip(self, old: Footage, new: Footage, references: dict[str, str]) -> None:
        """A clip, made anew, has other bytes: programmes, runs and scores go with it. `references` are
        the new keys by the old ones."""
        edits = self._all("SELECT id, edit FROM programme")
        with self._change() as db:
            db.execute(
                "UPDATE footage SET path = ?, checksum = ?, facts = ? WHERE checksum = ?",
                (ids.path_text(new.path), new.checksum, json.dumps(new.to_json()), old.checksum),
            )
            clips = {
                r["checksum"]: Footage.from_json(json.loads(r["facts"]))
                for r in db.execute("SELECT checksum, facts FROM footage")
            }
            for row in edits:
                edit = json.loads(row["edit"].replace(old.checksum, new.checksum))
                made = Programme.from_json(edit, [clips[c] for c in edit["clips"]])
                db.execute(
                    "UPDATE programme SET checksum = ?, edit = ? WHERE id = ?",
                    (made.checksum, json.dumps(edit), row["id"]),
                )
            for table in ("score", "search_point", "blind"):
                db.executemany(
                    f"UPDATE {table} SET reference = ? WHERE reference = ?",
                    [(fresh, stale) for stale, fresh in references.items()],
                )

    def set_excerpt(self, excerpt: Excerpt) -> None:
        """Choose another excerpt; runs of the old one stay, but no longer count."""
        with self._change() as db:
            db.execute("UPDATE study SET start_frame = ?, frames = ?", (excerpt.start_frame, excerpt.frames))

    def set_limits(self, limits: Limits) -> None:
        """Change what makes an output acceptable."""
        with self._change() as db:
            db.execute("DELETE FROM limit_value")
            db.executemany("INSERT INTO limit_value VALUES (?,?)", limits.values)
            db.execute("UPDATE study SET plays = ?, unseen = ?", (int(limits.plays), int(limits.unseen)))

    def set_worth(self, worth: Worth) -> None:
        """Change how the times are used."""
        with self._change() as db:
            db.execute("UPDATE study SET worth = ?", (json.dumps(checked_worth(worth).to_json()),))

    def set_plan(self, title: str, rounds: int, warmup: int, tie_band: float) -> None:
        """Change the title and how much is to be timed."""
        with self._change() as db:
            db.execute(
                "UPDATE study SET title = ?, rounds = ?, warmup = ?, tie_band = ?",
                (title, rounds, warmup, tie_band),
            )

    def set_tie_band(self, band: float) -> None:
        """Change how far from 1 a speed may lie to be a tie."""
        with self._change() as db:
            db.execute("UPDATE study SET tie_band = ?", (band,))

    def set_conduct(self, conduct: Conduct) -> None:
        """Change how runs are made."""
        with self._change() as db:
            db.execute("UPDATE study SET conduct = ?", (json.dumps(conduct.to_json()),))
        self._outputs_in = conduct.outputs

    def set_baseline(self, contender_id: int) -> None:
        """Choose what the others are compared with."""
        with self._change() as db:
            db.execute("UPDATE study SET baseline_id = ?", (contender_id,))

    def keep_complexity(
        self, programme: Programme, places: Sequence[int], si: Sequence[float], ti: Sequence[float]
    ) -> None:
        """Keep SI and TI measured at these frames of a programme."""
        with self._change() as db:
            db.execute(
                "INSERT OR REPLACE INTO complexity VALUES (?,?,?,?)",
                (
                    ids.programme_id(db, programme),
                    json.dumps(list(places)),
                    json.dumps(list(si)),
                    json.dumps(list(ti)),
                ),
            )

    @reading_rows("complexity")
    def complexity(self) -> tuple[list[int], list[float], list[float]] | None:
        """Places, SI and TI of the present programme, or None while it was not measured."""
        row = self._one("SELECT * FROM complexity WHERE programme_id = ?", (self._programme_id,))
        return (json.loads(row["places"]), json.loads(row["si"]), json.loads(row["ti"])) if row else None

    # The line-up

    @reading_rows("line-up")
    def contenders(self, with_dropped: bool = False, as_asked: bool = False) -> list[Contender]:
        """Contenders in line-up order, with the builds that they have in the sitting that is spoken of, or with those
        that were asked for when they were added."""
        where = "" if with_dropped else "WHERE active"
        found = self._all(f"SELECT * FROM contender {where} ORDER BY position, id")
        made = [CONTENDERS.read(r) for r in found]
        return made if as_asked else self.sitting.as_timed(made)

    def add_contender(self, contender: Contender) -> Contender:
        """Keep a contender; the result carries its number. The first one becomes the baseline."""
        return self.add_contenders([contender])[0]

    def add_contenders(self, contenders: Iterable[Contender]) -> list[Contender]:
        """Keep many contenders at once, or none."""
        with self._change() as db:
            made = [_added(db, c) for c in contenders]
            if made:
                db.execute(
                    "UPDATE study SET baseline_id = ? WHERE baseline_id IS NULL", (made[0].contender_id,)
                )
        return made

    def relabel(self, contenders: Iterable[Contender]) -> None:
        """Keep new labels."""
        with self._change() as db:
            db.executemany(
                "UPDATE contender SET label = ?, label_given = ? WHERE id = ?",
                [(c.label, int(c.label_given), c.contender_id) for c in contenders],
            )

    def place(self, ids: Sequence[int]) -> None:
        """Make exactly these contenders active, in this order."""
        with self._change() as db:
            db.execute("UPDATE contender SET active = 0")
            db.executemany("UPDATE contender SET active = 1, position = ? WHERE id = ?", list(enumerate(ids)))

    def drop_contender(self, contender_id: int) -> None:
        """Take a contender out of the line-up. Its runs are evidence: they and it stay on file."""
        with self._change() as db:
            timed = self.has_evidence(contender_id)
            heir = db.execute(
                "SELECT id FROM contender WHERE active AND id <> ? ORDER BY position, id LIMIT 1",
                (contender_id,),
            ).fetchone()
            db.execute(
                "UPDATE study SET baseline_id = ? WHERE baseline_id = ?",
                (heir["id"] if heir else None, contender_id),
            )
            if timed:
                db.execute("UPDATE contender SET active = 0 WHERE id = ?", (contender_id,))
            else:
                db.execute("DELETE FROM contender WHERE id = ?", (contender_id,))

    def change_contender(self, contender: Contender) -> Contender:
        """Keep changed settings. One that was timed, tried, prepared or timed in parts is left as it is and a new
        one takes its place, so that evidence always belongs to the settings it was made with."""
        old = next(c for c in self.contenders(True) if c.contender_id == contender.contender_id)
        if old.same_thing(contender) or not self.has_evidence(contender.contender_id):
            kept = {k: v for k, v in vars(contender).items() if k not in ("id", "active")}
            with self._change() as db:
                CONTENDERS.update(db, "id = ?", [contender.contender_id], kept)
            return contender
        with self._change() as db:
            made = _added(db, contender)
            db.execute(
                "UPDATE contender SET position = (SELECT position FROM contender WHERE id = ?) WHERE id = ?",
                (contender.contender_id, made.contender_id),
            )
            db.execute("UPDATE contender SET active = 0 WHERE id = ?", (contender.contender_id,))
            db.execute(
                "UPDATE study SET baseline_id = ? WHERE baseline_id = ?",
                (made.contender_id, contender.contender_id),
            )
        return made

    def has_evidence(self, contender_id: int) -> bool:
        """Whether anything was ever timed, or decided, of a contender."""
        return any(
            self._all(f"SELECT 1 FROM {table} WHERE contender_id = ? LIMIT 1", (contender_id,))
            for table in ("run", "preparation", "part", "score", "decision", "playback", "search_point")
        )

    def keep_programs(self, described: Iterable[Description]) -> None:
        """Let descriptions of programs travel with the study."""
        with self._change() as db:
            db.executemany(
                "INSERT OR REPLACE INTO program VALUES (?,?)",
                [(d.build_key, d.model_dump_json()) for d in described],
            )

    @reading_rows("programs")
    def programs(self) -> list[Description]:
        """Descriptions that travel with the study; nothing is approved by that."""
        return [Description.model_validate_json(r["description"]) for r in self._all("SELECT * FROM program")]


def _added(db: sqlite3.Connection, made: Contender) -> Contender:
    """A contender at the end of the line-up, with its number."""
    (last,) = db.execute("SELECT ifnull(max(position), -1) FROM contender").fetchone()
    return replace(
        made,
        contender_id=CONTENDERS.insert(db, replace(made, contender_id=0, active=True), position=last + 1),
        active=True,
    )
