"""Clips that lie elsewhere now are linked to the study again."""

from dataclasses import dataclass, replace
from pathlib import Path

from ovrik.quality.decode.timelines import DecodedClips
from ovrik.store.study import Study
from ovrik.study.files.checksum import footage_checksum
from ovrik.study.programme.programme import Programme, Shot
from ovrik.study.programme.treatment import Treatment
from ovrik.study.timeline.media_finder import MediaFinder


@dataclass(frozen=True)
class Relinked:
    """Fields, names of clips: `found` and linked; `other`, found by name but with other contents;
    `missing`."""

    found: tuple[str, ...]
    other: tuple[str, ...]
    missing: tuple[str, ...]

    @property
    def words(self) -> str:
        """What came of it, in a sentence."""
        parts = [f"{len(self.found)} clips found" if self.found else "no clips found"]
        if self.other:
            parts.append(f"{', '.join(self.other)}: a different file has that name there")
        if self.missing:
            parts.append(f"{', '.join(self.missing)}: not in that folder")
        return "; ".join(parts) + "."


def with_files_from(programme: Programme, folder: Path, all_of_them: bool = False) -> Programme:
    """The same programme, with the files of its treatments (LUTs, clips laid over) taken from a folder where
    they are not in their place, or all of them, and a file there has the same name and contents."""

    def moved(t: Treatment) -> Treatment:
        sums, values = dict(t.checksums), dict(t.values)
        for name, checksum in sums.items():
            there = folder / Path(str(values[name])).name
            if (
                (all_of_them or not Path(str(values[name])).exists())
                and there.is_file()
                and footage_checksum(there) == checksum
            ):
                values[name] = str(there)
        return replace(t, values=tuple(values.items()))

    def shot(s: Shot) -> Shot:
        return replace(s, treatments=tuple(map(moved, s.treatments)))

    return replace(
        programme,
        shots=tuple(map(shot, programme.shots)),
        treatments=tuple(map(moved, programme.treatments)),
        overlays=tuple(replace(o, shot=shot(o.shot)) for o in programme.overlays),
    )


def relink_files(study: Study, folder: Path, all_of_them: bool = False) -> None:
    """Take the files of treatments from a folder where they are not in their place, or all of them."""
    programme = study.programme()
    found = with_files_from(programme, folder, all_of_them)
    if found != programme:
        study.set_programme(found, study.facts().excerpt)


def relink(study: Study, folder: Path) -> Relinked:
    """Look for the programme's missing clips in a folder and all that is in it. Only a file with the same
    contents is taken, so that runs stay comparable."""
    finder = MediaFinder(folder, DecodedClips(), [folder])
    found, other, missing = [], [], []
    for clip in study.programme().clips:
        path = Path(clip.path)
        if path.exists():
            continue
        there = finder.find("", [path.name])
        if there is None:
            missing.append(path.name)
        elif footage_checksum(there) != clip.checksum:
            other.append(path.name)
        else:
            study.move_footage(there.resolve(), clip.checksum)
            found.append(path.name)
    relink_files(study, folder)
    return Relinked(tuple(found), tuple(other), tuple(missing))
