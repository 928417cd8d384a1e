"""Tables of the study file. docs/formats.md describes them for readers outside Ovrik."""

from ovrik.store.records.every import TABLES

APPLICATION_ID = 0x4F56524B  # "OVRK"
VERSION = 12

PLAIN_TABLES = """
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

CREATE TABLE build (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  path TEXT NOT NULL,
  version TEXT NOT NULL,
  sha256 TEXT NOT NULL,
  identity TEXT NOT NULL DEFAULT '',
  loads TEXT NOT NULL DEFAULT '[]',
  UNIQUE (key, path, sha256, identity)
) STRICT;

CREATE TABLE machine (
  id INTEGER PRIMARY KEY,
  facts TEXT NOT NULL UNIQUE
) STRICT;

CREATE TABLE trace (
  run_id INTEGER PRIMARY KEY REFERENCES run(id),
  series BLOB NOT NULL
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

CREATE TABLE row_sum (
  place TEXT NOT NULL,
  key TEXT NOT NULL,
  sum INTEGER NOT NULL,
  PRIMARY KEY (place, key)
) STRICT, WITHOUT ROWID
"""
"""Tables whose rows are no records: what refers to others, and what is large."""
INDEXES = {
    "run": "CREATE INDEX run_contender ON run(contender_id, round)",
    "preparation": "CREATE INDEX preparation_key ON preparation(key)",
}


def statements() -> dict[str, str]:
    """What makes each table, by its name."""
    plain = {text.split()[2]: text.strip() for text in PLAIN_TABLES.split(";\n")}
    return plain | {table.name: table.sql for table in TABLES}
