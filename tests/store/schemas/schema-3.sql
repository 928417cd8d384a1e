PRAGMA application_id = 1331057227;
PRAGMA user_version = 3;
BEGIN TRANSACTION;
CREATE TABLE build (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  path TEXT NOT NULL,
  version TEXT NOT NULL,
  sha256 TEXT NOT NULL,
  UNIQUE (key, path, sha256)
) STRICT;
INSERT INTO "build" VALUES(1,'bundled','/home/editor/.local/lib/imageio_ffmpeg/binaries/ffmpeg-linux-x86_64-v9.0.2','n9.0.2-17-g2a571b6068-20260930','0d709a0bed1a43f24cd2c420878c63afea4580671b6949ad19ed124572f3bc3d');
CREATE TABLE complexity (
  programme_id INTEGER PRIMARY KEY REFERENCES programme(id),
  places TEXT NOT NULL,
  si TEXT NOT NULL,
  ti TEXT NOT NULL
) STRICT;
CREATE TABLE contender (
  id INTEGER PRIMARY KEY,
  position INTEGER NOT NULL,
  label TEXT NOT NULL,
  label_given INTEGER NOT NULL,
  build TEXT NOT NULL,
  recipe TEXT NOT NULL,
  active INTEGER NOT NULL DEFAULT 1
, decode TEXT NOT NULL DEFAULT 'software', treat TEXT NOT NULL DEFAULT 'software', prerendered TEXT) STRICT;
INSERT INTO "contender" VALUES(1,0,'x264 medium',1,'bundled','{"encoder": "libx264", "preset": "medium", "quality": 22.0, "bit_rate": null, "pixel_format": "yuv420p", "container": "mp4", "sound": "aac"}',1,'software','software',NULL);
INSERT INTO "contender" VALUES(2,1,'x264 veryfast',1,'bundled','{"encoder": "libx264", "preset": "veryfast", "quality": 22.0, "bit_rate": null, "pixel_format": "yuv420p", "container": "mp4", "sound": "aac"}',1,'software','software',NULL);
CREATE TABLE excerpt (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  start_frame INTEGER NOT NULL CHECK (start_frame >= 0),
  frames INTEGER NOT NULL CHECK (frames >= 2)
) STRICT;
CREATE TABLE footage (
  id INTEGER PRIMARY KEY,
  path TEXT NOT NULL,
  checksum TEXT NOT NULL,
  facts TEXT NOT NULL
) STRICT;
INSERT INTO "footage" VALUES(1,'/home/editor/.cache/ovrik/demo/casting-day-1.mov','sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311','{"path": "/home/editor/.cache/ovrik/demo/casting-day-1.mov", "size_bytes": 164161543, "container": "mov,mp4,m4a,3gp,3g2,mj2", "codec": "cfhd", "profile": "", "width": 1280, "height": 720, "sample_aspect": "1/1", "rate": "25/1", "constant_rate": true, "rate_evidence": "time stamps of all 300 frames", "frames": 300, "frames_counted": true, "duration_s": 12.0, "container_s": 12.0, "start_s": 0.0, "pixel_format": "yuv422p10le", "bit_depth": 10, "chroma": "4:2:2", "bit_rate": 107901810, "colour": {"primaries": "bt709", "transfer": "bt709", "matrix": "bt709", "range": ""}, "sounds": [{"codec": "pcm_s16le", "sample_rate": 48000, "channels": 2, "layout": "stereo", "bit_rate": 1536000}], "checksum": "sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311"}');
CREATE TABLE frame_score (
  score_id INTEGER NOT NULL REFERENCES score(id) ON DELETE CASCADE,
  frame INTEGER NOT NULL,
  vmaf REAL NOT NULL,
  psnr REAL NOT NULL,
  ssim REAL NOT NULL,
  PRIMARY KEY (score_id, frame)
) STRICT, WITHOUT ROWID;
INSERT INTO "frame_score" VALUES(1,0,88.716483,44.088195,0.97309);
INSERT INTO "frame_score" VALUES(1,1,92.866291,43.070894,0.967805);
INSERT INTO "frame_score" VALUES(1,2,93.201443,43.158811,0.968149);
INSERT INTO "frame_score" VALUES(2,0,87.478145,44.105782,0.973534);
INSERT INTO "frame_score" VALUES(2,1,90.675752,43.079651,0.968827);
INSERT INTO "frame_score" VALUES(2,2,90.656585,42.987786,0.969221);
CREATE TABLE machine (
  id INTEGER PRIMARY KEY,
  facts TEXT NOT NULL UNIQUE
) STRICT;
INSERT INTO "machine" VALUES(1,'{"cores": "2 cores, 2 threads", "governor": "unknown", "graphics": "none", "graphics_driver": "none", "kernel": "Linux 6.18.44-fc-v595", "maximum_clock": "2.50GHz (stated in its name)", "memory": "23.5 GiB", "microcode": "0x1", "power": "unknown", "processor": "Intel(R) Xeon(R) Processor @ 2.50GHz", "system": "Debian GNU/Linux 12 (bookworm)", "turbo": "unknown", "virtual": "yes"}');
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
  first_picture_s REAL,
  bytes INTEGER
) STRICT;
CREATE TABLE program (key TEXT PRIMARY KEY, description TEXT NOT NULL) STRICT;
CREATE TABLE programme (
  id INTEGER PRIMARY KEY,
  checksum TEXT NOT NULL UNIQUE,
  edit TEXT NOT NULL
) STRICT;
INSERT INTO "programme" VALUES(1,'sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311','{"name": "casting-day-1.mov", "clips": ["sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311"], "width": 1280, "height": 720, "rate": "25/1", "pixel_format": "yuv422p10le", "shots": [{"clip": 0, "start": 0, "frames": 300, "dissolve": 0, "treatments": [], "name": "casting-day-1.mov"}], "overlays": [], "sound": [[[0, "0", "12", "0"]]], "treatments": [], "left_out": []}');
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
  stolen_s REAL,
  earlier_passes TEXT NOT NULL DEFAULT '[]',
  conditions TEXT NOT NULL DEFAULT '{}',
  disturbed TEXT NOT NULL DEFAULT '',
  fell_back TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO "run" VALUES(11,2,1,1,1,25,80,1,0,'done','','2026-11-25T00:48:44.153+00:00','["x"]',3.71398685500025749206e+00,0.654599698000311,3.69955720000007204362e+00,6.84786,0.192766,234381312,503808,2330624,80,'02-x264-veryfast.mp4',2309518,'6a549dc635f673082d4ef99772a224dcf92aa0d818d21d9ca5d24ddb74c08217',0,'[]',2.01690210000000647028e-02,0.0,1.00000000000051159076e-02,'[]','{}','','');
INSERT INTO "run" VALUES(14,1,1,1,1,25,80,1,0,'done','','2026-11-25T00:49:03.247+00:00','["x"]',7.96215102499991189688e+00,1.88189927999974315753e+00,7.9394051169997510442e+00,14.289383,3.69160999999999961396e-01,332922880,4096,2260992,80,'01-x264-medium.mp4',2243659,'ee3c7a73205574b79e69bcde7f0a742e63e262bbabd5582c720d4f96ec8a9f54',0,'[]',4.36327650000003508523e-02,0.0,1.49999999999991473487e-01,'[]','{}','','');
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
INSERT INTO "score" VALUES(1,1,'ee3c7a73205574b79e69bcde7f0a742e63e262bbabd5582c720d4f96ec8a9f54','22a7a7ec16f7e9d490b5',1,'2026-11-25T00:53:31.327+00:00','[]','{"codec": "h264", "profile": "High", "frames": "80", "size": "1280\u00d7720", "pixel format": "yuv420p", "rate": "25 fps", "duration": "3.20 s", "sound": "aac"}','');
INSERT INTO "score" VALUES(2,2,'6a549dc635f673082d4ef99772a224dcf92aa0d818d21d9ca5d24ddb74c08217','22a7a7ec16f7e9d490b5',1,'2026-11-25T00:53:39.831+00:00','[]','{"codec": "h264", "profile": "High", "frames": "80", "size": "1280\u00d7720", "pixel format": "yuv420p", "rate": "25 fps", "duration": "3.20 s", "sound": "aac"}','');
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
  vmaf_mean REAL,
  vmaf_p5 REAL,
  megabytes_per_minute REAL,
  conduct TEXT NOT NULL DEFAULT '{}'
) STRICT;
INSERT INTO "study" VALUES(1,'Casting Day: web master','2026-11-25T00:47:25.975+00:00',1,25,80,5,1,0.02,1,423899052,93.0,85.0,60.0,'{}');
CREATE TABLE thumbnail (
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  frame INTEGER NOT NULL,
  jpeg BLOB NOT NULL,
  PRIMARY KEY (footage_id, frame)
) STRICT, WITHOUT ROWID;
INSERT INTO "thumbnail" VALUES(1,3,X'FFD8');
CREATE INDEX preparation_key ON preparation(key);
CREATE INDEX run_contender ON run(contender_id, round);
COMMIT;
