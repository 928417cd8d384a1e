"""Whether a programme or an output plays in real time here: at which sizes, and with how many streams at once."""

import threading
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import groupby

from ovrik.analysis.scores.playback import Streams, between, most_held, paced
from ovrik.errors import Ask, OvrikError, PassingTrouble, Stopped
from ovrik.export.command.export import Export, analyses_of
from ovrik.export.command.playback import (
    ALL_STEPS,
    DECODING,
    FULL,
    READY,
    SIZES,
    TREATING,
    playback_command,
    smaller,
    speed_commands,
)
from ovrik.export.run.process import Usage, measure
from ovrik.export.run.timed import timed_run
from ovrik.machine.builds.build import find_build
from ovrik.machine.devices.known_trials import device_numbers
from ovrik.quality.decode.probe import probe
from ovrik.store.records.made import PlaybackRecord
from ovrik.store.study import Study
from ovrik.study.contender.contender import Contender
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.encoder.recipe import recipe
from ovrik.study.facts.played import Pace
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import of_clip
from ovrik.study.programme.treatment_kinds import SOFTWARE
from ovrik.work.apart.parts import Bench
from ovrik.work.evidence.outputs_on_disk import latest_output, output_path
from ovrik.work.lineup.able import builds_for
from ovrik.work.prepare.fingerprint import fingerprint

MOST_STREAMS = 16
ROUNDS = 3
MOST_S = 5.0
"""So much of the excerpt is played at the most."""


@dataclass(frozen=True)
class Played:
    """What one size came to. Fields: `size`; `tried`, numbers of streams from 1 up to the first that did not hold,
    with the paces of all rounds; `rounds` of one stream alone, sustained frames per second each; `cores`, processor
    seconds a second with the most streams that held, or with one where none did; `shares`, seconds a frame of each
    step on its own; `rate`, frames per second that are asked for."""

    size: str
    tried: tuple[Streams, ...]
    rounds: tuple[float, ...]
    cores: float
    shares: dict[str, float]
    rate: float

    @property
    def most(self) -> int:
        """The largest number of streams that held."""
        return most_held(self.tried)

    @property
    def one(self) -> Streams:
        """One stream alone."""
        return self.tried[0]

    @property
    def open_end(self) -> bool:
        """Whether more streams might hold: none failed."""
        return self.tried[-1].held

    @property
    def limit(self) -> str:
        """The step that takes longest, "" where they were not timed."""
        return max(self.shares, key=self.shares.__getitem__, default="")


def play(
    bench: Bench,
    contender: Contender,
    sizes: Sequence[str] = tuple(SIZES),
    rounds: int = ROUNDS,
    most: int = MOST_STREAMS,
) -> list[Played]:
    """Play the excerpt with a contender's build and acceleration at each size, with ever more streams, up to `most`,
    until one does not keep up, `rounds` times each, and keep it. Raises OvrikError, Stopped."""
    if contender.outside or contender.build.startswith(DESCRIBED_KEY):
        raise OvrikError(
            f"{contender.label} can't be played from here", "Choose a contender that Ovrik drives"
        )
    whole = bench.study.facts().excerpt
    rate = float(bench.study.programme().rate)
    frames = max(2, min(whole.frames, round(MOST_S * rate)))
    plan = bench.plan(contender, Excerpt(whole.start_frame, frames))
    # What is pre-rendered is played from its intermediate: that is what a preview cache is for.
    job = plan.export() if contender.prerendered and not plan.build.simulated else plan.straight()
    return _held(bench, contender, job, rate, sizes, rounds, most=most)


def play_output(
    bench: Bench, contender: Contender, most: int = 1, rounds: int = ROUNDS, sizes: Sequence[str] = (FULL,)
) -> list[Played]:
    """Play a contender's latest output by its build and decoding, or in software by the bundled one where that is no
    build that plays, and keep it: whether it plays in real time here. Raises OvrikError when there is none,
    Stopped."""
    run = latest_output(bench.study, contender.contender_id)
    path = output_path(bench.study, run) if run else None
    if run is None or path is None or not path.is_file():
        raise OvrikError(f"{contender.label} has no output to play", "Time it first")
    clip = probe(path)
    frames = max(2, min(clip.frames, round(MOST_S * float(clip.rate))))
    found = None if contender.outside or contender.simulated else builds_for([contender]).get(contender.build)
    own = found is not None and not found.problem and not contender.build.startswith(DESCRIBED_KEY)
    by = found if found is not None and own else find_build("bundled")
    silent = recipe("ffv1", sound="none")
    decode = contender.decode if own else SOFTWARE
    job = Export(
        by.path,
        of_clip(clip),
        Excerpt(0, frames),
        silent,
        by.options,
        decode=decode,
        numbers=device_numbers(by),
    )
    return _held(bench, contender, job, float(clip.rate), sizes, rounds, run.output_sha256 or "", most)


def _held(
    bench: Bench,
    contender: Contender,
    job: Export,
    rate: float,
    sizes: Sequence[str],
    rounds: int,
    output: str = "",
    most: int = MOST_STREAMS,
) -> list[Played]:
    """The same of a job, while no other Ovrik times this study."""
    study = bench.study
    if not study.hold.take():
        raise OvrikError(f"{study.path} is being timed by another Ovrik", "Wait until it has ended")
    try:
        out = []
        for place, size in enumerate(sizes):
            bench.say(place / len(sizes), f"Playing at {size} size")
            made = _size(bench, contender, job, size, rate, rounds, output, most)
            study.keep_playback(made, study.programme(), study.facts().excerpt, fingerprint(study).to_json())
            out.append(_summed(made))
        return out
    finally:
        study.hold.release()


def _size(
    bench: Bench,
    contender: Contender,
    job: Export,
    size: str,
    rate: float,
    rounds: int,
    output: str,
    most: int,
) -> list[PlaybackRecord]:
    command, made = playback_command(job, size), list[PlaybackRecord]()
    _analyse(job, size, bench)
    shares = _shares(job, size, bench.should_stop)
    for count in range(1, most + 1):
        bench.say(0.0, f"Playing {count} stream{'s' * (count != 1)} at {size} size")
        for number in range(1, rounds + 1):
            paces, cores = played_together(command, count, rate, bench.should_stop)
            made.append(
                PlaybackRecord(
                    contender_id=contender.contender_id,
                    output_sha256=output,
                    size=size,
                    streams=count,
                    round=number,
                    paces=tuple(paces),
                    cores=cores,
                    shares=shares,
                )
            )
        if not all(p.held for m in made[-rounds:] for p in m.paces):
            break
    return made


def _analyse(job: Export, size: str, bench: Bench) -> None:
    """Analyses for stabilisation that are not made yet: smaller frames have their own. Raises OvrikError, Stopped."""
    for one in analyses_of(smaller(job, size)):
        bench.say(0.0, f"Analysing for stabilisation at {size} size")
        one.result.parent.mkdir(parents=True, exist_ok=True)
        done = timed_run([list(one.arguments)], one.partial, one.result, should_stop=bench.should_stop)
        if done.state == "stopped":
            raise Stopped
        if done.state != "done":
            raise OvrikError(
                f"The stabilisation analysis failed: {done.reason}", "Check that the export itself runs"
            )


def _shares(job: Export, size: str, should_stop: Ask) -> dict[str, float]:
    """Seconds a frame of each step, as fast as it goes; nothing where one of them can't be timed alone."""
    took = {}
    for name, command in speed_commands(job, size).items():
        usage = measure(command, should_stop=should_stop)
        if usage.stopped:
            raise Stopped
        if usage.exit_code:
            return {}
        took[name] = usage.wall_s / job.excerpt.frames
    return {DECODING: took[DECODING], TREATING: max(0.0, took[ALL_STEPS] - took[DECODING])}


def _summed(made: Sequence[PlaybackRecord]) -> Played:
    """What records of one size come to."""
    tried = []
    for count, of_count in groupby(sorted(made, key=lambda m: m.streams), key=lambda m: m.streams):
        tried.append(Streams(count, tuple(p for m in of_count for p in m.paces)))
    most = max(1, most_held(tried))
    alone = tuple(min(p.sustained for p in m.paces) for m in made if m.streams == 1)
    cores = max(m.cores for m in made if m.streams == most)
    return Played(
        size=made[0].size,
        tried=tuple(tried),
        rounds=alone,
        cores=cores,
        shares=made[-1].shares,
        rate=made[0].paces[0].rate,
    )


def played(made: Sequence[PlaybackRecord]) -> dict[tuple[int, str], dict[str, Played]]:
    """What records of one excerpt come to, by contender and output ("" for the programme), then by size: what was
    played last. One without a single stream is left out."""
    found: dict[tuple[int, str], dict[str, list[PlaybackRecord]]] = {}
    for one in made:
        if not one.paces:
            continue
        mine = found.setdefault((one.contender_id, one.output_sha256), {})
        if (one.streams, one.round) == (1, 1):
            mine[one.size] = []  # played again
        mine.setdefault(one.size, []).append(one)
    return {
        key: {size: _summed(of_size) for size, of_size in sizes.items() if of_size[0].streams == 1}
        for key, sizes in found.items()
    }


def unplayed(study: Study) -> list[Contender]:
    """Contenders whose latest output was not played yet."""
    done = {
        (p.contender_id, p.output_sha256)
        for p in study.playbacks(study.programme().checksum, study.facts().excerpt)
    }
    out = []
    for contender in study.contenders():
        run = latest_output(study, contender.contender_id)
        if (
            run
            and (contender.contender_id, run.output_sha256) not in done
            and output_path(study, run).is_file()
        ):
            out.append(contender)
    return out


def play_outputs(bench: Bench) -> int:
    """Play every output not played yet; gives how many. One that can't be played now keeps none of the others from
    it, and is reported at the end. Raises PassingTrouble, Stopped."""
    todo, failed = unplayed(bench.study), list[str]()
    for contender in todo:
        try:
            play_output(bench, contender)
        except OvrikError as exc:
            failed.append(f"{contender.label}: {exc.problem}")
    if failed:
        raise PassingTrouble(f"Not played: {'; '.join(failed[:3])}", "Finished ones are kept")
    return len(todo)


def played_together(
    command: Sequence[str], count: int, rate: float, should_stop: Ask = lambda: False
) -> tuple[list[Pace], float]:
    """Play so many streams at once; gives the pace of each, and the cores that they kept busy. Raises OvrikError
    when one of them fails, Stopped."""
    moments: list[list[float]] = [[] for _ in range(count)]
    begin = threading.Barrier(count)

    def one(number: int) -> Usage:
        def took(piece: bytes, at: float) -> bool:
            moments[number] += [at] * len(READY.findall(piece))
            return True

        begin.wait()
        return measure(list(command), took, should_stop)

    with ThreadPoolExecutor(count) as pool:
        done = list(pool.map(one, range(count)))
    if should_stop():
        raise Stopped
    for usage in done:
        if usage.exit_code:
            said = usage.log[-1] if usage.log else "no message"
            raise OvrikError(f"Playing failed: {said}", "Check that the export itself runs")
    cores = sum(u.user_s + u.system_s for u in done) / max(u.wall_s for u in done)
    return [paced(m, rate) for m in moments], cores


def playback_words(found: Played) -> str:
    """ "half size: plays in real time, 3 streams at once, 1.8 cores busy; slowest step: decoding, 9 of 14
    ms a frame"."""
    if found.most:
        streams = f"{found.most} streams" if found.most > 1 else "1 stream"
        more = " or more" if found.open_end else ""
        said = f"plays in real time, {streams}{more} at once, {found.cores:.1f} cores busy"
    else:
        worst = max(found.one.paces, key=lambda p: (p.dropped, p.hitch_s))
        said = (
            f"does not play in real time: the picture stood still for {worst.dropped} frames of {worst.frames}, "
            f"{playback_rate_words(found)}, longest hitch {1000 * worst.hitch_s:.0f} ms"
        )
    return f"{found.size} size: {said}{limit_words(found)}"


def playback_rate_words(found: Played) -> str:
    """ "22.6 of 25 fps (22.1 to 23.0)": one stream alone, over the rounds."""
    mean, low, high = between(found.rounds)
    between_words = f" ({low:.1f} to {high:.1f})" if len(found.rounds) > 1 else ""
    return f"{mean:.1f} of {found.rate:g} fps{between_words}"


def limit_words(found: Played) -> str:
    """Which step takes longest, and how long."""
    if not found.limit:
        return ""
    every = sum(found.shares.values())
    own = 1000 * found.shares[found.limit]
    return f"; slowest step: {found.limit}, {own:.1f} of {1000 * every:.1f} ms a frame"
