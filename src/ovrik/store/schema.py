"""Tables of the study file. docs/formats.md describes them for readers outside Ovrik."""

import json
import sqlite3
from collections.abc import Callable

from ovrik.study.footage import Footage
from ovrik.study.programme import of_clip

APPLICATION_ID = 0x4F56524B  # "OVRK"
VERSION = 10

TABLES = """
CREATE TABLE footage (
  id INTEGER PRIMARY KEY,
  path TEXT NOT NULL,
  checksum TEXT NOT NULL,
  facts TEXT NOT NULL
) STRICT;

CREATE TABLE programme (
  id INTEGER PRIMARY KEY,
  checksum TEXT NOT NULL UNIQUE,
  edit TEXT NOT NULL
) STRICT;

CREATE TABLE excerpt (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  start_frame INTEGER NOT NULL CHECK (start_frame >= 0),
  frames INTEGER NOT NULL CHECK (frames >= 2),
  programme_id INTEGER NOT NULL DEFAULT 0,
  weight REAL NOT NULL DEFAULT 1
) STRICT;

CREATE TABLE study (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  title TEXT NOT NULL,
  created_utc TEXT NOT NULL,
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL CHECK (start_frame >= 0),
  frames INTEGER NOT NULL CHECK (frames >= 2),
  rounds INTEGER NOT NULL,
  warmup INTEGER NOT NULL,
  tie_band REAL NOT NULL,
  baseline_id INTEGER REFERENCES contender(id),
  seed INTEGER NOT NULL,
  conduct TEXT NOT NULL DEFAULT '{}',
  plays INTEGER NOT NULL DEFAULT 0,
  unseen INTEGER NOT NULL DEFAULT 0,
  worth TEXT NOT NULL DEFAULT '{}',
  sealed INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE limit_value (
  key TEXT PRIMARY KEY,
  value REAL NOT NULL
) STRICT;

CREATE TABLE contender (
  id INTEGER PRIMARY KEY,
  position INTEGER NOT NULL,
  label TEXT NOT NULL,
  label_given INTEGER NOT NULL,
  build TEXT NOT NULL,
  recipe TEXT NOT NULL,
  active INTEGER NOT NULL DEFAULT 1,
  decode TEXT NOT NULL DEFAULT 'software',
  treat TEXT NOT NULL DEFAULT 'software',
  prerendered TEXT,
  methods TEXT NOT NULL DEFAULT '{}'
) STRICT;

CREATE TABLE build (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  path TEXT NOT NULL,
  version TEXT NOT NULL,
  sha256 TEXT NOT NULL,
  UNIQUE (key, path, sha256)
) STRICT;

CREATE TABLE machine (
  id INTEGER PRIMARY KEY,
  facts TEXT NOT NULL UNIQUE
) STRICT;

CREATE TABLE sitting (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  began_utc TEXT NOT NULL,
  builds TEXT NOT NULL DEFAULT '{}'
) STRICT;

CREATE TABLE run (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  build_id INTEGER REFERENCES build(id),
  machine_id INTEGER REFERENCES machine(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  round INTEGER NOT NULL,
  warmup INTEGER NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('running','done','failed','stopped','interrupted')),
  reason TEXT NOT NULL DEFAULT '',
  started_utc TEXT NOT NULL,
  argv TEXT NOT NULL,
  wall_s REAL,
  first_frame_s REAL,
  last_frame_s REAL,
  user_s REAL,
  system_s REAL,
  peak_bytes INTEGER,
  read_bytes INTEGER,
  written_bytes INTEGER,
  frames_written INTEGER,
  output TEXT,
  output_bytes INTEGER,
  output_sha256 TEXT,
  exit_code INTEGER,
  log TEXT NOT NULL DEFAULT '[]',
  own_cpu_s REAL,
  other_cpu_s REAL,
  stolen_s REAL,
  earlier_passes TEXT NOT NULL DEFAULT '[]',
  conditions TEXT NOT NULL DEFAULT '{}',
  disturbed TEXT NOT NULL DEFAULT '',
  fell_back TEXT NOT NULL DEFAULT '',
  sitting_id INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE INDEX run_contender ON run(contender_id, round);

CREATE TABLE trace (
  run_id INTEGER PRIMARY KEY REFERENCES run(id),
  series BLOB NOT NULL
) STRICT;

CREATE TABLE part (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  name TEXT NOT NULL,
  started_utc TEXT NOT NULL,
  argv TEXT NOT NULL,
  wall_s REAL NOT NULL,
  first_frame_s REAL,
  cpu_s REAL NOT NULL,
  load TEXT NOT NULL
) STRICT;

CREATE TABLE score (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  output_sha256 TEXT NOT NULL,
  reference TEXT NOT NULL,
  build_id INTEGER REFERENCES build(id),
  measured_utc TEXT NOT NULL,
  faults TEXT NOT NULL,
  facts TEXT NOT NULL,
  problem TEXT NOT NULL DEFAULT '',
  points TEXT NOT NULL DEFAULT '[]',
  UNIQUE (contender_id, output_sha256, reference)
) STRICT;

CREATE TABLE score_metric (
  id INTEGER PRIMARY KEY,
  score_id INTEGER NOT NULL REFERENCES score(id) ON DELETE CASCADE,
  metric TEXT NOT NULL,
  version TEXT NOT NULL,
  series BLOB,
  UNIQUE (score_id, metric)
) STRICT;

CREATE TABLE frame_score (
  metric_id INTEGER NOT NULL REFERENCES score_metric(id) ON DELETE CASCADE,
  frame INTEGER NOT NULL,
  value REAL NOT NULL,
  PRIMARY KEY (metric_id, frame)
) STRICT, WITHOUT ROWID;

CREATE TABLE complexity (
  programme_id INTEGER PRIMARY KEY REFERENCES programme(id),
  places TEXT NOT NULL,
  si TEXT NOT NULL,
  ti TEXT NOT NULL
) STRICT;

CREATE TABLE preparation (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('pre-render','analysis','trial')),
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  build_id INTEGER REFERENCES build(id),
  machine_id INTEGER REFERENCES machine(id),
  started_utc TEXT NOT NULL,
  argv TEXT NOT NULL,
  state TEXT NOT NULL,
  reason TEXT NOT NULL DEFAULT '',
  wall_s REAL,
  first_frame_s REAL,
  bytes INTEGER
) STRICT;
CREATE INDEX preparation_key ON preparation(key);

CREATE TABLE decision (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  round INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('left out','set aside','back','kept')),
  gain REAL,
  reason TEXT NOT NULL,
  made_utc TEXT NOT NULL,
  sitting_id INTEGER NOT NULL DEFAULT 1
) STRICT;

CREATE TABLE playback (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  output_sha256 TEXT NOT NULL,
  size TEXT NOT NULL,
  streams INTEGER NOT NULL,
  round INTEGER NOT NULL,
  paces TEXT NOT NULL,
  cores REAL NOT NULL,
  shares TEXT NOT NULL,
  machine_id INTEGER NOT NULL REFERENCES machine(id),
  made_utc TEXT NOT NULL
) STRICT;

CREATE TABLE pin (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  output_sha256 TEXT NOT NULL,
  frame INTEGER NOT NULL,
  region TEXT NOT NULL,
  words TEXT NOT NULL,
  made_utc TEXT NOT NULL
) STRICT;

CREATE TABLE blind (
  id INTEGER PRIMARY KEY,
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  one_sha256 TEXT NOT NULL,
  other_sha256 TEXT NOT NULL,
  reference TEXT NOT NULL,
  viewer TEXT NOT NULL,
  watching TEXT NOT NULL,
  places TEXT NOT NULL,
  most INTEGER NOT NULL CHECK (most > 0),
  answers TEXT NOT NULL,
  ended TEXT NOT NULL,
  made_utc TEXT NOT NULL
) STRICT;

CREATE TABLE search_point (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  recipe TEXT NOT NULL,
  reference TEXT NOT NULL,
  wall_s REAL NOT NULL,
  output_bytes INTEGER NOT NULL,
  output_sha256 TEXT NOT NULL,
  pooled TEXT NOT NULL,
  made_utc TEXT NOT NULL
) STRICT;

CREATE TABLE program (
  key TEXT PRIMARY KEY,
  description TEXT NOT NULL
) STRICT;

CREATE TABLE carried (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL CHECK (kind IN ('output','reference')),
  name TEXT NOT NULL,
  sha256 TEXT NOT NULL,
  bytes INTEGER NOT NULL,
  piece INTEGER NOT NULL,
  data BLOB NOT NULL,
  UNIQUE (kind, name, piece)
) STRICT;

CREATE TABLE thumbnail (
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  frame INTEGER NOT NULL,
  jpeg BLOB NOT NULL,
  PRIMARY KEY (footage_id, frame)
) STRICT, WITHOUT ROWID;
"""


def _programs(db: sqlite3.Connection) -> None:
    db.execute("CREATE TABLE program (key TEXT PRIMARY KEY, description TEXT NOT NULL) STRICT")


def _statement(name: str) -> str:
    """The statement of TABLES that makes a table."""
    return next(t for t in TABLES.split(";\n") if t.strip().startswith(f"CREATE TABLE {name} "))


RENAMED = {"footage_id": "programme_id", "first_picture_s": "first_frame_s", "last_picture_s": "last_frame_s"}
"""Columns by the names that earlier schemas gave them."""


ONCE_LIMITS = ("vmaf_mean", "vmaf_p5", "megabytes_per_minute")
"""Limits that had a column each."""


def _rebuilt(db: sqlite3.Connection, name: str) -> None:
    """A table made anew with its present columns; those it had under the same name keep their values,
    and a footage number becomes the number of that clip's programme, which is the same."""
    old = [r[1] for r in db.execute(f"PRAGMA table_info({name})")]
    db.execute(f"ALTER TABLE {name} RENAME TO old_{name}")
    db.execute(_statement(name))
    into = [RENAMED.get(c, c) for c in old]
    # What a later schema keeps elsewhere stays until the step that takes it there.
    for gone in set(into) & set(ONCE_LIMITS):
        db.execute(f"ALTER TABLE {name} ADD COLUMN {gone} REAL")
    db.execute(f"INSERT INTO {name} ({', '.join(into)}) SELECT {', '.join(old)} FROM old_{name}")
    db.execute(f"DROP TABLE old_{name}")


def _programmes(db: sqlite3.Connection) -> None:
    """Every clip becomes the programme of that one clip, with the same number."""
    for name in ("programme", "excerpt", "complexity", "preparation"):
        db.execute(_statement(name))
    db.execute("CREATE INDEX preparation_key ON preparation(key)")
    for row in db.execute("SELECT id, path, checksum, facts FROM footage").fetchall():
        made = of_clip(Footage.from_json(json.loads(row[3])))
        db.execute(
            "INSERT INTO programme VALUES (?,?,?)", (row[0], made.checksum, json.dumps(made.to_json()))
        )
    for column in (
        "decode TEXT NOT NULL DEFAULT 'software'",
        "treat TEXT NOT NULL DEFAULT 'software'",
        "prerendered TEXT",
    ):
        db.execute(f"ALTER TABLE contender ADD COLUMN {column}")
    _rebuilt(db, "study")
    db.execute("DROP INDEX IF EXISTS run_contender")
    _rebuilt(db, "run")
    db.execute("CREATE INDEX run_contender ON run(contender_id, round)")


def _watching(db: sqlite3.Connection) -> None:
    """Runs learn their conditions, and what went on while they ran."""
    # A study of an older schema got the present columns when its tables were made anew.
    columns = {(t, r[1]) for t in ("study", "run") for r in db.execute(f"PRAGMA table_info({t})")}
    for table, column, usual in (
        ("study", "conduct", "{}"),
        ("run", "conditions", "{}"),
        ("run", "disturbed", ""),
        ("run", "fell_back", ""),
    ):
        if (table, column) not in columns:
            db.execute(f"ALTER TABLE {table} ADD COLUMN {column} TEXT NOT NULL DEFAULT '{usual}'")
    for name in ("trace", "part"):
        db.execute(_statement(name))


ONCE_COLUMNS = ("vmaf", "psnr", "ssim")


def metrics_from_columns(db: sqlite3.Connection, columns: str) -> None:
    """Fill the tables of metrics from one that has a column for each."""
    for metric in ONCE_COLUMNS:
        db.execute(
            "INSERT INTO score_metric (score_id, metric, version) SELECT s.id, ?, coalesce(b.version, '') "
            "FROM score s LEFT JOIN build b ON b.id = s.build_id "
            f"WHERE EXISTS (SELECT 1 FROM {columns} c WHERE c.score_id = s.id) ORDER BY s.id",
            (metric,),
        )
        db.execute(
            f"INSERT OR IGNORE INTO frame_score SELECT m.id, c.frame, c.{metric} FROM {columns} c "
            "JOIN score_metric m ON m.score_id = c.score_id AND m.metric = ?",
            (metric,),
        )


def _metrics(db: sqlite3.Connection) -> None:
    """A column for each metric becomes a row for each; times to a frame are called so."""
    db.execute("ALTER TABLE frame_score RENAME TO old_frame_score")
    for name in ("score_metric", "frame_score"):
        db.execute(_statement(name))
    metrics_from_columns(db, "old_frame_score")
    db.execute("DROP TABLE old_frame_score")
    for table in ("run", "part", "preparation"):
        for column in {r[1] for r in db.execute(f"PRAGMA table_info({table})")} & RENAMED.keys():
            db.execute(f"ALTER TABLE {table} RENAME COLUMN {column} TO {RENAMED[column]}")


def _decisions(db: sqlite3.Connection) -> None:
    db.execute(_statement("decision"))


def _playback(db: sqlite3.Connection) -> None:
    """What was played, a limit that asks for it, and each point of conformity."""
    db.execute(_statement("playback"))
    for table, column, kind in (
        ("study", "plays", "INTEGER NOT NULL DEFAULT 0"),
        ("score", "points", "TEXT NOT NULL DEFAULT '[]'"),
    ):
        if column not in {r[1] for r in db.execute(f"PRAGMA table_info({table})")}:
            db.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")


def _seen(db: sqlite3.Connection) -> None:
    """Scores in one piece each, notes pinned to frames, and blind comparisons."""
    if "series" not in {r[1] for r in db.execute("PRAGMA table_info(score_metric)")}:
        db.execute("ALTER TABLE score_metric ADD COLUMN series BLOB")
    if "unseen" not in {r[1] for r in db.execute("PRAGMA table_info(study)")}:
        db.execute("ALTER TABLE study ADD COLUMN unseen INTEGER NOT NULL DEFAULT 0")
    if "methods" not in {r[1] for r in db.execute("PRAGMA table_info(contender)")}:
        db.execute("ALTER TABLE contender ADD COLUMN methods TEXT NOT NULL DEFAULT '{}'")
    for name in ("pin", "blind"):
        db.execute(_statement(name))


def limits_from_columns(db: sqlite3.Connection, study: str) -> None:
    """A row for each limit that is set, from a table that has a column for each."""
    for key in ONCE_LIMITS:
        db.execute(
            f"INSERT OR IGNORE INTO limit_value SELECT ?, {key} FROM {study} WHERE {key} IS NOT NULL", (key,)
        )


def _choosing(db: sqlite3.Connection) -> None:
    """Limits of any kind, excerpts of several programmes, what times are worth, and searches for a quality."""
    for name in ("limit_value", "search_point"):
        db.execute(_statement(name))
    columns = {r[1] for r in db.execute("PRAGMA table_info(study)")}
    if columns.issuperset(ONCE_LIMITS):
        limits_from_columns(db, "study")
    for key in columns.intersection(ONCE_LIMITS):
        db.execute(f"ALTER TABLE study DROP COLUMN {key}")
    for table, column, kind in (
        ("study", "worth", "TEXT NOT NULL DEFAULT '{}'"),
        ("excerpt", "programme_id", "INTEGER NOT NULL DEFAULT 0"),
        ("excerpt", "weight", "REAL NOT NULL DEFAULT 1"),
    ):
        if column not in {r[1] for r in db.execute(f"PRAGMA table_info({table})")}:
            db.execute(f"ALTER TABLE {table} ADD COLUMN {column} {kind}")
    db.execute("UPDATE excerpt SET programme_id = (SELECT programme_id FROM study) WHERE programme_id = 0")
    if "author" in {r[1] for r in db.execute("PRAGMA table_info(pin)")}:
        db.execute("ALTER TABLE pin DROP COLUMN author")


FIRST_SITTING = "INSERT OR IGNORE INTO sitting SELECT 1, '', created_utc, '{}' FROM study"
"""What was timed before there were sittings was timed in the first one."""


def _sittings(db: sqlite3.Connection) -> None:
    """A study can be gone through again: each run and decision belongs to a sitting. It can carry its outputs."""
    for name in ("sitting", "carried"):
        db.execute(_statement(name))
    if "sealed" not in {r[1] for r in db.execute("PRAGMA table_info(study)")}:
        db.execute("ALTER TABLE study ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0")
    for table in ("run", "decision"):
        if "sitting_id" not in {r[1] for r in db.execute(f"PRAGMA table_info({table})")}:
            db.execute(f"ALTER TABLE {table} ADD COLUMN sitting_id INTEGER NOT NULL DEFAULT 1")
    db.execute(FIRST_SITTING)


MIGRATIONS: dict[int, Callable[[sqlite3.Connection], None]] = {
    1: _programs,
    2: _programmes,
    3: _watching,
    4: _metrics,
    5: _decisions,
    6: _playback,
    7: _seen,
    8: _choosing,
    9: _sittings,
}
"""What brings a study of each older version to the next one."""
