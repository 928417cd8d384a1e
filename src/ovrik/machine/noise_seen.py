"""How much runs spread on this machine, as earlier studies showed it: what a new study assumes at first."""

import contextlib
import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path

import platformdirs

MOST_KEPT = 40
MOST_BYTES = 1 << 16
FEWEST = 10
"""Degrees of freedom below which one study's runs say too little."""


@dataclass(frozen=True)
class NoiseSeen:
    """Fields: `study`, a checksum that tells it from others; `spread` of one run, a standard deviation of log times;
    `freedom`, degrees of freedom that it rests on."""

    study: str
    spread: float
    freedom: float


def noise_file() -> Path:
    """Where it is kept."""
    return Path(platformdirs.user_data_dir("ovrik")) / "noise.json"


def noise_seen() -> list[NoiseSeen]:
    """What is on file, the oldest first; a damaged file counts as none."""
    try:
        if noise_file().stat().st_size > MOST_BYTES:
            return []
        found = [NoiseSeen(**row) for row in json.loads(noise_file().read_text(encoding="utf-8"))]
        return [n for n in found if 0 < float(n.spread) < 1 and float(n.freedom) > 0]
    except (OSError, ValueError, TypeError):
        return []


def remember_noise(made: NoiseSeen) -> None:
    """Keep what a study showed, in place of what it showed earlier. A disk that can't be written is no trouble: the
    next study assumes what is usual."""
    if made.freedom < FEWEST:
        return
    kept = [n for n in noise_seen() if n.study != made.study][-(MOST_KEPT - 1) :]
    path = noise_file()
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = path.with_name(f"{path.name}.{os.getpid()}")
        partial.write_text(json.dumps([asdict(n) for n in (*kept, made)]), encoding="utf-8")
        partial.replace(path)
