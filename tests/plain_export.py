"""The command of an untreated export of one clip."""

from collections.abc import Sequence
from pathlib import Path

from ovrik.export.command.export import Export, export_commands
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.recipe import Recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip


def export_command(
    program: str,
    footage: Footage,
    excerpt: Excerpt,
    made: Recipe,
    output: Path,
    options: Sequence[str] = ("stats_period",),
    **more: str,
) -> list[str]:
    """The last command, program first."""
    job = Export(program, of_clip(footage), excerpt, made, tuple(options), **more)
    return export_commands(job, output, Path("stats"))[-1]
