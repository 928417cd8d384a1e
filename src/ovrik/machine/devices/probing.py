"""Trials of all builds, kept until a build, a driver or the kernel is another."""

import json
import os
from collections.abc import Callable, Sequence
from pathlib import Path

from ovrik.errors import Ask, Stopped
from ovrik.machine.builds.build import Build, locate
from ovrik.machine.devices.known_picture import EDITION, input_arguments
from ovrik.machine.devices.known_trials import known_trials, trials_file
from ovrik.machine.devices.opening import run_trial
from ovrik.machine.devices.paths import CODECS, PIXEL_FORMATS
from ovrik.machine.devices.trial import NOT_KNOWN, Trial
from ovrik.machine.devices.trials import try_build
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import write_whole

SAMPLE_ENCODERS = {
    "h264": ("libx264", "-preset", "veryfast"),
    "hevc": ("libx265", "-preset", "veryfast"),
    "av1": ("libsvtav1", "-preset", "10"),
}


def probe_builds(
    builds: Sequence[Build],
    on_progress: Callable[[float, str], None] = lambda _s, _w: None,
    should_stop: Ask = lambda: False,
    afresh: bool = False,
) -> list[Trial]:
    """Trials of every build that starts, from the cache where nothing has changed. What gave no answer is tried again
    on a quiet machine.

    Raises Stopped on request; what was finished is kept.
    """
    able = [b for b in builds if not b.problem]
    samples: dict[tuple[str, str], Path] = {}
    out: list[Trial] = []
    for number, build in enumerate(able):
        known = None if afresh else known_trials(build)
        open_ = known is not None and any(t.answer == NOT_KNOWN for t in known) and quiet()
        if known is None or open_:
            on_progress(number / len(able), f"Trying {build.short}")
            samples = samples or sample_clips()

            def report(share: float, n: int = number, name: str = build.short) -> None:
                on_progress((n + share) / len(able), f"Trying {name}")

            known = try_build(build, samples, report, should_stop, known or ())
            if should_stop():
                raise Stopped
            _keep(build, known)
        out += known
    on_progress(1.0, "All builds are tried")
    return out


QUIET = 0.5
"""Processes that want a core, by the system's average of a minute, for each core: with more a trial may come too late
for no fault of its own."""


def quiet() -> bool:
    """Whether so little else is going on that a trial that gave no answer deserves another one."""
    return os.getloadavg()[0] < QUIET * (os.cpu_count() or 1)


def _keep(build: Build, trials: list[Trial]) -> None:
    write_whole(trials_file(build), json.dumps([t.to_json() for t in trials]))


def sample_clips() -> dict[tuple[str, str], Path]:
    """The known picture coded in software by the bundled build, by (codec, pixel format)."""
    folder = cache_folder("trials")
    folder.mkdir(parents=True, exist_ok=True)
    out = {}
    for codec in CODECS:
        for pixel_format in PIXEL_FORMATS:
            path = folder / f"sample-{EDITION}-{codec}-{pixel_format}.mkv"
            if not path.exists():
                partial = path.with_suffix(".partial.mkv")
                encoder, *settings = SAMPLE_ENCODERS[codec]
                done = run_trial(
                    [
                        str(locate("bundled")),
                        "-nostdin",
                        "-v",
                        "error",
                        "-y",
                        *input_arguments(pixel_format),
                        "-c:v",
                        encoder,
                        *settings,
                        "-pix_fmt",
                        pixel_format,
                        str(partial),
                    ]
                )
                if done.code != 0:
                    continue
                partial.replace(path)
            out[codec, pixel_format] = path
    return out
