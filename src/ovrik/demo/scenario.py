"""The demo study: unpacked into the user's data folder, ready to be looked at and run again."""

import shutil
from dataclasses import replace
from pathlib import Path

import platformdirs

from ovrik.demo.place import EDITION, film_path
from ovrik.store.schema.file import outputs_folder
from ovrik.store.study import Study

DATA = Path(__file__).parent / "data"
NAME = "casting-day.ovrik"
WITH_IT = ("casting-day.toml", "casting-day.otio", "foundry.cube")


def demo_folder() -> Path:
    """Where the unpacked demo lives; what the user does with it stays there."""
    return Path(platformdirs.user_data_dir("ovrik")) / f"demo-{EDITION}"


def unpack_demo(folder: Path | None = None) -> Path:
    """The demo study's file, copied out of the package when it is not there yet."""
    folder = folder or demo_folder()
    path = folder / NAME
    if path.exists():
        return path
    from ovrik.work.footage.relink import relink_files

    folder.mkdir(parents=True, exist_ok=True)
    shutil.copytree(outputs_folder(DATA / NAME), outputs_folder(path), dirs_exist_ok=True)
    for name in WITH_IT:
        shutil.copy(DATA / name, folder)
    partial = folder / f"{NAME}.partial"
    shutil.copy(DATA / NAME, partial)
    partial.replace(path)
    study = Study.open(path)
    study.move_footage(film_path())
    relink_files(study, folder, all_of_them=True)
    study.close()
    return path


def adopt_film(study: Study) -> bool:
    """Take the film that was just made for the study's footage; True when it is the demo's.

    The film comes from the same code and seed everywhere, but another processor may round a few
    samples another way, and then its checksum is another. Its runs and scores still count.
    """
    from ovrik.quality.decode.probe import probe
    from ovrik.quality.reference.key import reference_key
    from ovrik.study.contender.delivery import delivery

    old = study.programme().clips[0]
    if Path(old.path) != film_path() or not film_path().exists():
        return False
    new = probe(film_path())
    if new.checksum != old.checksum:
        programme = study.programme()
        excerpts = {
            study.facts().excerpt,
            *(k.excerpt for k in study.kinds() if k.programme == programme.checksum),
        }
        fresh = replace(programme, clips=tuple(new if c == old else c for c in programme.clips))
        every = study.contenders(with_dropped=True)
        wanted = [(x, delivery(programme, x, c.recipe)) for x in excerpts for c in every]
        study.reseat_clip(
            old, new, {reference_key(programme, x, w): reference_key(fresh, x, w) for x, w in wanted}
        )
    return True
