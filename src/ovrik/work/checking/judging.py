"""One output: is it what was asked for, and how does it lie beside the reference?"""

import dataclasses
import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ovrik.errors import Ask, OvrikError, PassingTrouble
from ovrik.quality.checks.alignment import Match, doubtful, elsewhere_words, kept_miniatures, match, whose
from ovrik.quality.checks.all_points import EDITION, all_points
from ovrik.quality.checks.conformity import conformity_faults
from ovrik.quality.checks.miniatures import Miniatures
from ovrik.quality.checks.picture_points import OutputPair
from ovrik.quality.checks.sound_points import LOUDNESS, sound_points
from ovrik.quality.decode.probe import probe_packets
from ovrik.quality.decode.sound import sound_of
from ovrik.quality.scores.losses import ToMeasure
from ovrik.quality.scores.metric_table import LEAST_SIDE
from ovrik.quality.scores.metrics import ToScore, belonging
from ovrik.store.records.run import RunRecord
from ovrik.store.records.score import ScoreRecord
from ovrik.store.records.study_facts import StudyFacts
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.delivery import Delivery
from ovrik.study.facts.output_facts import OutputFacts
from ovrik.study.facts.point import DIFFERS, RIGHT, TREATED, UNKNOWN, Point, point
from ovrik.study.files.checksum import sha256_now
from ovrik.study.programme.programme import Programme
from ovrik.work.footage.references import Against


@dataclass(frozen=True)
class Judging:
    """What an output is judged by. Fields: `programme` and `facts` of the study; `against`, the reference or the
    build's own treated frames, and `key`, the reference's name; `wanted`, what the output is to be; `contender`;
    `run` that wrote it; `sound`, what the excerpt sounds like."""

    programme: Programme
    facts: StudyFacts
    against: Against
    key: str
    wanted: Delivery
    contender: Contender
    run: RunRecord
    sound: Callable[[], np.ndarray]

    @property
    def named(self) -> bool:
        """Whether a reference was named that outputs are held against instead of the programme."""
        return bool(self.facts.conduct.reference)


@dataclass(frozen=True)
class Checked:
    """An output that was checked. Fields: `record`, what was found, without scores; `to_score` and `to_measure`, how
    it is to be scored, None where its frames can't be compared at all."""

    record: ScoreRecord
    to_score: ToScore | None = None
    to_measure: ToMeasure | None = None


def to_score(output: Path, job: Judging, clip: Footage, found: Match) -> ToScore:
    """How an output is scored that lies so beside the reference."""
    wanted, against = job.wanted, probe_packets(job.against.path)
    theirs = dataclasses.replace(wanted, colour=against.colour) if job.named else wanted
    return ToScore(output, theirs, clip.colour, belonging(found, clip, against, wanted))


def in_place(output: Path, job: Judging) -> ToMeasure | None:
    """An output as it lies beside the reference if nothing is wrong with it; None where its own facts say otherwise,
    or it can't be read or scored."""
    try:
        clip, against = probe_packets(output), probe_packets(job.against.path)
    except OvrikError:
        return None
    wrong = conformity_faults(clip, job.wanted, job.contender.recipe)
    if wrong or min(job.wanted.width, job.wanted.height) < LEAST_SIDE:
        return None
    return ToMeasure(output, clip, Match(0, min(clip.frames, against.frames), 1.0))


def checked(output: Path, job: Judging, decoded: Callable[[], Miniatures], should_stop: Ask) -> Checked:
    """Conformity of one output, and how it lies beside the reference; a fault becomes part of the record. `decoded`
    gives what it shows, or raises why it can't be read. Raises PassingTrouble when the trouble lies elsewhere than in
    the output, Stopped."""
    blank = ScoreRecord(job.contender.contender_id, job.run.output_sha256 or "", job.key)
    wanted = job.wanted
    same_output(output, job.run)
    try:
        clip = probe_packets(output)
        seen = decoded()
    except OvrikError as exc:
        same_output(output, job.run)
        return Checked(dataclasses.replace(blank, problem=str(exc), faults=(f"it can't be judged: {exc}",)))
    clip = dataclasses.replace(clip, frames=seen.count) if clip.constant_rate else clip
    reference = job.against.path
    against, kept = probe_packets(reference), kept_miniatures(reference, should_stop)
    found = match(seen, clip.rate, kept, wanted.rate, job.named)
    found = _located(found, seen, clip, job, should_stop)
    points = [
        *all_points(output, OutputPair(seen, clip, kept, against, found), wanted, job.contender.recipe),
        *_treated(job.against),
        *(_heard(output, clip, job, should_stop) if wanted.sound and clip.sounds else []),
    ]
    faults = tuple(p.fault for p in points if p.fault)
    own = job.against.own
    read = dataclasses.replace(_facts(clip, found), treated_by=own.identity if own else "")
    done = dataclasses.replace(blank, faults=faults, facts=read, points=tuple(points))
    if not found.shown:
        return Checked(dataclasses.replace(done, problem="it shows something else, so that it has no score"))
    if min(wanted.width, wanted.height) < LEAST_SIDE:
        small = (
            f"{wanted.width}×{wanted.height} is too small for VMAF, which takes {LEAST_SIDE} pixels and more"
        )
        return Checked(dataclasses.replace(done, problem=small))
    return Checked(done, to_score(output, job, clip, found), ToMeasure(output, clip, found))


def same_output(output: Path, run: RunRecord) -> None:
    """See that the file is still the one that the run wrote. Raises PassingTrouble."""
    try:
        same = sha256_now(output) == run.output_sha256
    except OSError as exc:
        raise PassingTrouble(
            f"the output {output.name} can't be read ({exc.strerror})",
            "Reconnect its drive, or time this contender again",
        ) from None
    if not same:
        raise PassingTrouble(
            f"the output {output.name} has changed since its run", "Time this contender again"
        )


def _treated(against: Against) -> list[Point]:
    """What the build makes of the treatments, where that is not what the reference shows."""
    if against.trouble:
        return [Point(TREATED, UNKNOWN, f"what this build makes of it can't be told: {against.trouble}")]
    own = against.own
    if own is None:
        return []
    if own.gross:
        said = "; ".join(o.said for o in own.gross)
        return [Point(TREATED, DIFFERS, f"{own.build} gives another picture than the reference: {said}")]
    said = "; ".join(o.said for o in own.otherwise) or f"by {own.db:.0f} dB in the frame that differs most"
    words = (
        f"{own.build} treats it otherwise ({said}), so its encoder is judged by the frames that it was given"
    )
    return [Point(TREATED, DIFFERS, words, asked=False)]


def _heard(output: Path, clip: Footage, job: Judging, should_stop: Ask) -> list[Point]:
    """Points about the sound; that it can't be read is one of them."""
    theirs, ours = job.programme.sounds[0].channels if job.programme.plain else 2, clip.sounds[0].channels
    fault = f"its audio has {ours} channels instead of {theirs}" if ours != theirs else ""
    channels = point("audio channels", fault, str(ours))
    rate = clip.sounds[0].sample_rate
    kept = not job.programme.sounds or rate == job.programme.sounds[0].sample_rate
    hertz = Point("audio sample rate", RIGHT if kept else DIFFERS, f"{rate} Hz", asked=False)
    try:
        return [
            channels,
            hertz,
            *sound_points(sound_of(output, should_stop=should_stop), job.sound(), float(1 / clip.rate)),
        ]
    except OvrikError as exc:
        return [channels, hertz, Point(LOUDNESS, UNKNOWN, str(exc))]


def _located(found: Match, seen: Miniatures, clip: Footage, job: Judging, should_stop: Ask) -> Match:
    """The same match, with what the output shows instead of the excerpt where that is in doubt."""
    if job.named:
        other = "it does not show what the reference shows"
        return found if found.shown else dataclasses.replace(found, faults=(other,))
    if not doubtful(found):
        return found
    elsewhere = whose(seen, clip.rate, job.programme, should_stop)
    if found.shown and elsewhere is None:
        return found
    return dataclasses.replace(found, faults=(elsewhere_words(elsewhere, job.facts.excerpt),), shown=False)


def _facts(clip: Footage, found: Match) -> OutputFacts:
    """What was read of an output."""
    return OutputFacts(
        codec=clip.codec,
        profile=clip.profile,
        frames=clip.frames,
        width=clip.width,
        height=clip.height,
        pixel_format=clip.pixel_format,
        rate=float(clip.rate),
        duration_s=clip.container_s,
        audio=tuple(s.codec for s in clip.sounds),
        lag=found.lag,
        likeness=float(found.likeness) if math.isfinite(found.likeness) else None,
        checks=EDITION,
    )
