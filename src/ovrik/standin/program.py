"""The stand-in encoder: takes an encoding program's arguments, makes a real file with a real encoder,
and keeps to the pace of its profile. Standard library only."""

import hashlib
import json
import os
import random
import re
import shutil
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

from ovrik.standin.heat import activity
from ovrik.standin.profile import FOLDER, Profile, load_profile

REAL = {
    "h264_standin": ("h264", ["-c:v", "libx264", "-preset", "superfast"]),
    "hevc_standin": ("hevc", ["-c:v", "libx265", "-preset", "ultrafast", "-x265-params", "log-level=none"]),
    "av1_standin": ("av1", ["-c:v", "libsvtav1", "-preset", "12"]),
}
REPORT_EVERY_S = 0.1
LATE_S = 0.15
KEPT_FILES = 12
FRAME = re.compile(rb"^frame=\s*(\d+)", re.MULTILINE)
SIZE = re.compile(r"Video:.*?(\d{2,5})x(\d{2,5})[ ,]")


def main(key: str, arguments: list[str]) -> int:
    """Answer like an encoding program; gives the exit code."""
    profile = load_profile(FOLDER / f"{key}.toml")
    if "-version" in arguments:
        print(f"ffmpeg version stand-in-{key}-1 (simulated device {profile.name})")
        print("configuration: simulated")
        return 0
    if "-encoders" in arguments:
        print("Encoders:\n ------")
        for name, (codec, _settings) in REAL.items():
            if codec in profile.codecs:
                print(f" V....D {name:<20} {profile.name}, simulated (codec {codec})")
        return 0
    if "-filters" in arguments or "-hwaccels" in arguments:
        return 0
    if "-h" in arguments:
        print("-stats_period time  set the period at which to update stats")
        return 0
    return PlayedExport(profile, arguments).run()


@dataclass(frozen=True)
class Wish:
    """What is asked for. Fields: `codec`, `preset`, `depth`; `real`, the real program's arguments."""

    codec: str
    preset: str
    depth: int
    real: list[str]

    @property
    def treated(self) -> bool:
        """Whether frames are treated on their way, which no kept file could stand for: that load is
        the processor's, and real."""
        return any("filter_complex" in word for word in self.real if word.startswith("-"))


def understood(arguments: list[str]) -> Wish:
    """Put a real encoder in the place of the simulated one. Raises ValueError."""
    real = list(arguments)
    encoder = after(real, "-c:v")
    if encoder not in REAL:
        raise ValueError(f"Unknown encoder '{encoder}'")
    preset = after(real, "-preset")
    depth = 10 if "10" in after(real, "-pix_fmt") else 8
    codec, settings = REAL[encoder]
    for option in ("-c:v", "-preset"):
        at = real.index(option)
        del real[at : at + 2]
    real[-1:-1] = settings  # just before the output file
    return Wish(codec, preset, depth, real)


def after(arguments: list[str], option: str) -> str:
    """The value of an option, the last one where it is given twice. Raises ValueError when it is missing."""
    places = [n for n, a in enumerate(arguments[:-1]) if a == option]
    if not places:
        raise ValueError(f"Option {option} is missing")
    return arguments[places[-1] + 1]


def place_of(address: str) -> Path:
    """The file that an address names."""
    return Path(address.removeprefix("file:"))


class PlayedExport:
    """One simulated export."""

    def __init__(self, profile: Profile, arguments: list[str]) -> None:
        self.profile, self.arguments = profile, arguments
        self.began = time.monotonic()
        self.units, self.link = 1, 0.0
        self.state = Path(os.environ.get("OVRIK_STANDIN_STATE", "/tmp/ovrik-standin")) / profile.key
        self.state.mkdir(parents=True, exist_ok=True)
        self.heat = activity(self.state / "activity.json", time.time()).heat

    def run(self) -> int:
        """Encode for real, report at the device's pace, and end when the device would."""
        try:
            request = understood(self.arguments)
        except ValueError as exc:
            return self._fail(str(exc))
        width, height = self._size(request)
        refusal = self.profile.refusal(request.codec, request.preset, width, height, request.depth)
        if refusal:
            return self._fail(refusal)
        session = self._session()
        if session is None:
            return self._fail(f"{self.profile.name} has no free session ({self.profile.sessions} at once)")
        try:
            return self._encode(request, width * height)
        finally:
            session.unlink(missing_ok=True)
            self._activity(0.0, time.monotonic() - self.began)

    def _fail(self, words: str) -> int:
        print(f"[{self.profile.key}_standin @ 0x1] Error: {words}", file=sys.stderr)
        return 1

    def _size(self, request: Wish) -> tuple[int, int]:
        if "-s" in request.real:
            width, _, height = after(request.real, "-s").partition("x")
            return int(width), int(height)
        asked = subprocess.run(
            [real_program(), "-hide_banner", "-i", after(request.real, "-i")],
            capture_output=True,
            text=True,
            errors="replace",
            check=False,
            stdin=subprocess.DEVNULL,
        )
        found = SIZE.search(asked.stderr)
        return (int(found[1]), int(found[2])) if found else (0, 0)

    def _session(self) -> Path | None:
        """A mark that a session is open, or None when all are taken."""
        for old in self.state.glob("session-*"):
            if not Path(f"/proc/{old.name.removeprefix('session-')}").exists():
                old.unlink(missing_ok=True)  # left by one that was killed
        if len(list(self.state.glob("session-*"))) >= self.profile.sessions:
            return None
        mark = self.state / f"session-{os.getpid()}"
        mark.touch()
        return mark

    def _pace(self) -> float:
        """This run's factor, from the seed and the number of runs so far."""
        # One byte for each run: two sessions that begin at once can't spoil the count.
        with (self.state / "runs").open("ab") as counter:
            number = counter.tell()
            counter.write(b".")
        return random.Random(f"{self.profile.seed}/{number}").lognormvariate(0.0, self.profile.spread)

    def _encode(self, request: Wish, pixels: int) -> int:
        self.units = self.profile.units_at_work(request.preset, pixels)
        self.link = self.profile.link_share(request.codec, request.preset, pixels, request.depth)
        pace = self._pace()
        kept = self._kept(request)
        if kept.exists() and not self.profile.falls_back and not request.treated:
            return self._play(request, pixels, pace, kept)
        child = subprocess.Popen(
            [real_program(), *request.real],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            stdin=subprocess.DEVNULL,
        )
        assert child.stdout is not None
        os.set_blocking(child.stdout.fileno(), False)
        made = shown = 0
        said, ended = b"", False
        while not ended or shown < made:
            ended = child.poll() is not None  # asked before reading: the last report is read, too
            said += child.stdout.read() or b""
            made = max([made, *map(int, FRAME.findall(said))])
            said = said[said.rfind(b"\n") + 1 :]
            shown = self._step(request, pixels, made, shown, pace)
        if child.returncode:
            return self._fail(f"the output could not be written (exit code {child.returncode})")
        if self.profile.falls_back:
            print(f"[{self.profile.key}_standin] device busy, falling back to software", file=sys.stderr)
        else:
            self._keep(kept, place_of(request.real[-1]), made)
            late = time.monotonic() - self.began - self._end(request, pixels, made, pace)
            if late > LATE_S:
                print(
                    f"the real encoder was {late:.1f} s slower than the simulated device; the next run "
                    "of this export keeps to its pace",
                    file=sys.stderr,
                )
        self._report(shown, "end")
        return 0

    def _play(self, request: Wish, pixels: int, pace: float, kept: Path) -> int:
        """The same export was made before: write that file, at the device's pace."""
        frames, shown = int(kept.with_suffix(".frames").read_text()), 0
        while shown < frames:
            shown = self._step(request, pixels, frames, shown, pace)
        shutil.copyfile(kept, place_of(request.real[-1]))
        self._report(shown, "end")
        return 0

    def _step(self, request: Wish, pixels: int, made: int, shown: int, pace: float) -> int:
        """Report what is done by now, and wait a little."""
        due = self._due(request, pixels, made, shown, pace)
        if due > shown:
            self._report(due, "continue")
        left = self._end(request, pixels, made, pace) - (time.monotonic() - self.began)
        time.sleep(min(REPORT_EVERY_S / 2, max(left, 0.002)) if due < made else 0.002)
        return due

    def _end(self, request: Wish, pixels: int, frames: int, pace: float) -> float:
        return self.profile.seconds(
            request.codec, request.preset, pixels, frames, pace, request.depth, self.heat
        )

    def _kept(self, request: Wish) -> Path:
        """Where the real file of this very export is kept, so that a repeat can keep to the pace."""
        source = place_of(after(request.real, "-i"))
        stat = source.stat() if source.exists() else None
        said = json.dumps([request.real[:-1], stat and [stat.st_size, stat.st_mtime_ns]])
        return self.state / f"made-{hashlib.sha256(said.encode()).hexdigest()[:20]}"

    def _keep(self, kept: Path, output: Path, frames: int) -> None:
        others = sorted(self.state.glob("made-*.frames"), key=lambda p: p.stat().st_mtime)
        for old in others[: max(0, len(others) - KEPT_FILES + 1)]:
            old.with_suffix("").unlink(missing_ok=True)
            old.unlink()
        partial = kept.with_suffix(f".{os.getpid()}")
        shutil.copyfile(output, partial)
        kept.with_suffix(".frames").write_text(str(frames))
        partial.replace(kept)

    def _due(self, request: Wish, pixels: int, made: int, shown: int, pace: float) -> int:
        """How many frames the device would have done by now, and the real encoder has."""
        if self.profile.falls_back:
            return made
        now, due = time.monotonic() - self.began, shown
        while (
            due < made
            and self.profile.seconds(
                request.codec, request.preset, pixels, due + 1, pace, request.depth, self.heat
            )
            <= now
        ):
            due += 1
        return due

    def _report(self, frame: int, state: str) -> None:
        now = time.monotonic() - self.began
        print(
            f"frame={frame}\nfps={frame / max(now, 1e-6):.2f}\ntotal_size=N/A\nprogress={state}", flush=True
        )
        self._activity(0.0 if self.profile.falls_back else 1.0, now)

    def _activity(self, load: float, busy_s: float) -> None:
        """Tell the simulated sensors what is going on."""
        partial = self.state / f"activity-{os.getpid()}"
        partial.write_text(
            json.dumps(
                {
                    "at": time.time(),
                    "load": load,
                    "busy_s": self.heat + busy_s,
                    "units": self.units,
                    "link": self.link,
                }
            )
        )
        partial.replace(self.state / "activity.json")


def real_program() -> str:
    """The real encoding program that does the work."""
    return os.environ["OVRIK_STANDIN_PROGRAM"]
