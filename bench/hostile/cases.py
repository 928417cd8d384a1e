"""Everything that is tried, drawn up from what there is: every name that is written, every table, every command."""

import os
import socket
import sqlite3
import struct
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from functools import partial
from pathlib import Path

from bench.hostile.case import ONE_LINE, SECRET, Case, Place, on_study
from bench.hostile.rows import changed_rows
from ovrik.store.schema.row_sums import sum_all
from ovrik.store.schema.tables import statements

LOOKS = ("verdict", "history", "estimate", "command", "explain")
WRITES = {
    "report": ("r.html", "r.pdf"),
    "export": ("e.csv", "e.json", "e.ods", "e.html", "e.toml"),
    "send": ("sent.ovrik",),
    "rescue": ("new.ovrik",),
}
"""What is written by name, with -o."""
LOGS = ("-journal", "-wal", "-shm")


def written(command: str, name: str, place: Place) -> list[str]:
    """A command that writes a file."""
    return [command, str(place.study), "-o", str(place.folder / name)]


def nothing(_place: Place) -> None:
    """The study as it is."""


def link_at(name: str, to: str, place: Place) -> None:
    """A link to a private file where a file of this name will be written."""
    (place.folder / name).symlink_to(place.private / to)


def log_is_link(tail: str, to: str, place: Place) -> None:
    Path(f"{place.study}{tail}").symlink_to(place.private / to)


def log_is_second_name(tail: str, place: Place) -> None:
    os.link(place.private / "notes.txt", f"{place.study}{tail}")


def log_is_folder(tail: str, place: Place) -> None:
    Path(f"{place.study}{tail}").mkdir()


def log_is_pipe(tail: str, place: Place) -> None:
    os.mkfifo(f"{place.study}{tail}")


def deletes_by_journal(to: str, place: Place) -> None:
    """A hot journal that names a private file as its super-journal: SQLite deletes that, once it is played back."""
    name = os.fsencode(place.private / to)
    with closing(sqlite3.connect(place.study)) as db:
        db.execute("PRAGMA journal_mode = DELETE")
        size = db.execute("PRAGMA page_size").fetchone()[0]
        pages = db.execute("PRAGMA page_count").fetchone()[0]
    magic = bytes.fromhex("d9d505f920a163d7")
    head = magic + struct.pack(">IIIII", 0, 1, pages, 512, size)
    tail = struct.pack(">I", 0x40000000 // size + 1) + name
    tail += struct.pack(">II", len(name), sum(c - 256 if c > 127 else c for c in name) & 0xFFFFFFFF) + magic
    Path(f"{place.study}-journal").write_bytes(head.ljust(512, b"\0") + tail)


def other_log(place: Place) -> None:
    """The write-ahead log of another database."""
    other = place.folder / "other.db"
    db = sqlite3.connect(other)
    db.execute("PRAGMA page_size = 1024")
    db.execute("PRAGMA journal_mode = WAL")
    db.execute("CREATE TABLE run (id)")
    Path(f"{place.study}-wal").write_bytes(Path(f"{other}-wal").read_bytes())
    db.close()


def outputs_are_link(place: Place) -> None:
    """The folder of outputs is a private one."""
    place.outputs.rename(place.folder / "gone")
    place.outputs.symlink_to(place.private / "films", target_is_directory=True)


def hold_is_link(place: Place) -> None:
    (place.outputs / ".hold").unlink(missing_ok=True)
    (place.outputs / ".hold").symlink_to(place.private / "made by a link")


def an_output(place: Place) -> Path:
    return next(p for p in sorted(place.outputs.iterdir()) if p.suffix == ".mp4")


def output_is(make: Callable[[Path, Place], object], place: Place) -> None:
    """Something else lies where an output was, which is to be checked anew."""
    path = an_output(place)
    path.unlink()
    make(path, place)
    _edit("DELETE FROM frame_score; DELETE FROM score_metric; DELETE FROM score", place)


def _socket(path: Path, _place: Place) -> None:
    here = os.open(path.parent, os.O_RDONLY)
    before = Path.cwd()
    os.chdir(path.parent)  # a socket's name is short
    with suppress(OSError):
        socket.socket(socket.AF_UNIX).bind(path.name)
    os.chdir(before)
    os.close(here)


INSTEAD: dict[str, Callable[[Path, Place], object]] = {
    "a pipe": lambda path, _place: os.mkfifo(path),
    "a folder": lambda path, _place: path.mkdir(),
    "a link to a device": lambda path, _place: path.symlink_to("/dev/zero"),
    "a link to a private film": lambda path, place: path.symlink_to(place.film),
    "a link to itself": lambda path, _place: path.symlink_to(path),
    "a socket": _socket,
    "an endless hole": lambda path, _place: os.truncate(path.touch() or path, 1 << 40),
    "another file": lambda path, _place: path.write_bytes(b"no film"),
}


def _edit(script: str, place: Place) -> None:
    with closing(sqlite3.connect(place.study)) as db:
        db.execute("PRAGMA foreign_keys = OFF")
        db.execute("PRAGMA ignore_check_constraints = ON")
        db.executescript(script)
        with suppress(sqlite3.Error):  # whoever changes rows on purpose can write their checksums too
            sum_all(db)
        db.commit()


def text_of_schema(table: str, old: str, new: str, place: Place) -> None:
    """Change what is stored of a table's making."""
    with closing(sqlite3.connect(place.study)) as db:
        db.execute("PRAGMA writable_schema = ON")
        found = db.execute("SELECT sql FROM sqlite_master WHERE name = ?", (table,)).fetchone()[0]
        changed = found.replace(old, new, 1)
        assert changed != found
        db.execute("UPDATE sqlite_master SET sql = ? WHERE name = ?", (changed, table))
        db.commit()


def no_private_film_in(name: str, place: Place) -> str:
    """Whether what was passed on holds the private film."""
    path = place.folder / name
    return "a private film went along" if path.exists() and SECRET[:1000] in path.read_bytes() else ""


def not_there(name: str, place: Place) -> str:
    return f"{name} was made" if (place.private / name).exists() else ""


def claims_private_film(place: Place) -> None:
    """The study says that a run's output is a private film, with its own checksum."""
    import hashlib

    digest = hashlib.sha256(SECRET).hexdigest()
    _edit(
        f"UPDATE run SET output = 'film.mkv', output_sha256 = '{digest}',"
        f" conditions = json_set(conditions, '$.outputs', '{place.private}')",
        place,
    )


def says_outputs_go_there(place: Place) -> None:
    _edit(f"UPDATE study SET conduct = json_set(conduct, '$.outputs', '{place.private}')", place)
    claims_private_film(place)


def carries(name: str, place: Place) -> None:
    """The study carries a file of this name."""
    import hashlib

    data = b"carried"
    with closing(sqlite3.connect(place.study)) as db:
        db.execute(
            "INSERT INTO carried (kind, name, sha256, bytes, piece, data) VALUES ('output',?,?,?,0,?)",
            (name, hashlib.sha256(data).hexdigest(), len(data), data),
        )
        db.commit()


NAMES = (
    "../private/film.mkv", "/tmp/film.mkv", "..", ".", "", "a/b.mkv", "-o.mkv\n", "film.mkv\n", "\u202egnp.mkv",
    "film.mkv\0.txt", "~/film.mkv", "film.sh", ".bashrc", "C:\\film.mkv", "x" * 300 + ".mkv", "film.mkv/",
    "\u2028.mkv",
)  # fmt: skip
TITLES = (
    "\x1b[2Jcleared",
    "a\nb",
    "\u202ertl",
    "=1+1",
    "-o",
    "<script>alert(1)</script>",
    "x" * 5000,
    "\ud7ff",
    "",
)
NUMBERS = ("-1", "0", "9e99", "9223372036854775807", "-9223372036854775808", "1e308", "'many'", "NULL")
COLUMNS = (
    ("study", "frames"), ("study", "start_frame"), ("study", "rounds"), ("study", "tie_band"), ("study", "warmup"),
    ("run", "wall_s"), ("run", "round"), ("run", "output_bytes"), ("score", "frames"), ("study", "seed"),
)  # fmt: skip
SCHEMAS: dict[str, Callable[[Place], None]] = {
    "a generated column": partial(
        _edit, "ALTER TABLE run ADD COLUMN more BLOB GENERATED ALWAYS AS (zeroblob(900000000)) VIRTUAL"
    ),
    "an extra table": partial(_edit, "CREATE TABLE more (a)"),
    "an extra column": partial(_edit, "ALTER TABLE run ADD COLUMN more TEXT"),
    "a virtual table": partial(_edit, "CREATE VIRTUAL TABLE more USING fts5(a)"),
    "a view": partial(_edit, "ALTER TABLE run RENAME TO run_; CREATE VIEW run AS SELECT * FROM run_"),
    "an endless view": partial(
        _edit,
        "DROP TABLE excerpt; CREATE VIEW excerpt AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i+1 FROM n)"
        " SELECT i AS id, 'x' AS name, 0 AS start_frame, 9 AS frames, 1 AS programme_id, 1.0 AS weight FROM n",
    ),
    "a trigger": partial(_edit, "CREATE TRIGGER t AFTER UPDATE ON run BEGIN DELETE FROM score; END"),
    "an index by an expression": partial(_edit, "CREATE INDEX more ON run(hex(zeroblob(id * 1000)))"),
    "a collation": partial(text_of_schema, "build", "key TEXT NOT NULL", "key TEXT NOT NULL COLLATE NOCASE"),
    "a changed check": partial(
        text_of_schema, "excerpt", "CHECK (frames >= 2)", "CHECK (frames >= length(hex(zeroblob(400000000))))"
    ),
    "a check that is gone": partial(text_of_schema, "study", "CHECK (id = 1)", ""),
    "a default that computes": partial(
        text_of_schema, "study", "DEFAULT '{}'", "DEFAULT (hex(zeroblob(400000000)))"
    ),
    "a table that is not strict": partial(text_of_schema, "machine", "STRICT", ""),
    "one changed letter of its text": partial(text_of_schema, "run", "wall_s", "wa!l_s"),
}


def every_case() -> Iterator[Case]:
    """All of them."""
    yield from _links()
    yield from _logs()
    yield from _folders()
    yield from _outputs()
    yield from _schemas()
    yield from changed_rows()
    yield from _texts()


def _links() -> Iterator[Case]:
    for command, names in WRITES.items():
        for name in names:
            say = partial(written, command, name)
            for to in ("film.mkv", "not there yet", "films"):
                lay = partial(link_at, name, to)
                also = partial(not_there, "not there yet")
                yield Case("a link at a name that is written", f"{command} {name} to {to}", lay, say, also)
            for guess in (
                f".{name}.new",
                f"partial {name}",
                f".{name}.part",
                f"{name}-journal",
                f"{name}-wal",
            ):
                lay = partial(link_at, guess, "film.mkv")
                yield Case("a link at a name that can be guessed", f"{command} {guess}", lay, say)


def _logs() -> Iterator[Case]:
    for command in ("verdict", "check", "send", "rescue"):
        say = partial(written, command, "out.ovrik") if command in WRITES else partial(on_study, command)
        promise = "what lies beside a study has no say"
        for to in ("film.mkv", "films/b.mkv", "notes.txt"):
            yield Case(promise, f"{command}: a journal that names {to}", partial(deletes_by_journal, to), say)
        for tail in LOGS:
            yield Case(promise, f"{command}: {tail} a link", partial(log_is_link, tail, "notes.txt"), say)
            made = partial(not_there, "new")
            yield Case(
                promise, f"{command}: {tail} leads nowhere", partial(log_is_link, tail, "new"), say, made
            )
            yield Case(promise, f"{command}: {tail} a second name", partial(log_is_second_name, tail), say)
            yield Case(promise, f"{command}: {tail} a folder", partial(log_is_folder, tail), say)
            yield Case(promise, f"{command}: {tail} a pipe", partial(log_is_pipe, tail), say)
        yield Case(promise, f"{command}: another's log", other_log, say)


def _folders() -> Iterator[Case]:
    for command in ("check", "run", "unpack"):
        promise = "a folder that is a link is not written into"

        def laid(place: Place) -> None:
            carries("film.mkv", place)
            outputs_are_link(place)

        say: Callable[[Place], list[str]] = partial(on_study, "again" if command == "run" else command)
        yield Case(promise, f"{command}: outputs", laid, say)
        yield Case(promise, f"{command}: .hold", hold_is_link, say, partial(not_there, "made by a link"))


def _outputs() -> Iterator[Case]:
    for what, make in INSTEAD.items():
        for command in ("check", "report", "send"):
            say: Callable[[Place], list[str]] = partial(on_study, command)
            if command in WRITES:
                name = WRITES[command][0]
                more = ["--outputs", "--reference"] if command == "send" else []
                say = lambda place, c=command, n=name, m=more: [*written(c, n, place), *m]  # noqa: E731
            also = partial(no_private_film_in, "sent.ovrik")
            yield Case("outputs are regular files", f"{command}: {what}", partial(output_is, make), say, also)
    for lay in (claims_private_film, says_outputs_go_there):
        say = lambda place: [*written("send", "sent.ovrik", place), "--outputs", "--reference"]  # noqa: E731
        also = partial(no_private_film_in, "sent.ovrik")
        yield Case("only own outputs are sent", lay.__name__.replace("_", " "), lay, say, also)


def _schemas() -> Iterator[Case]:
    for name, lay in SCHEMAS.items():
        for command in ("verdict", "check"):
            yield Case(
                "the schema is the schema", f"{command}: {name}", lay, partial(on_study, command), codes=(2,)
            )
        say = partial(written, "rescue", "new.ovrik")
        yield Case("what is damaged can be rescued", name, lay, say, codes=(0, 1, 3))
    for table in statements():
        lay = partial(_edit, f"DROP TABLE {table}")
        yield Case("a lost table is one line", table, lay, partial(on_study, "verdict"), codes=(2,))


def _texts() -> Iterator[Case]:
    for name in NAMES:
        yield Case(
            "names are Ovrik's own",
            f"carried {name!r}",
            partial(_carry_quietly, name),
            partial(on_study, "unpack"),
        )
    for title in TITLES:
        quoted = title.replace("'", "''")
        for command in ("verdict", "report"):
            say = partial(written, command, "r.html") if command in WRITES else partial(on_study, command)
            lay = partial(
                _edit,
                f"UPDATE study SET title = '{quoted}'; UPDATE contender SET label = '{quoted}' WHERE id = 1",
            )
            yield Case("texts are shown as texts", f"{command}: {title[:20]!r}", lay, say, codes=(0, 1, 2))
    for table, column in COLUMNS:
        for number in NUMBERS:
            lay = partial(_quiet_edit, f"UPDATE {table} SET {column} = {number}")
            yield Case(
                "numbers are bounded",
                f"{table}.{column} = {number}",
                lay,
                partial(on_study, "verdict"),
                codes=ONE_LINE,
            )


def _carry_quietly(name: str, place: Place) -> None:
    with suppress(sqlite3.Error, ValueError):
        carries(name, place)


def _quiet_edit(script: str, place: Place) -> None:
    with suppress(sqlite3.Error):  # the table itself may say no
        _edit(script, place)
