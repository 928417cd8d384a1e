"""Measure the demo study anew and put what ships of it into src/ovrik/demo/data.

Run it on an idle machine: `.venv/bin/python bench/make_demo_data.py FOLDER`. FOLDER is worked in and
kept, so that a second call goes on where the first one stopped. With `outside` as a second word only playback and
outside exports are made, and added to what ships.
"""

import json
import shutil
import sqlite3
import subprocess
import sys
import threading
from contextlib import closing
from pathlib import Path

from ovrik.cli import main
from ovrik.demo.cut import write_cut
from ovrik.demo.film import make_film
from ovrik.demo.scenario import DATA, adopt_film, unpack_demo
from ovrik.standin.editing import VERSIONS
from ovrik.store.schema.file import outputs_folder
from ovrik.store.study import Study
from ovrik.study.contender.contender import labelled
from ovrik.study.question.plan import load_plan
from ovrik.work.apart.parts import Bench, parts_of, time_parts
from ovrik.work.apart.whole_programme import time_segments, time_whole
from ovrik.work.campaign.equal_quality import match_all
from ovrik.work.checking.playback import MOST_STREAMS, play, play_output, played
from ovrik.work.checking.scoring import score_all
from ovrik.work.evidence.gathered import gather
from ovrik.work.evidence.outputs_on_disk import latest_output
from ovrik.work.footage.complexity import measure_for
from ovrik.work.footage.thumbnails import make_thumbnails
from ovrik.work.lineup.able import barred, driven
from ovrik.work.lineup.from_plan import study_from_plan
from ovrik.work.lineup.standin_export import standin_command
from ovrik.work.outside.exports import CHECKS, next_card, outside_contender
from ovrik.work.outside.watching import Orders, watch_for
from ovrik.work.timing.schedule import remaining
from ovrik.work.timing.series import time_all

SEARCHED = ("x264 medium", "x265 fast", "SVT-AV1 11 10 bit mp4")
EXPLAINED = ("x264 medium", "SVT-AV1 11 10 bit mp4")
"""Contenders whose parts, segments and whole are timed as well."""


def _check_finished(study: Study) -> None:
    """Ends the program when a run of the study was stopped half-way: what ships is whole."""
    evidence = gather(study)
    short = [s.contender.label for s in evidence.summaries if s.counted and s.rounds < evidence.facts.rounds]
    if short or evidence.verdict.choice is None:
        sys.exit(f"The study is not finished ({', '.join(short) or 'no verdict'}): call this again")


EXPORTS = 3
PLAYED = ("x264 medium", "x264 medium from ProRes LT")


def _press_export(orders: Orders, command: list[str]) -> None:
    """The start key, and the other program's button."""
    orders.press()
    subprocess.run(command, check=True)


def _export_outside(study: Study) -> None:
    """Exports of the stand-in editing program in two versions by turns, timed by watching their files."""
    there = [c.label for c in study.contenders()]
    for version in VERSIONS:
        made = outside_contender("Bell Yard", version, {}, "mkv")
        if made.label not in there:
            study.add_contender(made)
    checks = Orders(CHECKS)
    for _number in range(EXPORTS * len(VERSIONS)):
        card = next_card(gather(study))
        version = dict(card.settings)["version"]
        command = [
            sys.executable,
            "-P",
            "-m",
            "ovrik.standin.editing",
            "--release",
            version,
            "--habit",
            "renamed",
        ]
        command += ["--command", json.dumps(standin_command(study, version)), str(study.outputs / card.name)]
        threading.Timer(2, _press_export, (checks, command)).start()
        watch_for(study, study.outputs, None, checks, lambda seen: print(seen.words), lambda: False, 1)
        checks.ticked = CHECKS
    score_all(study)


def _play_and_export(study: Study) -> None:
    for label in PLAYED:
        contender = next(c for c in study.contenders() if c.label == label)
        there = {
            output != ""
            for number, output in played(gather(study).playbacks)
            if number == contender.contender_id
        }
        if False not in there:
            play(Bench(study), contender)
        if True not in there:
            play_output(Bench(study), contender, MOST_STREAMS)
    _export_outside(study)


SITTINGS: tuple[tuple[str, dict[str, str]], ...] = (
    ("the system's build", {"bundled": "system"}),
    ("the bundled build", {}),
)
"""What each sitting is called, and which builds take others' places in it."""


def _in_two_sittings(plan: Path, path: Path) -> None:
    """The same line-up with the system's build in the bundled one's place, then as it is asked for."""
    for number, (name, builds) in enumerate(SITTINGS, 1):
        study = study_from_plan(load_plan(plan), path)
        if study.sitting.name != name and study.sitting.id <= number:
            study.begin_sitting(name, builds)
        present = study.sitting.name
        if present == name and builds:  # the excerpt on show is enough of the earlier one
            able = [c.contender_id for c in driven(study.contenders(), barred(study))]
            time_all(
                study,
                remaining(study, able, study.facts().rounds),
                lambda u: print(u.label, u.ended) if u.ended else None,
            )
            score_all(study)
        study.close()
        if present == name and not builds:
            main(["run", str(plan), "-o", str(path)])


def _search(study: Study) -> None:
    """Each encoder's setting at equal quality; what is found is not left in the line-up."""
    asked = {c.contender_id for c in study.contenders()}
    wanted = [c for c in study.contenders() if c.label in SEARCHED]
    if not study.search_points(study.programme().checksum, study.facts().excerpt):
        match_all(study, wanted, "vmaf_mean", study.facts().limits.get("vmaf_mean") or 93.0)
    for c in study.contenders():
        if c.contender_id not in asked:
            study.drop_contender(c.contender_id)
    study.relabel(labelled(study.contenders(as_asked=True)))


def make(folder: Path) -> None:
    """Time, score, make thumbnails, and copy."""
    folder.mkdir(parents=True, exist_ok=True)
    film = make_film()
    shutil.copy(DATA / "casting-day.toml", folder)
    link = folder / film.name
    if not link.exists():
        link.symlink_to(film)
    write_cut(folder)
    path = folder / "casting-day.ovrik"
    _in_two_sittings(folder / "casting-day.toml", path)
    study = Study.open(path)
    _check_finished(study)
    _search(study)
    measure_for(study)
    for label in EXPLAINED:
        contender = next(c for c in study.contenders() if c.label == label)
        if not parts_of(study, contender):
            time_parts(Bench(study), contender)
            time_segments(Bench(study), contender)
            time_whole(Bench(study), contender)
    _play_and_export(study)
    make_thumbnails(study)
    study.close()
    for name in ("casting-day.otio", "foundry.cube"):
        shutil.copy(folder / name, DATA)
    _ship(path)


def _looked_at(path: Path) -> list[str]:
    """The outputs that the scores of the excerpt on show are of: those of the other one would double the size."""
    with closing(Study.open(path)) as study:
        found = [latest_output(study, c.contender_id) for c in study.contenders()]
    return [run.output for run in found if run and run.output]


def _ship(path: Path) -> None:
    """Put the study and its outputs into the package."""
    target = DATA / path.name
    target.unlink(missing_ok=True)
    with sqlite3.connect(path) as db:
        db.execute("VACUUM INTO ?", (str(target),))
    outputs = outputs_folder(target)
    shutil.rmtree(outputs, ignore_errors=True)
    outputs.mkdir()
    for name in _looked_at(path):
        shutil.copy(outputs_folder(path) / name, outputs)
    total = sum(f.stat().st_size for f in DATA.rglob("*") if f.is_file())
    print(f"{total / 1e6:.1f} MB ship with the demo")


def add_outside(folder: Path) -> None:
    """Only exports of the stand-in and playback, to the study that ships."""
    make_film()
    path = unpack_demo(folder)
    study = Study.open(path)
    adopt_film(study)
    _play_and_export(study)
    study.close()
    _ship(path)


if __name__ == "__main__":
    act = {"outside": add_outside}.get(sys.argv[2]) if len(sys.argv) > 2 else make
    act(Path(sys.argv[1])) if act else sys.exit("usage: make_demo_data.py FOLDER [outside]")
