PRAGMA application_id = 1331057227;
PRAGMA user_version = 11;
BEGIN TRANSACTION;
CREATE TABLE "blind" (
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
CREATE TABLE "build" (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  path TEXT NOT NULL,
  version TEXT NOT NULL,
  sha256 TEXT NOT NULL,
  identity TEXT NOT NULL DEFAULT '',
  loads TEXT NOT NULL DEFAULT '[]',
  UNIQUE (key, path, sha256, identity)
) STRICT;
INSERT INTO "build" VALUES(1,'bundled','/home/editor/.local/lib/imageio_ffmpeg/binaries/ffmpeg-linux-x86_64-v9.0.2','n9.0.2-17-g2a571b6068-20260930','0d709a0bed1a43f24cd2c420878c63afea4580671b6949ad19ed124572f3bc3d','','[]');
INSERT INTO "build" VALUES(2,'system','/usr/bin/ffmpeg','5.1.9-0+deb12u1','0dafc1360bb07743f76abeb1e4ae16b0aaa1331e9041a0e8d6a8524111dc0cbb','','[]');
INSERT INTO "build" VALUES(3,'bundled','','n9.0.2','aa','','[]');
INSERT INTO "build" VALUES(4,'outside','','Bell Yard 1.0','','','[]');
INSERT INTO "build" VALUES(5,'by hand','','by hand','','','[]');
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
INSERT INTO "complexity" VALUES(1,'[0]','[1.0]','[2.0]');
CREATE TABLE "contender" (
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
INSERT INTO "contender" VALUES(1,'bundled','{"encoder": "libx264", "preset": "medium", "quality": 23.0, "bit_rate": null, "pixel_format": "yuv420p", "container": "mp4", "sound": "aac"}','x264 medium',1,1,'software','software',NULL,'{}',0);
INSERT INTO "contender" VALUES(2,'system','{"encoder": "libx264", "preset": "medium", "quality": 23.0, "bit_rate": null, "pixel_format": "yuv420p", "container": "mp4", "sound": "aac"}','x264 medium, system build',1,1,'software','software',NULL,'{}',1);
INSERT INTO "contender" VALUES(3,'outside','{"encoder": "outside", "preset": "as set there", "quality": null, "bit_rate": null, "pixel_format": "yuv420p", "container": "mp4", "sound": "aac", "raw": [["program", "Bell Yard"], ["version", "1.0"]]}','Bell Yard 1.0',1,1,'software','software',NULL,'{}',2);
CREATE TABLE "decision" (
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
INSERT INTO "decision" VALUES(1,2,1,'left out',0.01,NULL,NULL,0,'2026-11-26T14:07:30.257+00:00',1,60,60,1);
INSERT INTO "decision" VALUES(2,2,1,'left out',-0.1,1,NULL,0,'2026-11-29T22:47:10.637+00:00',1,60,60,1);
INSERT INTO "decision" VALUES(3,1,1,'kept',NULL,NULL,NULL,1,'2026-11-29T22:47:10.637+00:00',1,60,60,1);
INSERT INTO "decision" VALUES(4,1,2,'back',NULL,NULL,NULL,1,'2026-11-29T22:47:10.638+00:00',1,60,60,1);
INSERT INTO "decision" VALUES(5,2,2,'set aside',NULL,NULL,'{"kind": "earlier", "said": "mean VMAF 80.0 is under the floor of 93", "fell_back": null, "limit": "", "value": 0.0, "bound": 0.0, "on": ""}',0,'2026-11-29T22:47:10.638+00:00',1,60,60,1);
CREATE TABLE excerpt (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  start_frame INTEGER NOT NULL CHECK (start_frame >= 0),
  frames INTEGER NOT NULL CHECK (frames >= 2)
, programme_id INTEGER NOT NULL DEFAULT 0, weight REAL NOT NULL DEFAULT 1) STRICT;
INSERT INTO "excerpt" VALUES(2,'calm',270,60,1,1.0);
INSERT INTO "excerpt" VALUES(3,'named',60,60,1,1.0);
CREATE TABLE footage (
  id INTEGER PRIMARY KEY,
  path TEXT NOT NULL,
  checksum TEXT NOT NULL,
  facts TEXT NOT NULL
) STRICT;
INSERT INTO "footage" VALUES(1,'/home/editor/.cache/ovrik/demo/casting-day-1.mov','sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311','{"path": "/home/editor/.cache/ovrik/demo/casting-day-1.mov", "size_bytes": 164161543, "container": "mov,mp4,m4a,3gp,3g2,mj2", "codec": "cfhd", "profile": "", "width": 1280, "height": 720, "sample_aspect": "1/1", "rate": "25/1", "constant_rate": true, "rate_evidence": "time stamps of all 300 frames", "frames": 300, "frames_counted": true, "duration_s": 12.0, "container_s": 12.0, "start_s": 0.0, "pixel_format": "yuv422p10le", "bit_depth": 10, "chroma": "4:2:2", "bit_rate": 107901810, "colour": {"primaries": "bt709", "transfer": "bt709", "matrix": "bt709", "range": ""}, "sounds": [{"codec": "pcm_s16le", "sample_rate": 48000, "channels": 2, "layout": "stereo", "bit_rate": 1536000}], "checksum": "sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311"}');
CREATE TABLE frame_score (
  metric_id INTEGER NOT NULL REFERENCES score_metric(id) ON DELETE CASCADE,
  frame INTEGER NOT NULL,
  value REAL NOT NULL,
  PRIMARY KEY (metric_id, frame)
) STRICT, WITHOUT ROWID;
INSERT INTO "frame_score" VALUES(1,0,86.643086);
INSERT INTO "frame_score" VALUES(1,1,85.42952);
INSERT INTO "frame_score" VALUES(1,2,87.454739);
INSERT INTO "frame_score" VALUES(2,0,86.933091);
INSERT INTO "frame_score" VALUES(2,1,85.143124);
INSERT INTO "frame_score" VALUES(2,2,87.631014);
INSERT INTO "frame_score" VALUES(3,0,91.858728);
INSERT INTO "frame_score" VALUES(3,1,93.351515);
INSERT INTO "frame_score" VALUES(3,2,94.148133);
INSERT INTO "frame_score" VALUES(4,0,92.082077);
INSERT INTO "frame_score" VALUES(4,1,93.359425);
INSERT INTO "frame_score" VALUES(4,2,93.599332);
INSERT INTO "frame_score" VALUES(5,0,43.144567);
INSERT INTO "frame_score" VALUES(5,1,41.653292);
INSERT INTO "frame_score" VALUES(5,2,43.153775);
INSERT INTO "frame_score" VALUES(6,0,43.156169);
INSERT INTO "frame_score" VALUES(6,1,41.671441);
INSERT INTO "frame_score" VALUES(6,2,43.219819);
INSERT INTO "frame_score" VALUES(7,0,39.110119);
INSERT INTO "frame_score" VALUES(7,1,37.773123);
INSERT INTO "frame_score" VALUES(7,2,37.035927);
INSERT INTO "frame_score" VALUES(8,0,39.109565);
INSERT INTO "frame_score" VALUES(8,1,37.754344);
INSERT INTO "frame_score" VALUES(8,2,37.048909);
INSERT INTO "frame_score" VALUES(9,0,0.968144);
INSERT INTO "frame_score" VALUES(9,1,0.958429);
INSERT INTO "frame_score" VALUES(9,2,0.970167);
INSERT INTO "frame_score" VALUES(10,0,0.968237);
INSERT INTO "frame_score" VALUES(10,1,0.958688);
INSERT INTO "frame_score" VALUES(10,2,0.970595);
INSERT INTO "frame_score" VALUES(11,0,0.897281);
INSERT INTO "frame_score" VALUES(11,1,0.865503);
INSERT INTO "frame_score" VALUES(11,2,0.845458);
INSERT INTO "frame_score" VALUES(12,0,0.897438);
INSERT INTO "frame_score" VALUES(12,1,0.865359);
INSERT INTO "frame_score" VALUES(12,2,0.845801);
CREATE TABLE limit_value (
  key TEXT PRIMARY KEY,
  value REAL NOT NULL
) STRICT;
INSERT INTO "limit_value" VALUES('vmaf_mean',90.0);
INSERT INTO "limit_value" VALUES('megabytes_per_minute',55.0);
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
INSERT INTO "look" VALUES(12,0,5,1,60,60,1);
CREATE TABLE machine (
  id INTEGER PRIMARY KEY,
  facts TEXT NOT NULL UNIQUE
) STRICT;
INSERT INTO "machine" VALUES(1,'{"cores": "2 cores, 2 threads", "devices": "unknown", "governor": "unknown", "graphics": "none", "graphics_driver": "none", "kernel": "Linux 6.18.44-fc-v595", "maximum_clock": "2.50GHz (stated in its name)", "memory": "23.5 GiB", "microcode": "0x1", "output_drive": "ext4", "power": "unknown", "processor": "Intel(R) Xeon(R) Processor @ 2.50GHz", "source_drive": "ext4", "system": "Debian GNU/Linux 12 (bookworm)", "turbo": "unknown", "virtual": "yes"}');
INSERT INTO "machine" VALUES(2,'{"cores":"2","processor":"P2"}');
CREATE TABLE "part" (
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
INSERT INTO "part" VALUES(1,1,60,60,'decode','["/home/editor/.local/lib/imageio_ffmpeg/binaries/ffmpeg-linux-x86_64-v9.0.2", "-nostdin", "-hide_banner", "-y", "-nostats", "-progress", "pipe:1", "-stats_period", "0.1", "-ss", "1.360000", "-t", "0.320000", "-i", "/home/editor/.cache/ovrik/demo/casting-day-1.mov", "-ss", "2.480000", "-t", "1.520000", "-i", "/home/editor/.cache/ovrik/demo/casting-day-1.mov", "-ss", "1.120000", "-t", "0.440000", "-i", "/home/editor/.cache/ovrik/demo/casting-day-1.mov", "-map", "0:v:0?", "-map", "1:v:0?", "-map", "2:v:0?", "-f", "null", "-"]',1.17247013100040931021e+00,1.98991909000142186414e-01,1.74050599999999988654e+00,'{"all cores": 78.8, "busiest core": 82.7, "disk": 0.0, "memory": 2.9}',1,'2026-11-25T09:17:12.776+00:00');
CREATE TABLE "pin" (
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
INSERT INTO "pin" VALUES(1,2,'cb634f6129d5664de7be76c269b878fd644e067c15688575cd5a5ec2d116c685',3,'[0.1, 0.1, 0.2, 0.2]','ringing at the edge','2026-11-26T20:52:29.684+00:00',1,60,60);
CREATE TABLE "playback" (
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
CREATE TABLE "preparation" (
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
INSERT INTO "programme" VALUES(1,'aaef895b8c08b444a087946548bd5a116d7b3532defe85bb0c4118b5d15222c7','{"name": "Casting Day", "clips": ["sampled-sha256:0a29ee3af84c4f6b0ce202ab0cec3ab3166dec18ead534d4661f9afa1d53e311"], "width": 1280, "height": 720, "rate": "25/1", "pixel_format": "yuv422p10le", "shots": [{"clip": 0, "start": 122, "frames": 36, "dissolve": 0, "treatments": [{"kind": "title", "values": {"text": "Casting Day", "size": 11.0, "x": 50.0, "y": 72.0, "colour": "#f6f1e6", "opacity": 100.0}, "checksums": {}}], "name": "yard at dusk"}, {"clip": 0, "start": 0, "frames": 40, "dissolve": 10, "treatments": [{"kind": "denoise", "values": {"method": "light temporal", "strength": 2.0}, "checksums": {}}], "name": "the pour"}, {"clip": 0, "start": 62, "frames": 36, "dissolve": 0, "treatments": [{"kind": "sharpen", "values": {"amount": 0.6, "size": 5.0}, "checksums": {}}], "name": "the inscription"}, {"clip": 0, "start": 28, "frames": 40, "dissolve": 0, "treatments": [{"kind": "retime", "values": {"speed": 50.0, "method": "frame blending"}, "checksums": {}}], "name": "sparks, slow"}, {"clip": 0, "start": 182, "frames": 36, "dissolve": 0, "treatments": [{"kind": "picture", "values": {"file": "", "size": 28.0, "x": 96.0, "y": 6.0}, "checksums": {}}], "name": "the bell, and the bell"}, {"clip": 0, "start": 82, "frames": 30, "dissolve": 0, "treatments": [{"kind": "upscale", "values": {"zoom": 150.0, "method": "lanczos"}, "checksums": {}}], "name": "a letter, close"}, {"clip": 0, "start": 200, "frames": 36, "dissolve": 0, "treatments": [{"kind": "stabilise", "values": {"shakiness": 5.0, "smoothing": 8.0}, "checksums": {}}], "name": "the bell, held"}, {"clip": 0, "start": 6, "frames": 30, "dissolve": 0, "treatments": [{"kind": "layers", "values": {"count": 3.0, "opacity": 25.0}, "checksums": {}}], "name": "the pour, layered"}, {"clip": 0, "start": 140, "frames": 38, "dissolve": 12, "treatments": [{"kind": "grain", "values": {"strength": 6.0}, "checksums": {}}], "name": "dusk again"}, {"clip": 0, "start": 240, "frames": 60, "dissolve": 10, "treatments": [], "name": "end card"}], "overlays": [{"at": 150, "shot": {"clip": 0, "start": 90, "frames": 12, "dissolve": 0, "treatments": [], "name": "an inscription, in between"}}], "sound": [[[0, "122/25", "31/25", "0"], [0, "1/5", "7/5", "31/25"], [0, "62/25", "36/25", "66/25"], [0, "182/25", "36/25", "142/25"], [0, "82/25", "6/5", "178/25"], [0, "8", "36/25", "208/25"], [0, "6/25", "24/25", "244/25"], [0, "146/25", "27/25", "268/25"], [0, "49/5", "11/5", "59/5"]]], "treatments": [{"kind": "grade", "values": {"exposure": 0.1, "contrast": 1.06, "saturation": 1.05, "white_balance": 6504.0, "lut": "/home/editor/demo/foundry.cube"}, "checksums": {"lut": "sampled-sha256:36d27627dfa5dc7293c2212e9f47470026c61e5ae884d341c7e13386691dbcb0"}}], "left_out": []}');
CREATE TABLE "run" (
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
INSERT INTO "run" VALUES(14,2,60,60,'2026-11-25T08:56:59.616+00:00','driven',1,0,'done','','["x"]','[]',9.67676535100054,0.99887276499976,9.62814773599984619067e+00,'[]',15.0161,0.726167,519737344,42455040,1572864,60,'02-x264-medium-system-build-60+60.mp4',1550224,'cb634f6129d5664de7be76c269b878fd644e067c15688575cd5a5ec2d116c685',0,'[]',1.35726066999999339657e-01,0.0,0.82000000000005,'{"cache": "as it is", "nice": 0, "cores": [], "rest_s": 0.5, "waited_for": "", "not_back": "", "celsius": null, "device_celsius": null, "clock": 2499.984, "others": [], "outputs": "/home/editor/demo/casting-day outputs"}','[{"by": "earlier", "size": 0.0, "who": [], "was": 0.0, "name": "", "said": "the host took 4 % of the processors away"}]',NULL,1,1,2,1);
INSERT INTO "run" VALUES(19,1,60,60,'2026-11-25T08:57:41.088+00:00','driven',1,0,'done','','["x"]','[]',9.37746606900054757716e+00,4.86944338700050138868e+00,9.32633093000004,'[]',15.262023,0.679851,561168384,442368,1794048,60,'01-x264-medium-60+60.mp4',1770231,'68292933ecd13a3380a516576139687f7af615be3901dcb0a028a232238437bc',0,'[]',3.13865104999999644519e-01,1.34260895000036128976e-01,7.00000000000045474735e-01,'{"cache": "as it is", "nice": 0, "cores": [], "rest_s": 0.5, "waited_for": "", "not_back": "", "celsius": null, "device_celsius": null, "clock": 2499.984, "others": [], "outputs": "/home/editor/demo/casting-day outputs"}','[{"by": "earlier", "size": 0.0, "who": [], "was": 0.0, "name": "", "said": "the host took 4 % of the processors away"}]',NULL,1,1,1,1);
INSERT INTO "run" VALUES(20,1,60,60,'2026-11-29T22:47:10.632+00:00','driven',2,0,'done','','["ffmpeg"]','[]',9.5,NULL,NULL,'[]',NULL,NULL,NULL,NULL,NULL,NULL,'1.mp4',9,'aa',NULL,'[]',NULL,NULL,NULL,'{}','[{"by": "programs", "size": 0.31, "who": [["clam scan", 0.44], ["dd", 0.09]], "was": 0.0, "name": "", "said": ""}, {"by": "disks", "size": 45.0, "who": [["dd", 40.0]], "was": 0.0, "name": "", "said": ""}, {"by": "clock", "size": 2000.0, "who": [], "was": 3000.0, "name": "clock 0", "said": ""}]',NULL,1,1,3,1);
INSERT INTO "run" VALUES(21,2,60,60,'2026-11-29T22:47:10.635+00:00','driven',2,0,'done','','["ffmpeg"]','[]',9.7,NULL,NULL,'[]',NULL,NULL,NULL,NULL,NULL,NULL,'2.mp4',9,'aa',NULL,'[]',NULL,NULL,NULL,'{"on_processor": [["", "OpenCL is the processor itself here: pthread-x"]], "step_s": 0}','[{"by": "earlier", "size": 0.0, "who": [], "was": 0.0, "name": "", "said": "a way to say it that nobody knows"}]','{"showed": "earlier", "paths": [], "said": "asked for NVENC, and its log says: no device", "what": "", "unit": ""}',1,1,3,1);
INSERT INTO "run" VALUES(22,3,60,60,'2026-11-29T22:46:59.639+00:00','watched',1,0,'done','','[]','[]',11.0,NULL,NULL,'[]',NULL,NULL,NULL,NULL,NULL,NULL,'x.mp4',50,'3dac51a65ec9fcfc409a1b5f1defe92ba723843118ea511971ab46b36859495f',NULL,'[]',NULL,NULL,NULL,'{"outputs": "/tmp", "step_s": 0.1, "watched": {"began_by": "load", "doubt_s": 0.05, "lead_s": 0.0, "names": ["x.mp4"], "parts": 0, "begun_again": 0, "program": "bellyard"}, "ticked": []}','[]',NULL,2,1,4,1);
INSERT INTO "run" VALUES(23,3,60,60,'2026-11-29T22:46:58.639+00:00','watched',2,0,'done','','[]','[]',12.0,NULL,NULL,'[]',NULL,NULL,NULL,NULL,NULL,NULL,'x.mp4',50,'3dac51a65ec9fcfc409a1b5f1defe92ba723843118ea511971ab46b36859495f',NULL,'[]',NULL,NULL,NULL,'{"outputs": "/tmp", "step_s": 0.1, "watched": {"began_by": "load", "doubt_s": 0.05, "lead_s": 0.0, "names": ["x.mp4"], "parts": 0, "begun_again": 0, "program": "bellyard"}, "ticked": []}','[]',NULL,2,1,4,1);
INSERT INTO "run" VALUES(24,3,60,60,'2026-11-29T22:47:12.261+00:00','by hand',1,0,'done','','[]','[]',13.0,NULL,NULL,'[]',NULL,NULL,NULL,NULL,NULL,NULL,'',NULL,NULL,NULL,'[]',NULL,NULL,NULL,'{"step_s": 1.0}','[]',NULL,2,1,5,1);
CREATE TABLE "score" (
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
INSERT INTO "score" VALUES(1,1,'68292933ecd13a3380a516576139687f7af615be3901dcb0a028a232238437bc','9a47de8dcf6c00f4184e','[]','{"codec": "h264", "profile": "High", "frames": 60, "width": 1280, "height": 720, "pixel_format": "yuv420p", "rate": 25.0, "duration_s": 2.4, "audio": ["aac"], "lag": -3, "likeness": 0.998, "every": 4, "checks": 0, "losses_measurable": true, "treated_by": ""}','','[]',1,'2026-11-25T09:07:10.849+00:00');
INSERT INTO "score" VALUES(2,2,'cb634f6129d5664de7be76c269b878fd644e067c15688575cd5a5ec2d116c685','9a47de8dcf6c00f4184e','[]','{"codec": "h264", "profile": "High", "frames": 60, "width": 1280, "height": 720, "pixel_format": "yuv420p", "rate": 25.0, "duration_s": 2.4, "audio": [], "lag": 0, "likeness": null, "every": 1, "checks": 0, "losses_measurable": true, "treated_by": ""}','','[]',1,'2026-11-25T09:07:16.820+00:00');
INSERT INTO "score" VALUES(10,1,'7f7103996d22e31e14eb24759b79a44b9bb46a4d1b4793507b8297c5427c7cf1','b1f6d3a4dc24b1e1e80e','[]','{"codec": "h264", "profile": "High", "frames": 60, "width": 1280, "height": 720, "pixel_format": "yuv420p", "rate": 25.0, "duration_s": 2.4, "audio": ["aac"], "lag": -3, "likeness": 0.998, "every": 4, "checks": 0, "losses_measurable": true, "treated_by": ""}','','[]',1,'2026-11-25T09:16:25.316+00:00');
INSERT INTO "score" VALUES(11,2,'35089bda636e9a8d5dd17eaca4a64b03da0b27f969d3203b4c065747a618bbc2','b1f6d3a4dc24b1e1e80e','[]','{"codec": "h264", "profile": "High", "frames": 60, "width": 1280, "height": 720, "pixel_format": "yuv420p", "rate": 25.0, "duration_s": 2.4, "audio": [], "lag": 0, "likeness": null, "every": 1, "checks": 0, "losses_measurable": true, "treated_by": ""}','','[]',1,'2026-11-25T09:16:29.691+00:00');
CREATE TABLE score_metric (
  id INTEGER PRIMARY KEY,
  score_id INTEGER NOT NULL REFERENCES score(id) ON DELETE CASCADE,
  metric TEXT NOT NULL,
  version TEXT NOT NULL, series BLOB,
  UNIQUE (score_id, metric)
) STRICT;
INSERT INTO "score_metric" VALUES(1,1,'vmaf','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(2,2,'vmaf','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(3,10,'vmaf','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(4,11,'vmaf','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(5,1,'psnr','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(6,2,'psnr','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(7,10,'psnr','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(8,11,'psnr','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(9,1,'ssim','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(10,2,'ssim','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(11,10,'ssim','n9.0.2-17-g2a571b6068-20260930',NULL);
INSERT INTO "score_metric" VALUES(12,11,'ssim','n9.0.2-17-g2a571b6068-20260930',NULL);
CREATE TABLE "search_point" (
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
CREATE TABLE "sitting" (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  began_utc TEXT NOT NULL,
  builds TEXT NOT NULL DEFAULT '{}'
) STRICT;
INSERT INTO "sitting" VALUES(1,'','2026-11-25T08:54:26.563+00:00','{}');
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
  conduct TEXT NOT NULL DEFAULT '{}'
, plays INTEGER NOT NULL DEFAULT 0, unseen INTEGER NOT NULL DEFAULT 0, worth TEXT NOT NULL DEFAULT '{}', sealed INTEGER NOT NULL DEFAULT 0) STRICT;
INSERT INTO "study" VALUES(1,'Casting Day: web master','2026-11-25T08:54:26.563+00:00',1,60,60,5,1,0.02,1,1915973152,'{"cache": "as it is", "rest": true, "rest_limit_s": 60.0, "nice": 0, "cores": [], "until_told": false, "most_rounds": 12, "most_minutes": 0.0, "drop_hopeless": false, "disturbed_share": 0.05, "repeat_disturbed": true, "outputs": ""}',0,0,'{}',0);
CREATE TABLE thumbnail (
  footage_id INTEGER NOT NULL REFERENCES footage(id),
  frame INTEGER NOT NULL,
  jpeg BLOB NOT NULL,
  PRIMARY KEY (footage_id, frame)
) STRICT, WITHOUT ROWID;
INSERT INTO "thumbnail" VALUES(1,6,X'FFD8');
CREATE TABLE trace (
  run_id INTEGER PRIMARY KEY REFERENCES run(id),
  series BLOB NOT NULL
) STRICT;
CREATE INDEX run_contender ON run(contender_id, round);
CREATE INDEX preparation_key ON preparation(key);
COMMIT;
