"""Measure the demo study anew and put what ships of it into src/ovrik/demo/data.

Run it on an idle machine: `.venv/bin/python bench/make_demo_data.py FOLDER`. FOLDER is worked in and
kept, so that a second call goes on where the first one stopped.
"""

import shutil
import sqlite3
import sys
from pathlib import Path

from ovrik.cli import main
from ovrik.demo.film import make_film
from ovrik.demo.scenario import DATA
from ovrik.quality.thumbnails import strip, strip_frames
from ovrik.store.file import outputs_folder
from ovrik.store.study import Study


def make(folder: Path) -> None:
    """Time, score, make thumbnails, and copy."""
    folder.mkdir(parents=True, exist_ok=True)
    film = make_film()
    shutil.copy(DATA / "casting-day.toml", folder)
    link = folder / "casting-day.mov"
    if not link.exists():
        link.symlink_to(film)
    path = folder / "casting-day.ovrik"
    main(["run", str(folder / "casting-day.toml"), "-o", str(path)])
    study = Study.open(path)
    study.keep_thumbnails(strip(film, strip_frames(study.footage().frames)))
    study.close()
    target = DATA / path.name
    target.unlink(missing_ok=True)
    with sqlite3.connect(path) as db:
        db.execute("VACUUM INTO ?", (str(target),))
    outputs = outputs_folder(target)
    shutil.rmtree(outputs, ignore_errors=True)
    shutil.copytree(outputs_folder(path), outputs, ignore=shutil.ignore_patterns(".hold", "partial*"))
    total = sum(f.stat().st_size for f in DATA.rglob("*") if f.is_file())
    print(f"{total / 1e6:.1f} MB ship with the demo")


if __name__ == "__main__":
    make(Path(sys.argv[1]))
