"""The export that is benchmarked: the demo's footage, or its first seconds made for the purpose."""

import atexit
import shutil
import tempfile
from functools import cache
from pathlib import Path

from ovrik.demo.film import make_film
from ovrik.demo.place import film_path
from ovrik.export.command.export import Export, export_commands
from ovrik.machine.builds.build import locate
from ovrik.quality.decode.probe import probe
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip


@cache
def work_folder() -> Path:
    """A folder for this process's benchmarks, gone at its end."""
    made = Path(tempfile.mkdtemp(prefix="ovrik-bench-"))
    atexit.register(shutil.rmtree, made, ignore_errors=True)
    return made


def footage_path() -> Path:
    """The demo's film if it is there, else two seconds of it."""
    return film_path() if film_path().exists() else make_film(path=work_folder() / "film.mov", frames=50)


def export(output: Path, preset: str = "superfast", frames: int = 50) -> list[str]:
    """A real export's argument list."""
    footage = probe(footage_path())
    made = recipe("libx264", preset, 23)
    job = Export(str(locate("bundled")), of_clip(footage), Excerpt(0, frames), made)
    return export_commands(job, output, work_folder() / "stats")[-1]
