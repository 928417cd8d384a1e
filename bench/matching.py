"""The search for equal quality on three clips with three encoders: whether it finds the last setting that meets a
floor, as trying all around it does, in how many encodes, and whether an export of its own confirms it."""

import subprocess
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from bench.seed import drawn
from bench.subject import work_folder
from ovrik.analysis.scores.search import MOST_ENCODES
from ovrik.demo.film import make_film
from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.export.run.order import PlannedRun
from ovrik.machine.builds.build import find_build
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.limit_kinds import LIMIT_KINDS
from ovrik.work.campaign.equal_quality import Matched, Search, match_all
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.series import time_all

FLOORS = (80, 95)
SEARCHED = (
    ("libx264", "veryfast", (20, 38)),
    ("libx265", "ultrafast", (20, 38)),
    ("libsvtav1", "10", (28, 55)),
)
"""Encoders and presets, and the settings that a search begins at."""
MADE = {
    "a plunge into a fractal": "mandelbrot=s=480x270:r=25,noise=alls=6:allf=t",
    "an automaton in grain": "cellauto=s=480x270:r=25:rule=110,format=yuv420p,boxblur=3,noise=alls=12:allf=t",
}
FRAMES, AROUND, KEY = 40, 12, "vmaf_mean"
"""Frames of a made clip; so many settings either way of what was found are tried."""


@dataclass(frozen=True)
class Landed:
    """Fields: `clip`; `encoder`; `floor`, of mean VMAF; `encodes` it took; `steps_off`, by how many steps of the
    setting it missed the last of those around it that meets the floor; `confirmed`, how far above the floor an export
    in the line-up lies, scored as any other."""

    clip: str
    encoder: str
    floor: int
    encodes: int
    steps_off: float
    confirmed: float


def landed() -> Iterator[Landed]:
    """Search for each encoder and clip a floor of the day from a setting of the day, without any point known
    beforehand."""
    draw = drawn("floors and settings")
    for clip, study in _studies(draw):
        for encoder, preset, begins in SEARCHED:
            floor = int(draw.integers(*FLOORS, endpoint=True))
            quality = int(draw.integers(*begins, endpoint=True))
            start = study.add_contender(Contender("bundled", recipe(encoder, preset, quality)))
            [found] = match_all(study, [start], KEY, float(floor))
            assert found.found is not None, found.why
            number = max((r.round for r in study.runs()), default=0) + 1
            time_all(study, [PlannedRun(found.found.contender_id, number, False)])
            score_all(study)
            made = gather(study).of(found.found.contender_id)
            assert made is not None
            assert made.vmaf is not None
            off = _steps_off(study, found, float(floor))
            print(f"{clip}, {encoder}, VMAF {floor}: {found.encodes} encodes, {off:g} steps off", flush=True)
            yield Landed(clip, encoder, floor, found.encodes, abs(off), made.vmaf.mean - floor)
        study.close()


def _studies(draw: np.random.Generator) -> Iterator[tuple[str, Study]]:
    make_film()
    demo = Study.open(unpack_demo(work_folder() / "matching"))
    adopt_film(demo)
    yield "the demo", demo
    for name, source in MADE.items():
        path = work_folder() / f"{name}.mkv"
        coded = ["-frames:v", str(FRAMES), "-c:v", "ffv1", "-pix_fmt", "yuv420p", str(path)]
        program = find_build("bundled").path
        subprocess.run([program, "-v", "error", "-y", "-f", "lavfi", "-i", source, *coded], check=True)
        clip = probe(path)
        yield (
            name,
            Study.create(path.with_suffix(".ovrik"), name, of_clip(clip), whole(clip), rounds=1, warmup=0),
        )


def _steps_off(study: Study, found: Matched, floor: float) -> float:
    """By trying every setting around what was found."""
    assert found.found is not None
    made, scale = found.found.recipe, found.found.recipe.facts.quality
    assert made.quality is not None
    search = Search(
        study, found.found, LIMIT_KINDS[KEY], floor, lambda _s, _w: None, lambda: False, MOST_ENCODES
    )
    meets = list[float]()
    for n in range(-AROUND, AROUND + 1):
        setting = round(made.quality + n * scale.step, 6)
        if scale.low <= setting <= scale.high and search.quality(replace(made, quality=setting)) >= floor:
            meets.append(setting)
    return (max(meets) - made.quality) / scale.step if meets else float("nan")
