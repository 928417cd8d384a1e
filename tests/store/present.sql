-- What a new study of schema 12 holds. Another shape is another version.
CREATE INDEX preparation_key ON preparation(key);
CREATE INDEX run_contender ON run(contender_id, round);
CREATE TABLE blind (
  id INTEGER PRIMARY KEY,
  one_sha256 TEXT NOT NULL,
  other_sha256 TEXT NOT NULL,
  reference TEXT NOT NULL,
  viewer TEXT NOT NULL,
  watching TEXT NOT NULL,
  places TEXT NOT NULL,
  most INTEGER NOT NULL,
  answers TEXT NOT NULL DEFAULT '[]',
  ended TEXT NOT NULL DEFAULT '',
  made_utc TEXT NOT NULL DEFAULT '',
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL
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
CREATE TABLE complexity (
  programme_id INTEGER PRIMARY KEY REFERENCES programme(id),
  places TEXT NOT NULL,
  si TEXT NOT NULL,
  ti TEXT NOT NULL
) STRICT;
CREATE TABLE contender (
  id INTEGER PRIMARY KEY,
  build TEXT NOT NULL,
  recipe TEXT NOT NULL,
  label TEXT NOT NULL DEFAULT '',
  label_given INTEGER NOT NULL DEFAULT 0,
  active INTEGER NOT NULL DEFAULT 1,
  decode TEXT NOT NULL DEFAULT 'software',
  treat TEXT NOT NULL DEFAULT 'software',
  prerendered TEXT,
  methods TEXT NOT NULL DEFAULT '{}',
  position INTEGER NOT NULL
) STRICT;
CREATE TABLE decision (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  round INTEGER NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('left out', 'set aside', 'back', 'kept')),
  gain REAL,
  choice_id INTEGER,
  why TEXT,
  asked INTEGER NOT NULL DEFAULT 0,
  made_utc TEXT NOT NULL DEFAULT '',
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  sitting_id INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE TABLE excerpt (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  start_frame INTEGER NOT NULL CHECK (start_frame >= 0),
  frames INTEGER NOT NULL CHECK (frames >= 2),
  programme_id INTEGER NOT NULL DEFAULT 0,
  weight REAL NOT NULL DEFAULT 1
) STRICT;
CREATE TABLE footage (
  id INTEGER PRIMARY KEY,
  path TEXT NOT NULL,
  checksum TEXT NOT NULL,
  facts TEXT NOT NULL
) STRICT;
CREATE TABLE frame_score (
  metric_id INTEGER NOT NULL REFERENCES score_metric(id) ON DELETE CASCADE,
  frame INTEGER NOT NULL,
  value REAL NOT NULL,
  PRIMARY KEY (metric_id, frame)
) STRICT, WITHOUT ROWID;
CREATE TABLE limit_value (
  key TEXT PRIMARY KEY,
  value REAL NOT NULL
) STRICT;
CREATE TABLE look (
  most INTEGER NOT NULL DEFAULT 0,
  taken INTEGER NOT NULL DEFAULT 0,
  rounds INTEGER NOT NULL DEFAULT 0,
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  sitting_id INTEGER NOT NULL DEFAULT 1,
  UNIQUE (programme_id, start_frame, frames, sitting_id)
) STRICT;
CREATE TABLE machine (
  id INTEGER PRIMARY KEY,
  facts TEXT NOT NULL UNIQUE
) STRICT;
CREATE TABLE part (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  name TEXT NOT NULL,
  argv TEXT NOT NULL,
  wall_s REAL NOT NULL,
  first_frame_s REAL,
  cpu_s REAL NOT NULL,
  load TEXT NOT NULL,
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  started_utc TEXT NOT NULL
) STRICT;
CREATE TABLE pin (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  output_sha256 TEXT NOT NULL,
  frame INTEGER NOT NULL,
  region TEXT NOT NULL,
  words TEXT NOT NULL,
  made_utc TEXT NOT NULL DEFAULT '',
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL
) STRICT;
CREATE TABLE playback (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  output_sha256 TEXT NOT NULL,
  size TEXT NOT NULL,
  streams INTEGER NOT NULL,
  round INTEGER NOT NULL,
  paces TEXT NOT NULL,
  cores REAL NOT NULL,
  shares TEXT NOT NULL DEFAULT '{}',
  made_utc TEXT NOT NULL DEFAULT '',
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  machine_id INTEGER NOT NULL REFERENCES machine(id)
) STRICT;
CREATE TABLE preparation (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('pre-render', 'analysis', 'trial')),
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  argv TEXT NOT NULL,
  state TEXT NOT NULL,
  reason TEXT NOT NULL DEFAULT '',
  wall_s REAL,
  first_frame_s REAL,
  bytes INTEGER,
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  build_id INTEGER REFERENCES build(id),
  machine_id INTEGER REFERENCES machine(id),
  started_utc TEXT NOT NULL
) STRICT;
CREATE TABLE program (
  key TEXT PRIMARY KEY,
  description TEXT NOT NULL
) STRICT;
CREATE TABLE programme (
  id INTEGER PRIMARY KEY,
  checksum TEXT NOT NULL UNIQUE,
  edit TEXT NOT NULL
) STRICT;
CREATE TABLE row_sum (
  place TEXT NOT NULL,
  key TEXT NOT NULL,
  sum INTEGER NOT NULL,
  PRIMARY KEY (place, key)
) STRICT, WITHOUT ROWID;
CREATE TABLE run (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL,
  started_utc TEXT NOT NULL,
  origin TEXT NOT NULL DEFAULT 'driven' CHECK (origin IN ('driven', 'by hand', 'watched', 'brought in')),
  round INTEGER NOT NULL DEFAULT 0,
  warmup INTEGER NOT NULL DEFAULT 0,
  state TEXT NOT NULL DEFAULT 'running' CHECK (state IN ('running', 'done', 'failed', 'stopped', 'interrupted')),
  reason TEXT NOT NULL DEFAULT '',
  argv TEXT NOT NULL DEFAULT '[]',
  earlier_passes TEXT NOT NULL DEFAULT '[]',
  wall_s REAL,
  first_frame_s REAL,
  last_frame_s REAL,
  passes TEXT NOT NULL DEFAULT '[]',
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
  conditions TEXT NOT NULL DEFAULT '{}',
  disturbed TEXT NOT NULL DEFAULT '[]',
  fell_back TEXT,
  machine_id INTEGER REFERENCES machine(id),
  sitting_id INTEGER NOT NULL DEFAULT 1,
  build_id INTEGER REFERENCES build(id),
  programme_id INTEGER NOT NULL REFERENCES programme(id)
) STRICT;
CREATE TABLE score (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  output_sha256 TEXT NOT NULL,
  reference TEXT NOT NULL,
  faults TEXT NOT NULL DEFAULT '[]',
  facts TEXT NOT NULL DEFAULT '{}',
  problem TEXT NOT NULL DEFAULT '',
  points TEXT NOT NULL DEFAULT '[]',
  build_id INTEGER REFERENCES build(id),
  measured_utc TEXT NOT NULL,
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
CREATE TABLE search_point (
  id INTEGER PRIMARY KEY,
  contender_id INTEGER NOT NULL REFERENCES contender(id),
  recipe TEXT NOT NULL,
  reference TEXT NOT NULL,
  wall_s REAL NOT NULL,
  output_bytes INTEGER NOT NULL,
  output_sha256 TEXT NOT NULL,
  pooled TEXT NOT NULL,
  made_utc TEXT NOT NULL DEFAULT '',
  programme_id INTEGER NOT NULL REFERENCES programme(id),
  start_frame INTEGER NOT NULL,
  frames INTEGER NOT NULL
) STRICT;
CREATE TABLE sitting (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  began_utc TEXT NOT NULL,
  builds TEXT NOT NULL DEFAULT '{}'
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
CREATE TABLE thumbnail (
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  frame INTEGER NOT NULL,
  jpeg BLOB NOT NULL,
  PRIMARY KEY (footage_id, frame)
) STRICT, WITHOUT ROWID;
CREATE TABLE trace (
  run_id INTEGER PRIMARY KEY REFERENCES run(id),
  series BLOB NOT NULL
) STRICT;
