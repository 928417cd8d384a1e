"""From the last export's end to the verdict: checks, scores and kinds of loss of all outputs, against nothing but
their VMAF, PSNR and SSIM by one command of the build each, in turns."""

import shutil
import subprocess
import threading
import time
from collections.abc import Callable
from contextlib import ExitStack, closing
from dataclasses import dataclass
from pathlib import Path
from resource import RUSAGE_CHILDREN, RUSAGE_SELF, getrusage
from typing import Any
from unittest.mock import patch

import numpy as np

from bench.subject import work_folder
from ovrik.machine.builds.build import find_build
from ovrik.quality.checks.miniatures import Gathering
from ovrik.quality.decode.probe import probe
from ovrik.quality.reference.key import reference_path
from ovrik.quality.scores import losses, one_reading
from ovrik.quality.scores.losses import Measured
from ovrik.quality.scores.metric_table import MODEL
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.checking import one_pass, scoring
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import latest_output, output_path

SAMPLE = 12
"""Of a verdict so far one frame in so many is scored."""
TIMES = 3


@dataclass(frozen=True)
class Case:
    """Fields: `name`; `size` of the footage, WxH; its `pixel_format`; `frames`; `qualities`, one output for each."""

    name: str
    size: str
    pixel_format: str
    frames: int
    qualities: tuple[int, ...] = (20, 28, 36)


CASES = {
    c.name: c
    for c in (
        Case("720p", "1280x720", "yuv420p", 100),
        Case("2160p 10 bit", "3840x2160", "yuv420p10le", 60, (20, 30)),
        Case("160x90", "160x90", "yuv420p", 100),
    )
}


@dataclass(frozen=True)
class Took:
    """Medians over turns. Fields: `whole`, from the last export's end to the complete verdict, and `so_far`, to one
    of a sample of frames, both over the commands; `parts`, processor seconds of the commands ("command") and of what
    a check does, by its name."""

    whole: float
    so_far: float
    parts: dict[str, float]


def processor_s() -> float:
    """Used by this process and by those that it waited for, seconds."""
    return sum(u.ru_utime + u.ru_stime for u in map(getrusage, (RUSAGE_SELF, RUSAGE_CHILDREN)))


def exported(case: Case) -> Path:
    """A study of footage that moves and has grain, each contender exported once; nothing is checked."""
    folder = work_folder() / case.name.replace(" ", "-")
    folder.mkdir(parents=True, exist_ok=True)
    clip = folder / "clip.mkv"
    source = f"mandelbrot=s={case.size}:r=25,noise=alls=6:allf=t,trim=end_frame={case.frames}"
    coded = ["-c:v", "ffv1", "-slices", "16", "-pix_fmt", case.pixel_format, str(clip)]
    program = find_build("bundled").path
    subprocess.run([program, "-v", "error", "-y", "-f", "lavfi", "-i", source, *coded], check=True)
    footage = probe(clip)
    made = Study.create(folder / "s.ovrik", case.name, of_clip(footage), whole(footage), rounds=1, warmup=0)
    made.set_conduct(Conduct(rest=False, repeat_disturbed=False))
    asked = [recipe("libx264", "veryfast", q, pixel_format=case.pixel_format) for q in case.qualities]
    made.add_contenders(labelled([Contender("bundled", r) for r in asked]))
    time_line_up(made, [c.contender_id for c in made.contenders()], 1)
    made.close()
    shutil.copy(made.path, made.path.with_suffix(".unchecked"))
    return made.path


def unchecked(place: Path) -> Study:
    """The study as it was at the end of its last export."""
    shutil.copy(place.with_suffix(".unchecked"), place)
    return Study.open(place)


def took(case: Case, times: int = TIMES) -> Took:
    """All of it, in turns: what was scored is forgotten before each."""
    place = exported(case)
    with closing(unchecked(place)) as study:
        verdict(study, SAMPLE)  # so that the reference is there for both
        reference = reference_path(study.programme(), study.facts().excerpt)
        runs = [latest_output(study, c.contender_id) for c in study.contenders()]
        outputs = [output_path(study, run) for run in runs if run]
    wholes, firsts, parts = [], [], list[dict[str, float]]()
    for _turn in range(times):
        command_s, processor = timed(lambda: [command(p, reference) for p in outputs])
        with closing(unchecked(place)) as study:
            whole_s, spent = by_part(study)
        with closing(unchecked(place)) as study:
            first_s, _used = timed(lambda study=study: verdict(study, SAMPLE))
        wholes.append(whole_s / command_s)
        firsts.append(first_s / command_s)
        parts.append({"command": processor, **spent})
    middle = {name: float(np.median([p[name] for p in parts])) for name in parts[0]}
    return Took(float(np.median(wholes)), float(np.median(firsts)), middle)


def timed(what: Callable[[], object]) -> tuple[float, float]:
    """Wall and processor seconds of it."""
    began, used = time.monotonic(), processor_s()
    what()
    return time.monotonic() - began, processor_s() - used


def verdict(study: Study, every: int = 1) -> None:
    """As a user has it: checked, scored, summed up."""
    scoring.score_all(study, every=every)
    assert all(s.score for s in gather(study).summaries)


PARTS: dict[str, tuple[tuple[Any, str], ...]] = {
    "losses": ((Measured, "take"), (Measured, "complete"), (losses, "beside_of"), (one_reading, "beside_of")),
    "miniatures": ((Gathering, "take"),),
    "checks": ((one_pass, "checked"),),
}
"""What goes on in threads of this process, and the functions that do it; scores are taken by another program, and
what is left of "all" is decoding and the rest."""


def by_part(study: Study) -> tuple[float, dict[str, float]]:
    """Wall seconds of a complete verdict, and processor seconds of its parts."""
    spent, adding = dict.fromkeys([*PARTS, "scores", "all"], 0.0), threading.Lock()

    def counted(name: str, real: Callable[..., object]) -> Callable[..., object]:
        def run(*given: object, **named: object) -> object:
            before = time.thread_time()
            try:
                return real(*given, **named)
            finally:
                with adding:
                    spent[name] += time.thread_time() - before

        return run

    with ExitStack() as patched:
        for name, functions in PARTS.items():
            for owner, function in functions:
                patched.enter_context(patch.object(owner, function, counted(name, getattr(owner, function))))
        others = getrusage(RUSAGE_CHILDREN)
        wall_s, spent["all"] = timed(lambda: verdict(study))
        after = getrusage(RUSAGE_CHILDREN)
        spent["scores"] = after.ru_utime + after.ru_stime - others.ru_utime - others.ru_stime
    return wall_s, spent


def command(output: Path, reference: Path) -> None:
    """VMAF with PSNR, and SSIM, by one command, as it would be typed."""
    vmaf = f"libvmaf=log_path=/dev/null:log_fmt=json:n_threads=2:model=version={MODEL}:feature=name=psnr"
    graph = f"[0:v]split[a][b];[1:v]split[d][e];[a][d]{vmaf}[x];[b][e]ssim[y]"
    ends = [word for end in "xy" for word in ("-map", f"[{end}]", "-f", "null", "-")]
    inputs = ["-i", str(output), "-i", str(reference)]
    program = find_build("bundled").path
    subprocess.run([program, "-v", "error", *inputs, "-filter_complex", graph, *ends], check=True)


if __name__ == "__main__":
    for case in CASES.values():
        found = took(case, 1)
        print(case.name, f"whole {found.whole:.2f}, so far {found.so_far:.2f}", found.parts)
