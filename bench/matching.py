"""The search for equal quality on the demo: how near it lands, and in how many encodes, for three encoders; and
whether an export of its own confirms it."""

from dataclasses import dataclass

from bench.seed import drawn
from bench.subject import work_folder
from ovrik.demo.film import make_film
from ovrik.demo.scenario import adopt_film, unpack_demo
from ovrik.export.run.order import PlannedRun
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.work.campaign.equal_quality import match_all
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.timing.series import time_all

FLOORS = (86, 95)
SEARCHED = (("libx264", "veryfast", (20, 38)), ("libx265", "fast", (20, 38)), ("libsvtav1", "10", (28, 55)))
"""Encoders and presets, and the settings that a search begins at."""


@dataclass(frozen=True)
class Landed:
    """Fields: `encoder`; `floor`, of mean VMAF; `over`, how far above the floor the search landed; `encodes` it
    took; `confirmed`, the same by an export in the line-up, scored as any other."""

    encoder: str
    floor: int
    over: float
    encodes: int
    confirmed: float


def landed() -> list[Landed]:
    """Search for each encoder a floor of the day from a setting of the day, without any point known beforehand."""
    make_film()
    study = Study.open(unpack_demo(work_folder() / "matching"))
    adopt_film(study)
    out, draw = [], drawn("floors and settings")
    for encoder, preset, begins in SEARCHED:
        floor, quality = (
            int(draw.integers(*FLOORS, endpoint=True)),
            int(draw.integers(*begins, endpoint=True)),
        )
        start = study.add_contender(Contender("bundled", recipe(encoder, preset, quality)))
        [found] = match_all(study, [start], "vmaf_mean", float(floor))
        assert found.found is not None, found.why
        assert found.value is not None
        number = max((r.round for r in study.runs()), default=0) + 1
        time_all(study, [PlannedRun(found.found.contender_id, number, False)])
        score_all(study)
        made = gather(study).of(found.found.contender_id)
        assert made is not None
        assert made.vmaf is not None
        out.append(Landed(encoder, floor, found.value - floor, found.encodes, made.vmaf.mean - floor))
    study.close()
    return out
