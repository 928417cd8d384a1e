"""A contender becomes an export: what it reads, by what program, and what must be there first."""

import hashlib
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ovrik.export.command.export import (
    Export,
    analyses_of,
    every_analysis,
    export_commands,
    prerender_command,
)
from ovrik.export.graph.assembly import assemble
from ovrik.export.run.progress import PatternReader, Reader
from ovrik.machine.builds.build import Build, replaced
from ovrik.machine.builds.described import description_of
from ovrik.machine.devices.known_trials import device_numbers
from ovrik.store.records.made import PreparationKind
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import delivery
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.encoder.intermediate import Intermediate
from ovrik.study.programme.excerpt import Excerpt, whole
from ovrik.study.programme.methods import done_by, kernel_of
from ovrik.study.programme.programme import Programme, of_clip
from ovrik.study.programme.treatment_kinds import SOFTWARE


@dataclass(frozen=True)
class First:
    """Something that an export needs first. Fields: `kind`; `result`, the file that is there when it is made;
    `partial`, what it is until then; `arguments` that write that."""

    kind: PreparationKind
    result: Path
    partial: Path
    arguments: tuple[str, ...]

    @property
    def key(self) -> str:
        """Names what is made, by what it shows and what made it."""
        return self.result.stem


@dataclass(frozen=True)
class Plan:
    """All that a run of a contender needs.

    Fields: `contender`; `build`; `programme`, `excerpt` of the study; `folder` of the outputs;
    `maker`, the build that pre-renders (a described program can't).
    """

    contender: Contender
    build: Build
    programme: Programme
    excerpt: Excerpt
    folder: Path
    maker: Build | None = None

    @property
    def described(self) -> bool:
        """Whether the build is a described program."""
        return self.build.key.startswith(DESCRIBED_KEY)

    def straight(self) -> Export:
        """The export as if nothing were pre-rendered, done by the build that would pre-render."""
        c = self.contender
        by = self.maker or self.build
        treated, kernel = done_by(self.programme, c.methods), kernel_of(c.methods)
        devices = c.recipe.facts.device or (c.decode, c.treat) != (SOFTWARE, SOFTWARE)
        numbers = device_numbers(by) if devices else ()
        return Export(
            program=by.path,
            programme=treated,
            excerpt=self.excerpt,
            recipe=c.recipe,
            options=by.options,
            decode=c.decode,
            treat=c.treat,
            mark=by.sha256,
            kernel=kernel,
            numbers=numbers,
        )

    def prerendered_file(self) -> Path | None:
        """Where the intermediate is, or will be; None when the export does not begin from one."""
        into = self.contender.prerendered
        if into is None:
            return None
        return self.folder / "prerendered" / f"{self.prerender_key(into)}.{into.facts.container}"

    def prerender_key(self, into: Intermediate) -> str:
        """Names an intermediate by what it shows and what made it."""
        by = self.maker or self.build
        said = (
            f"{self.programme.checksum}|{self.excerpt}|{into.name}|{by.sha256}|{self.contender.decode}"
            f"|{self.contender.treat}"
        )
        said += f"|{self.contender.methods}" if self.contender.methods else ""
        return hashlib.sha256(said.encode()).hexdigest()[:20]

    def prerender(self, output: Path) -> list[str]:
        """The command that makes the intermediate."""
        into = self.contender.prerendered
        assert into is not None
        job = self.straight()
        # The intermediate is the programme's; size and rate of the delivery come with the export.
        own = replace(job.recipe, width=0, height=0, rate="", sound="pcm_s16le")
        return prerender_command(replace(job, recipe=own), into, output)

    def analyses(self) -> list[tuple[Path, Path, tuple[str, ...]]]:
        """Stabilisation analyses not made yet: result, what is written first, and command."""
        return [(a.result, a.partial, a.arguments) for a in analyses_of(self.straight())]

    def first(self) -> list["First"]:
        """What must be made before the export can run, in order."""
        out = [
            First(PreparationKind.ANALYSIS, a.result, a.partial, a.arguments)
            for a in every_analysis(self.straight())
        ]
        if (kept := self.prerendered_file()) is not None:
            partial = kept.with_name(f"partial {kept.name}")
            out.append(First(PreparationKind.PRE_RENDER, kept, partial, tuple(self.prerender(partial))))
        return out

    def analysed(self) -> list[Path]:
        """Files of stabilisation analyses that the export reads."""
        if self.programme.plain:
            return []
        job = self.straight()
        return [a.result for a in assemble(job.programme, job.excerpt, job.treat, job.mark, False).analyses]

    def export(self) -> Export:
        """The timed export itself."""
        made, into = self.prerendered_file(), self.contender.prerendered
        job = replace(self.straight(), program=self.build.path, options=self.build.options)
        if made is None or into is None:
            return job
        clip = intermediate_footage(self.programme, self.excerpt, into, made)
        source, recipe = of_clip(clip), job.recipe
        if (clip.width, clip.height) != (self.programme.width, self.programme.height) and not recipe.width:
            recipe = replace(recipe, width=self.programme.width, height=self.programme.height)
        return replace(
            job,
            programme=source,
            excerpt=whole(source),
            recipe=recipe,
            treat="software",
            decode="software",
            passed=into.passed,
        )

    def commands(self, output: Path, stats: Path) -> list[list[str]]:
        """The argument lists of the timed export, one for each pass."""
        job = self.export()
        if not self.described:
            return export_commands(job, output, stats)
        clip = job.programme.clips[0]
        return [description_of(self.build.key).command(self.build.path, clip, job.excerpt, output)]

    def reader(self) -> Reader | None:
        """What makes sense of the program's output; None for the builds' own progress stream."""
        ask = description_of(self.build.key).progress if self.described else None
        if ask is None:
            return None
        return PatternReader(ask.pattern, ask.unit, self.excerpt.frames, float(self.programme.rate))

    @property
    def frames(self) -> int:
        """Frames in the output."""
        return delivery(self.programme, self.excerpt, self.contender.recipe).frames


def intermediate_footage(programme: Programme, excerpt: Excerpt, into: Intermediate, path: Path) -> Footage:
    """An intermediate as it will be read, known before it is made."""
    deep = into.pixel_format.endswith("le")
    chroma = {"420": "4:2:0", "422": "4:2:2"}.get(into.pixel_format[3:6], "4:4:4")
    return Footage(
        path=str(path),
        size_bytes=0,
        container=into.facts.container,
        codec=into.facts.codec,
        profile="",
        width=into.width or programme.width,
        height=into.height or programme.height,
        sample_aspect=Fraction(1),
        rate=programme.rate,
        constant_rate=True,
        rate_evidence="made so",
        frames=excerpt.frames,
        frames_counted=True,
        duration_s=excerpt.frames / float(programme.rate),
        container_s=0.0,
        start_s=0.0,
        pixel_format=into.pixel_format,
        bit_depth=10 if deep else 8,
        chroma=chroma,
        bit_rate=0,
        colour=programme.colour,
        sounds=programme.sounds,
        checksum=f"prerendered:{path.stem}",
    )


def changed_build(plan: Plan) -> str:
    """Which file of a program that takes part is no longer the one that it was, in a clause, or ""."""
    return next((words for by in (plan.build, plan.maker) if by and (words := replaced(by))), "")
