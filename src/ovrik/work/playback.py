"""Whether a programme plays in real time here: at which sizes, and with how many streams at once."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from ovrik.analysis.playback import Pace, Streams, most_held, paced
from ovrik.errors import OvrikError, Stopped
from ovrik.export.playback import READY, SIZES, playback_command
from ovrik.export.process import Usage, measure
from ovrik.study.contender import Contender
from ovrik.study.described import KEY as DESCRIBED_KEY
from ovrik.study.excerpt import Excerpt
from ovrik.work.exporting import Plan
from ovrik.work.parts import Bench

MOST_STREAMS = 16
ROUNDS = 3
MOST_S = 5.0
"""So much of the excerpt is played at the most."""


@dataclass(frozen=True)
class Played:
    """What one size came to. Fields: `size`; `tried`, numbers of streams from 1 up to the first that did not hold;
    `cores`, processor seconds a second with the most streams that held, or with one where none did; `rate`, the
    programme's frames per second."""

    size: str
    tried: tuple[Streams, ...]
    cores: float
    rate: float

    @property
    def most(self) -> int:
        """The largest number of streams that held."""
        return most_held(self.tried)

    @property
    def one(self) -> Streams:
        """One stream alone."""
        return self.tried[0]


def play(
    bench: Bench, contender: Contender, sizes: Sequence[str] = tuple(SIZES), rounds: int = ROUNDS
) -> list[Played]:
    """Play the excerpt with a contender's build and acceleration at each size, with ever more streams until one
    does not keep up, `rounds` times each. Raises OvrikError, Stopped."""
    if contender.outside or contender.build.startswith(DESCRIBED_KEY):
        raise OvrikError(
            f"{contender.label} can't be played from here", "Choose a contender that Ovrik drives"
        )
    whole = bench.study.facts().excerpt
    rate = float(bench.study.programme().rate)
    frames = max(2, min(whole.frames, round(MOST_S * rate)))
    plan = bench.plan(contender, Excerpt(whole.start_frame, frames))
    if not bench.study.hold.take():
        raise OvrikError(f"{bench.study.path} is being timed by another Ovrik", "Wait until it has ended")
    try:
        out = []
        for place, size in enumerate(sizes):
            bench.say(place / len(sizes), f"Playing at {size} size")
            out.append(_size(bench, plan, size, rate, rounds))
        return out
    finally:
        bench.study.hold.release()


def _size(bench: Bench, plan: Plan, size: str, rate: float, rounds: int) -> Played:
    command = playback_command(plan.straight(), size)
    tried: list[Streams] = []
    cores = 0.0
    for count in range(1, MOST_STREAMS + 1):
        paces: list[Pace] = []
        used = 0.0
        for _round in range(rounds):
            found, load = together(command, count, rate, bench.should_stop)
            paces += found
            used = max(used, load)
        tried.append(Streams(count, tuple(paces)))
        if not tried[-1].held:
            cores = cores or used
            break
        cores = used
    return Played(size, tuple(tried), cores, rate)


def together(
    command: Sequence[str], count: int, rate: float, should_stop: Callable[[], bool] = lambda: False
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


def words(found: Played) -> str:
    """ "half size: holds real time, 3 streams at once; one alone uses 0.4 cores"."""
    pace = min(found.one.paces, key=lambda p: p.sustained)
    if found.most:
        streams = f"{found.most} streams" if found.most > 1 else "1 stream"
        more = " or more" if found.most == MOST_STREAMS else ""
        return f"{found.size} size: plays in real time, {streams}{more} at once, {found.cores:.1f} cores busy"
    worst = max(found.one.paces, key=lambda p: p.dropped)
    return (
        f"{found.size} size: does not play in real time: {worst.dropped} of {worst.frames} frames dropped, "
        f"{pace.sustained:.1f} of {found.rate:g} fps, longest hitch {1000 * worst.hitch_s:.0f} ms"
    )
