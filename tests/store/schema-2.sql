CREATE TABLE footage (
  id INTEGER PRIMARY KEY,
  path TEXT NOT NULL,
  checksum TEXT NOT NULL,
  facts TEXT NOT NULL
) STRICT;

CREATE TABLE study (
  id INTEGER PRIMARY KEY CHECK (id = 1),
  title TEXT NOT NULL,
  created_utc TEXT NOT NULL,
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  start_frame INTEGER NOT NULL CHECK (start_frame >= 0),
  frames INTEGER NOT NULL CHECK (frames >= 2),
  rounds INTEGER NOT NULL,
  warmup INTEGER NOT NULL,
  tie_band REAL NOT NULL,
  baseline_id INTEGER REFERENCES contender(id),
  seed INTEGER NOT NULL,
  vmaf_mean REAL,
  vmaf_p5 REAL,
  megabytes_per_minute REAL
) STRICT;

CREATE TABLE contender (
  id INTEGER PRIMARY KEY,
  position INTEGER NOT NULL,
  label TEXT NOT NULL,
  label_given INTEGER NOT NULL,
  build TEXT NOT NULL,
  recipe TEXT NOT NULL,
  active INTEGER NOT NULL DEFAULT 1
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

CREATE TABLE run (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  build_id INTEGER REFERENCES build(id),
  machine_id INTEGER REFERENCES machine(id),
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  round INTEGER NOT NULL,
  warmup INTEGER NOT NULL,
  state TEXT NOT NULL CHECK (state IN ('running','done','failed','stopped','interrupted')),
  reason TEXT NOT NULL DEFAULT '',
  started_utc TEXT NOT NULL,
  argv TEXT NOT NULL,
  wall_s REAL,
  first_picture_s REAL,
  last_picture_s REAL,
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
  stolen_s REAL
) STRICT;
CREATE INDEX run_contender ON run(contender_id, round);

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
  UNIQUE (contender_id, output_sha256, reference)
) STRICT;

CREATE TABLE frame_score (
  score_id INTEGER NOT NULL REFERENCES score(id) ON DELETE CASCADE,
  frame INTEGER NOT NULL,
  vmaf REAL NOT NULL,
  psnr REAL NOT NULL,
  ssim REAL NOT NULL,
  PRIMARY KEY (score_id, frame)
) STRICT, WITHOUT ROWID;

CREATE TABLE program (
  key TEXT PRIMARY KEY,
  description TEXT NOT NULL
) STRICT;

CREATE TABLE thumbnail (
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  frame INTEGER NOT NULL,
  jpeg BLOB NOT NULL,
  PRIMARY KEY (footage_id, frame)
) STRICT, WITHOUT ROWID;
PRAGMA application_id = 1331057227;
PRAGMA user_version = 2;
