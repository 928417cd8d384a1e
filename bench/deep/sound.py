"""Sound ones of all that is read, which the changed ones are made from."""

import shutil
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bench.deep.timelines import CUBE, EDL, TABLE, XMEML
from bench.hostile.case import SECRET
from bench.hostile.subject import sound_folder
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.programme.programme import of_clip
from ovrik.study.timeline.writer import write_timeline
from ovrik.work.evidence.sending import send

PLAN: dict[str, Any] = {
    "study": {
        "title": "T", "clips": ["clip.mkv"], "rounds": 3, "warmup": 1, "tie_band": 0.02, "baseline": "x",
        "size": "640x360", "fit": "fill", "reference": "clip.mkv",
    },
    "limits": {"ready": "", "vmaf_mean": 90.0, "megabytes_per_minute": 100, "plays": False},
    "worth": {"an_hour": 40.0, "exports_a_week": 12, "minutes": 10.0, "delivered": True, "line_mbit_s": 20.0},
    "timing": {"rest": False, "cache": "warm", "sync": True, "most_rounds": 9, "cores": [0], "nice": 1},
    "excerpt": [
        {"name": "one", "start": 0.0, "duration": 0.3, "weight": 2.0},
        {"name": "two", "start_frame": 2, "frames": 5},
        {"name": "three", "footage": "clip.mkv", "frames": 5, "size": "320x180", "fit": "inside"},
    ],
    "treatment": [
        {"kind": "blur", "radius": 4}, {"kind": "grade", "exposure": 0.5},
        {"kind": "sharpen", "amount": 1, "shot": 1},
    ],
    "contender": [
        {"label": "x", "encoder": "libx264", "preset": "medium", "quality": 23, "raw": {"refs": 2}, "gop": 50,
         "b_frames": 2},
        {"label": "y", "encoder": "libx265", "bit_rate": "4M", "pixel_format": "yuv420p10le", "container": "mp4"},
        {"label": "z", "encoder": "prores_ks", "preset": "hq", "sound": "pcm_s16le", "container": "mov",
         "prerendered": "ffv1 320x180 yuv420p", "methods": {"blur": "box"}},
    ],
    "grid": [{"encoder": ["libx264", "libx265"], "preset": ["fast", "slow"], "quality": [18, 25]}],
    "program": [{
        "key": "x", "title": "X", "program": "x-enc", "codec": "h264",
        "arguments": ["-i", "{input}", "-q", "{settings.q}", "{output}"], "settings": {"q": 3},
        "version": {"arguments": ["--version"]},
    }],
}  # fmt: skip
PROFILE: dict[str, Any] = {
    "name": "Anvil", "startup_s": 0.35, "spread": 0.012, "seed": 11, "watts": 35.0,
    "codec": {
        "h264": {
            "megapixels_per_s": {"fast": 150, "balanced": 95, "fine": 55}, "bit_depths": [8], "largest": [4096, 4096],
        },
    },
}  # fmt: skip


@dataclass(frozen=True)
class Sound:
    """Fields: `study` with its outputs beside it, and `sent`, one that carries them; `otio`, `xmeml`, `edl`, texts of
    timelines; `cube` of a LUT; `table` of old results; `tables` of the study that hold rows; `texts` that name what
    is to be left alone; `clip`, the footage of all."""

    study: Path
    sent: Path
    otio: str
    xmeml: str
    edl: str
    cube: str
    table: list[list[str]]
    tables: tuple[str, ...]
    texts: tuple[str, ...]
    clip: str

    def study_in(self, folder: Path) -> Path:
        """A copy of the study in a folder."""
        return Path(shutil.copy(self.study, folder / "s.ovrik"))


def sound(folder: Path) -> Sound:
    """All of them, made in a folder."""
    made = sound_folder()
    private = folder / "private"
    private.mkdir()
    (private / "film.mkv").write_bytes(SECRET)
    runs = private / "runs"
    runs.write_text(f"#!/bin/sh\ntouch {private}/ran\n")
    runs.chmod(0o755)
    study, otio = made / "s.ovrik", folder / "t.otio"
    with closing(Study.open(study)) as opened:
        clip = probe(Path(opened.programme().clips[0].path))
        send(opened, folder / "sent.ovrik", None, outputs=True)
        names = [r[0] for r in opened._all("SELECT name FROM sqlite_master WHERE type = 'table'")]
        filled = [
            n
            for n in names
            if n not in ("row_sum", "frame_score", "thumbnail") and opened._all(f"SELECT 1 FROM {n} LIMIT 1")
        ]
    write_timeline(of_clip(clip), otio)
    texts = (f"{private}/film.mkv", str(runs), "../private/film.mkv", f"file://{private}/film.mkv", "/dev/zero",
             str(private), "concat:a|b", "lavfi:testsrc")  # fmt: skip
    place = {"a": clip.path, "b": clip.path}
    return Sound(
        study,
        folder / "sent.ovrik",
        otio.read_text(),
        XMEML.format(**place),
        EDL,
        CUBE,
        TABLE,
        tuple(filled),
        texts,
        clip.path,
    )
