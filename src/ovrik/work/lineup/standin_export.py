"""What the stand-in editing program exports: a study's excerpt, put together as Ovrik does it."""

from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.export.command.export import Export, analyses_of, export_commands
from ovrik.export.run.timed import timed_run
from ovrik.machine.builds.build import find_build
from ovrik.standin.editing import VERSIONS
from ovrik.store.study import Study
from ovrik.study.encoder.recipe import recipe

QUALITY = 23


def standin_command(study: Study, version: str) -> list[str]:
    """The command of one version of the stand-in for the study's excerpt; it writes Matroska to standard output.
    What has to be analysed before is analysed now. Raises OvrikError when the bundled build is missing."""
    build, preset = find_build("bundled"), VERSIONS[version][0]
    programme, excerpt = study.programme(), study.facts().excerpt
    sound = "aac" if programme.sounds else "none"
    made = recipe("libx264", preset, QUALITY, pixel_format="yuv420p", container="mkv", sound=sound)
    job = Export(build.path, programme, excerpt, made, build.options, mark="standin")
    for one in analyses_of(job):  # of its own: Ovrik's are of another build
        one.result.parent.mkdir(parents=True, exist_ok=True)
        done = timed_run([list(one.arguments)], one.partial, one.result)
        if done.state != "done":
            raise OvrikError(f"The stabilisation analysis failed: {done.reason}", "Choose another excerpt")
    [command] = export_commands(job, Path("out"), Path("stats"))
    quiet = [w for w in command[:-1] if w not in ("-progress", "pipe:1")]
    return [quiet[0], "-v", "error", *quiet[1:], "pipe:1"]
