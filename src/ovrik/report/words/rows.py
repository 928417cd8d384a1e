"""Footage, programme, machine and builds as rows of name and value."""

from collections.abc import Sequence
from fractions import Fraction

from ovrik.export.run.wall import wall_words
from ovrik.machine.builds.build import SCORING_FILTERS, Build
from ovrik.machine.devices.trial import WORKS, Trial
from ovrik.machine.workstation.drive import DriveFacts
from ovrik.machine.workstation.facts import MachineFacts
from ovrik.report.words.numbers import size_words
from ovrik.study.clip.footage import Footage, Sound
from ovrik.study.clip.frame_access import COUNT, EARLY, SEEK, method_of
from ovrik.study.contender.losses import tag_conflicts
from ovrik.study.encoder.encoders import ENCODERS
from ovrik.study.encoder.recipe import bit_rate_words
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.programme.programme import AS_IT_IS, FILL, GAP, INSIDE, Programme


def rate_words(rate: Fraction) -> str:
    """The exact rate: "25 fps" or "30000/1001 fps (29.970)"."""
    if rate.denominator == 1:
        return f"{rate.numerator} fps"
    return f"{rate.numerator}/{rate.denominator} fps ({float(rate):.3f})"


def programme_rows(p: Programme) -> list[tuple[str, str]]:
    """What a programme is, in the order in which editors ask; of a plain one, its clip's rows."""
    if p.plain:
        return footage_rows(p.clips[0])
    gaps = sum(s.clip == GAP for s in p.shots)
    dissolves = sum(bool(s.dissolve) for s in p.shots)
    parts = [
        _count(len(p.shots) - gaps, "shot"),
        _count(gaps, "gap"),
        _count(dissolves, "dissolve"),
        _count(len(p.overlays), "overlay"),
    ]
    used = dict.fromkeys(t.words for t in p.every_treatment)
    return [
        ("Programme", p.name),
        ("Made of", ", ".join(x for x in parts if x)),
        (
            "Clips",
            f"{len(p.clips)}: {', '.join(c.path.rsplit('/', 1)[-1] for c in p.clips[:3])}"
            + (" and more" if len(p.clips) > 3 else ""),
        ),
        ("Size", f"{p.width} × {p.height}, {fit_words(p)}"),
        ("Frame rate", rate_words(p.rate)),
        ("Duration", f"{p.duration_s:.3f} s, {p.frames} frames"),
        ("Working format", p.pixel_format),
        ("Treatments", "; ".join(used) or "none"),
        ("Audio", f"{len(p.sound)} track{'s' * (len(p.sound) != 1)}" if p.sound else "none"),
        ("Left out", "; ".join(p.left_out) or "nothing"),
    ]


FIT_WORDS = {
    INSIDE: "all of them inside it, with bars",
    FILL: "filling it, cut at its edges",
    AS_IT_IS: "at their own size, in its middle",
}


def fit_words(p: Programme) -> str:
    """How clips of another shape than the frame's come into it."""
    other = sum(
        (c.shown_width, c.shown_height, c.shown_aspect) != (p.width, p.height, p.sample_aspect)
        for c in p.clips
    )
    if not other:
        return "as its clips"
    return f"{_count(other, 'clip')} of another: {FIT_WORDS[p.fit]}"


def _count(number: int, thing: str) -> str:
    return f"{number} {thing}{'s' * (number != 1)}" if number else ""


def footage_rows(footage: Footage) -> list[tuple[str, str]]:
    """What was read from a clip, in the order in which editors ask."""
    noun = "frame" if footage.frames == 1 else "frames"
    counted = "counted" if footage.frames_counted else "by its header"
    steady = "constant" if footage.constant_rate else f"made constant; {footage.stored_frames} frames stored"
    shape = footage.sample_aspect
    pixels = "square" if shape == 1 else f"{shape.numerator}:{shape.denominator}"
    profile = f", {footage.profile}" if footage.profile else ""
    return [
        ("File", footage.path.rsplit("/", 1)[-1]),
        ("Codec", f"{footage.codec}{profile}"),
        ("Container", footage.container.split(",")[0]),
        ("Size", f"{footage.width} × {footage.height}, {pixels} pixels"),
        ("Frame rate", f"{rate_words(footage.rate)}, {steady}"),
        *odd_rows(footage),
        ("Rate read from", footage.rate_evidence),
        ("Duration", f"{footage.duration_s:.3f} s, {footage.frames} {noun} ({counted})"),
        ("Pixel format", f"{footage.pixel_format}, {footage.bit_depth} bit {footage.chroma}"),
        ("Bit rate", bit_rate_words(round(footage.bit_rate, -4))),
        ("On disk", size_words(footage.size_bytes)),
        ("Colour", str(footage.colour)),
        ("Frames found", READ_BY[method_of(footage)]),
        ("Audio", "; ".join(map(_sound, footage.sounds)) or "none"),
    ]


READ_BY = {
    SEEK: "by the container's index, straight to the frame",
    EARLY: "from well before, by time stamps: frames before an excerpt are decoded and discarded",
    COUNT: "by counting from the beginning: everything before an excerpt is decoded and discarded",
}


def _levels(footage: Footage) -> str:
    if footage.rgb:
        return f"RGB; delivered as Y'CbCr ({footage.delivered_colour.matrix}), limited range"
    return "full range; delivered as limited" if footage.full_range else ""


def odd_rows(footage: Footage) -> list[tuple[str, str]]:
    """What sets a clip apart from an ordinary one."""
    lead = footage.start_s - footage.container_start_s
    found = (
        (
            "Turned",
            footage.rotation
            and f"{footage.rotation}° clockwise by the player: shown at "
            f"{footage.shown_width} × {footage.shown_height}",
        ),
        ("Levels", _levels(footage)),
        ("Transparency", footage.alpha and "has an alpha channel"),
        ("Fields", footage.field_order and f"interlaced, {footage.field_order}"),
        ("Dynamic range", footage.hdr and f"HDR ({footage.hdr})"),
        ("Tags", "; ".join(tag_conflicts(footage))),
        ("Begins", lead > 0.0005 and f"{lead:.3f} s after its audio"),
    )
    return [(name, str(wall_words)) for name, wall_words in found if wall_words]


def _sound(sound: Sound) -> str:
    return f"{sound.codec}, {sound.sample_rate / 1000:g} kHz, {sound.layout or f'{sound.channels} channels'}"


def machine_rows(machine: MachineFacts) -> list[tuple[str, str, str]]:
    """Name, value and where it was read."""
    wall = ("Export sandbox", wall_words(), "landlock_create_ruleset(2)")
    return [*((f.title, f.value, f.source) for f in machine.facts), wall]


DRIVE_SOURCE = "/proc/self/mounts, statvfs(3), a file written through to the drive, reading past the cache"
"""Where what is said of a drive comes from."""


def drive_words(drive: DriveFacts | None, trouble: str = "") -> str:
    """What is known of a drive: "ext4, 76.9 GB free, writes 530 MB/s, reads 886 MB/s"."""
    if drive is None:
        return trouble
    said = [drive.file_system or "file system unknown", f"{drive.free} free", drive.speed, trouble]
    return ", ".join(x for x in said if x)


TRIAL_MARKS = {
    "works": "✓ works",
    "fails": "✕ fails",
    "falls back": "↘ falls back",
    "wrong picture": "≠ wrong",
    "not tried": "– not tried",
    "not known": "? not known",
}


def trial_words(trial: Trial) -> str:
    """An answer in a cell: mark, word, and dB where a picture came."""
    db = "" if trial.db is None or trial.answer == "falls back" else f" {min(trial.db, 99):.0f} dB"
    exact = " exact" if trial.db == 100 and trial.answer == "works" else db
    return f"{TRIAL_MARKS[trial.answer]}{exact}"


def made_for(build: Build) -> str:
    """The processor that a program file is made for, and what that means here."""
    if build.simulated:
        return "simulated: a script that plays a device"
    if not build.architecture:
        return "no processor of its own: a script"
    foreign = "would run translated here, if at all" if build.problem else "runs translated here"
    return f"{build.architecture}, {foreign}" if build.translated else build.architecture


def _opened(build: Build, trials: Sequence[Trial]) -> list[tuple[str, str]]:
    mine = [t for t in trials if (t.build, t.place) == (build.key, "device")]
    if not mine:
        return [("Devices", "not tried yet")]
    open_ = [f"{t.what}: {t.device or 'no name given'}" for t in mine if t.answer == WORKS]
    return [("Devices", "; ".join(open_) or "none that it can open")]


def build_rows(build: Build, trials: Sequence[Trial] = ()) -> list[tuple[str, str]]:
    """What is known of a build, with the devices that it opened when its accelerations were tried."""
    if build.problem:
        said = [("Build", build.key), ("Problem", build.trouble)]
        here = [("Program", build.path), ("SHA-256", build.sha256), ("Made for", made_for(build))]
        log = [("It said", build.log.strip())] if build.log.strip() else []
        return [*said, *(here if build.path else []), *log]
    known = [f"{e.short} ({e.codec_title})" for e in ENCODERS.values() if e.name in build.encoders]
    return [
        ("Build", build.key),
        ("Version", build.version),
        ("Program", build.path),
        ("SHA-256", build.sha256),
        ("Encoders", f"{', '.join(known) or 'none that Ovrik knows'}; {len(build.encoders)} in all"),
        ("Scores", ", ".join(f for f in SCORING_FILTERS if f in build.filters) or "none"),
        ("Made for", made_for(build)),
        ("Device kinds", ", ".join(build.devices) or "none"),
        *_opened(build, trials),
        ("Configured", build.configuration or "it does not say"),
    ]


def output_rows(f: OutputFacts) -> list[tuple[str, str]]:
    """What was read of an output."""
    return [
        ("codec", f.codec),
        ("profile", f.profile),
        ("frames", str(f.frames)),
        ("size", f"{f.width}×{f.height}"),
        ("pixel format", f.pixel_format),
        ("rate", f"{f.rate:g} fps"),
        ("duration", f"{f.duration_s:.2f} s"),
        ("audio", ", ".join(f.audio) or "none"),
        ("offset", f"{f.lag} frames" if f.lag else ""),
        ("likeness", "" if f.likeness is None else f"{f.likeness:.3f}"),
        ("scored", f"every {f.every} frames" if f.every > 1 else ""),
        (
            "kinds of loss",
            "" if f.losses_measurable else "can't be told apart: its samples are not the reference's",
        ),
    ]
