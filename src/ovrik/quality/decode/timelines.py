"""Timelines are read in a process of their own: a broken one can make the library that reads it fall over, which
must end nothing else."""

import json
import resource
import subprocess
import sys
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.quality.decode.open_clip import open_clip
from ovrik.quality.decode.probe import probe
from ovrik.study.clip.footage import Footage
from ovrik.study.programme.programme import Programme
from ovrik.study.timeline.edl import RateNeeded
from ovrik.study.timeline.reader import TimelineRead, read_with

MOST_CPU_S = 600
MOST_BYTES = 4 << 30
REMEDY = "Export it again from where it was made"


class DecodedClips:
    """Opens clips as they are."""

    def footage(self, path: Path) -> Footage:
        """What a clip is. Raises OvrikError when it can't be read."""
        return probe(path)

    def timecode(self, path: Path) -> str:
        """The timecode of its first frame as it is written in the file, or ""."""
        with open_clip(path) as box:
            tags = [box.metadata, *(s.metadata for s in box.streams)]
            return next((t["timecode"] for t in tags if t.get("timecode")), "")


def read_timeline(path: Path, folders: Sequence[Path] = (), rate: Fraction | None = None) -> TimelineRead:
    """Read a timeline file in this process. Raises OvrikError when it can't be read."""
    return read_with(DecodedClips(), path, folders, rate)


def read_timeline_apart(
    path: Path, folders: Sequence[Path] = (), rate: Fraction | None = None
) -> TimelineRead:
    """As `read_timeline`. Raises OvrikError also where its reader falls over."""
    asked = {
        "path": str(path),
        "folders": [str(f) for f in folders],
        "rate": str(rate) if rate is not None else None,
    }
    # -P: modules that lie in the present folder are a stranger's, and are never imported.
    done = subprocess.run(
        [sys.executable, "-P", "-m", "ovrik.quality.decode.timelines"],
        input=json.dumps(asked).encode(),
        capture_output=True,
        check=False,
    )
    try:
        found = json.loads(done.stdout)
    except ValueError:
        raise OvrikError(f"{path} is damaged: its reader fell over", REMEDY) from None
    if "problem" in found:
        kind = RateNeeded if found["asks_rate"] else OvrikError
        raise kind(found["problem"], found["remedy"])
    return _read(found)


def _read(found: dict[str, Any]) -> TimelineRead:
    made = found["programme"]
    clips = [Footage.from_json(c) for c in found["clips"]]
    return TimelineRead(
        Programme.from_json(made, clips) if made else None, tuple(found["missing"]), tuple(found["left_out"])
    )


def _answer(asked: dict[str, Any]) -> dict[str, Any]:
    rate = Fraction(asked["rate"]) if asked["rate"] is not None else None
    try:
        found = read_timeline(Path(asked["path"]), [Path(f) for f in asked["folders"]], rate)
    except OvrikError as exc:
        return {"problem": exc.problem, "remedy": exc.remedy, "asks_rate": isinstance(exc, RateNeeded)}
    made = found.programme
    return {
        "programme": made.to_json() if made else None,
        "clips": [c.to_json() for c in made.clips] if made else [],
        "missing": found.missing,
        "left_out": found.left_out,
    }


def main() -> None:
    """Read what is asked from standard input; answer on standard output."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_CPU_S, MOST_CPU_S))
    resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))
    print(json.dumps(_answer(json.load(sys.stdin))))


if __name__ == "__main__":
    main()
