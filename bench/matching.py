"""The search for equal quality on the demo: how near it lands, and in how many encodes, for three encoders; and
whether an export of its own confirms it."""

from dataclasses import dataclass

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

FLOOR = 93.0
SEARCHED = (("libx264", "veryfast", 30), ("libx265", "fast", 30), ("libsvtav1", "10", 45))


@dataclass(frozen=True)
class Landed:
    """Fields: `encoder`; `over`, how far above the floor the search landed; `encodes` it took; `confirmed`, the
    same by an export in the line-up, scored as any other."""

    encoder: str
    over: float
    encodes: int
    confirmed: float


def landed() -> list[Landed]:
    """Search for each encoder from a setting that is far off, without any point known beforehand."""
    make_film()
    study = Study.open(unpack_demo(work_folder() / "matching"))
    adopt_film(study)
    out = []
    for encoder, preset, quality in SEARCHED:
        start = study.add_contender(Contender("bundled", recipe(encoder, preset, quality)))
        [found] = match_all(study, [start], "vmaf_mean", FLOOR)
        assert found.found is not None, found.why
        assert found.value is not None
        number = max((r.round for r in study.runs()), default=0) + 1
        time_all(study, [PlannedRun(found.found.contender_id, number, False)])
        score_all(study)
        made = gather(study).of(found.found.contender_id)
        assert made is not None
        assert made.vmaf is not None
        out.append(Landed(encoder, found.value - FLOOR, found.encodes, made.vmaf.mean - FLOOR))
    study.close()
    return out
