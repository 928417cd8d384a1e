"""What is said of a device that an export was to use: it is the processor, or it did not work."""

from dataclasses import replace

import numpy as np
import pytest

from ovrik.desk.stations.timing.run_rows import run_cells
from ovrik.export.run.process import Usage
from ovrik.export.run.timed import RunResult
from ovrik.export.run.trace import Trace
from ovrik.machine.builds.build import find_build
from ovrik.machine.devices.known_trials import known_trials
from ovrik.machine.devices.probing import probe_builds
from ovrik.report.words.reasons import fell_back_words, on_processor_words
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.passes import PassTimes
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment import treatment
from ovrik.work.prepare.asked_devices import fell_back
from ovrik.work.prepare.preparing import plan_for
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

USAGE = Usage(10.0, 15.0, 1.0, 1 << 20, 0, 0, 0, (), False, False, 0.01)
PLAYED = RunResult("done", "", USAGE, (PassTimes(10.0, 0.2, 9.0),), 250, 1000)


def on_opencl(study: Study, footage: Footage) -> Contender:
    """A contender whose treatment OpenCL does."""
    programme = replace(of_clip(footage), treatments=(treatment("blur", {"method": "box"}),))
    study.set_programme(programme, Excerpt(0, programme.frames))
    return study.add_contender(Contender("bundled", recipe("libx264", "ultrafast"), treat="opencl"))


def test_a_device_that_is_the_processor_is_said_on_every_run(study: Study, footage: Footage) -> None:
    probe_builds([find_build("bundled")])
    opened = [
        t for t in known_trials(find_build("bundled")) or [] if (t.path, t.place) == ("opencl", "device")
    ]
    if not opened or not opened[0].processor:
        pytest.skip("no such device here, or one that gives wrong pictures, or a real one")
    made = on_opencl(study, footage)
    assert time_all(study, remaining(study, [made.contender_id], 1))
    runs = study.runs(made.contender_id)
    assert len(runs) == 1
    assert all(
        on_processor_words(r.on_processor).startswith("OpenCL is the processor itself here: ") for r in runs
    )
    assert time_all(study, remaining(study, [1], 1))
    assert study.runs(1)[-1].on_processor == ()
    calm = replace(runs[0], disturbed=())  # other work on this machine is said before it
    assert [c.text for c in run_cells(calm)][1] == "done, on the processor"


@pytest.mark.parametrize(
    ("shares", "said"), [([0.0, 0.4, 0.0, 1.0, 0.2], True), ([0.0, 30.0, 55.0], False), ([], False)]
)
def test_what_the_kernel_counts_of_a_device_says_whether_it_worked(
    study: Study, footage: Footage, shares: list[float], said: bool
) -> None:
    """As with a card of any maker: what is played here is only the counter."""
    made = on_opencl(study, footage)
    plan = plan_for(study, made, find_build("bundled"), study.programme(), study.facts().excerpt)
    trace = Trace({"t": np.arange(len(shares), dtype=float), "own graphics": np.array(shares)})
    found = fell_back(plan, replace(PLAYED, trace=trace))
    assert ("no engine of a graphics device worked" in fell_back_words(found)) == said
