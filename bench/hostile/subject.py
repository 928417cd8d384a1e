"""A study with a run, its output and its score, as every case begins with a copy of it."""

import shutil
from contextlib import closing
from dataclasses import replace
from functools import cache
from pathlib import Path

from bench.hostile.case import SECRET, Place
from bench.subject import footage_path, work_folder
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.question.conduct import Conduct
from ovrik.work.campaign.rounds import time_line_up
from ovrik.work.checking.scoring import score_all

FRAMES = 10


@cache
def sound_folder() -> Path:
    """Where the sound one is."""
    folder = work_folder() / "hostile" / "sound"
    folder.mkdir(parents=True)
    clip = probe(footage_path())
    made = Study.create(folder / "s.ovrik", "s", of_clip(clip), Excerpt(0, FRAMES), rounds=1, warmup=0)
    with closing(made):
        made.set_conduct(replace(Conduct(), rest=False, repeat_disturbed=False))
        made.add_contenders(
            labelled([Contender("bundled", recipe("libx264", p, 28)) for p in ("ultrafast", "veryfast")])
        )
        time_line_up(made, [c.contender_id for c in made.contenders()], 1)
        score_all(made)
    return folder


def place_for(number: int) -> Place:
    """A copy of its own, and private files beside it."""
    folder = work_folder() / "hostile" / str(number)
    shutil.copytree(sound_folder(), folder / "received")
    private = folder / "private"
    (private / "films").mkdir(parents=True)
    (private / "film.mkv").write_bytes(SECRET)
    (private / "notes.txt").write_text("mine\n")
    return Place(folder / "received", folder / "received" / "s.ovrik", private)
