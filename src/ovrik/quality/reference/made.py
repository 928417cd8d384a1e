"""The picture that outputs are judged against: the treated excerpt, kept losslessly in the cache."""

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ovrik.errors import Ask, OvrikError, Stopped
from ovrik.export.command.export import Export, analyses_of, prerender_command
from ovrik.export.run.process import measure
from ovrik.export.run.progress import ProgressReader
from ovrik.machine.builds.build import Build, find_build
from ovrik.quality.reference.cut_short import frames_shown
from ovrik.quality.reference.frames_read import reader_of
from ovrik.quality.reference.key import reference_path, references_folder
from ovrik.quality.reference.true_frames import wrong_frames
from ovrik.study.contender.delivery import Delivery, delivery
from ovrik.study.encoder.intermediate import QUICK, Intermediate
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme
from ovrik.study.programme.unchanged import check_unchanged


def make_reference(
    programme: Programme,
    excerpt: Excerpt,
    wanted: Delivery | None = None,
    on_share: Callable[[float], None] = lambda _s: None,
    should_stop: Ask = lambda: False,
    by: Build | None = None,
) -> Path:
    """The reference, made now in software by the bundled build if it is not in the cache; or the same frames as
    another build, `by`, treats them.

    `on_share` gets 0 to 1. Raises OvrikError when it can't be made, Stopped on request.
    """
    path = reference_path(programme, excerpt, wanted, by.identity if by else "")
    if path.exists():
        return path
    maker = by or find_build("bundled")
    check_unchanged(programme)
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f"{path.stem}.{os.getpid()}.partial")
    size = (wanted.width, wanted.height) if wanted else (0, 0)
    rate = str(wanted.rate) if wanted and wanted.rate != programme.rate else ""
    # What is judged is the picture; sound is checked by its presence.
    silent = recipe("ffv1", sound="none", width=size[0], height=size[1], rate=rate)
    job = Export(maker.path, programme, excerpt, silent, maker.options, mark=by.sha256 if by else "bundled")
    lossless = Intermediate(_coded_as(programme, size), pixel_format=programme.pixel_format)
    wrong = wrong_frames(
        reader_of(job, maker.sha256), programme, excerpt, lambda s: on_share(0.3 * s), should_stop
    )
    if wrong:
        raise OvrikError(f"No reference can be made: {wrong}", "")
    try:
        for analysis in analyses_of(job):
            analysis.result.parent.mkdir(parents=True, exist_ok=True)
            _done(
                list(analysis.arguments),
                excerpt.frames,
                lambda s: on_share(0.3 + 0.2 * s),
                should_stop,
                path.parent,
            )
            analysis.partial.replace(analysis.result)
        rest: Callable[[float], None] = lambda s: on_share(0.5 + 0.5 * s)  # noqa: E731
        _done(prerender_command(job, lossless, partial), excerpt.frames, rest, should_stop, path.parent)
        wanted_frames = (wanted or delivery(programme, excerpt)).frames
        if (made := frames_shown(partial, should_stop)) != wanted_frames:
            raise OvrikError(
                f"The reference came out with {made} of {wanted_frames} frames",
                "Check the footage and the free space",
            )
        # A clip that was replaced meanwhile would live on in the cache under the old one's name.
        check_unchanged(programme)
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path


def _coded_as(programme: Programme, size: tuple[int, int]) -> str:
    """What is quick to decode, where it can hold the format and the size: FFV1 can hold any."""
    able = programme.pixel_format in QUICK.pixel_formats and not any(side % 2 for side in size)
    return "quick" if able else "ffv1"


def _done(
    arguments: list[str], frames: int, on_share: Callable[[float], None], should_stop: Ask, folder: Path
) -> None:
    reader = ProgressReader()

    def took(piece: bytes, at_s: float) -> bool:
        reports = reader.feed(piece, at_s)
        for report in reports:
            on_share(min(report.frame / frames, 1.0))
        return bool(reports)

    usage = measure(arguments, took, should_stop, grace_s=0)
    if usage.stopped:
        raise Stopped
    if usage.exit_code or usage.stalled:
        last = usage.log[-1] if usage.log else "no message"
        raise OvrikError(
            f"The reference could not be made ({last})", f"Check the footage and the free space in {folder}"
        )


@dataclass(frozen=True)
class CacheUse:
    """Fields: `files` in the cache of references; `bytes` of all of them."""

    files: int
    bytes: int


def cache_use() -> CacheUse:
    """What references take on the disk."""
    sizes = [p.stat().st_size for p in references_folder().glob("*.mkv")]
    return CacheUse(len(sizes), sum(sizes))


def clear_cache() -> int:
    """Remove every reference, to be made anew when it is needed; gives the bytes freed."""
    freed = 0
    for path in references_folder().glob("*.mkv"):
        freed += path.stat().st_size
        path.unlink()
    return freed
