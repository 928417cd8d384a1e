"""Where the time of an export goes, from timing its parts by themselves."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ovrik.analysis.times.ratio import answer, paired_ratio
from ovrik.study.facts.part import ALL, DECODE, ENCODE, PARTS, SOUND, TREAT, WRITE

FULL, IDLE = 85.0, 70.0
"""Per cent of use from which a core, a unit or a disk is called busy, and under which the rest is called idle."""
MEMORY_FULL = 95.0
LITTLE = 0.15
"""A saving at most this large is called little."""


@dataclass(frozen=True)
class Load:
    """Usual (median) use in per cent while the whole export ran.

    Fields: `all_cores`; `busiest_core`; `disk`, the busiest one's; `memory` of the machine in use; `unit`, the
    busiest unit of the device that was asked for, with its `unit_name`, "" without one; `link`, the way to it.
    """

    all_cores: float
    busiest_core: float
    disk: float = 0.0
    memory: float = 0.0
    unit: float = 0.0
    unit_name: str = ""
    link: float = 0.0


@dataclass(frozen=True)
class StepShare:
    """A part by itself against the whole export. Fields: `name`; `seconds`, its mean; `share` of the whole's
    time with `low` and `high`, None with fewer than two rounds."""

    name: str
    seconds: float
    share: float
    low: float | None
    high: float | None


@dataclass(frozen=True)
class Ladder:
    """Fields: `shares` in the order of `PARTS`; `limit`, the part that the rest waits for, "" when two take about
    as long; `resource`, what is used up meanwhile; `saving`, at most what an encoder that takes no time would
    save of the export, None without both parts; `sentence`."""

    shares: tuple[StepShare, ...]
    limit: str
    resource: str
    saving: float | None
    sentence: str


def ladder(seconds: Mapping[str, Sequence[float]], load: Load) -> Ladder | None:
    """What limits an export.

    `seconds` by part, one for each round, in the same order of rounds. The parts of an export work side by side,
    so that the slowest sets the pace: shares need not add up to 1. None without the whole export, or without
    another part.
    """
    whole = seconds.get(ALL, ())
    parts = {k: v for k, v in seconds.items() if k != ALL and len(v)}
    if not len(whole) or not parts:
        return None
    shares = tuple(_share(name, parts[name], whole) for name in PARTS if name in parts)
    by_name = {s.name: s.share for s in shares}
    limit = _limit(parts, by_name)
    resource = _resource(limit, load)
    ahead = by_name.get(TREAT, by_name.get(DECODE))
    saving = max(0.0, 1 - ahead) if ahead is not None and ENCODE in by_name else None
    return Ladder(shares, limit, resource, saving, _sentence(limit, resource, by_name, saving))


def _share(name: str, part: Sequence[float], whole: Sequence[float]) -> StepShare:
    count = min(len(part), len(whole))
    # The last ones: one that was stopped left parts of a round behind that has no whole.
    found = paired_ratio(part[-count:], whole[-count:])
    assert found is not None
    return StepShare(name, sum(part) / len(part), found.value, found.low, found.high)


def _limit(parts: Mapping[str, Sequence[float]], share: Mapping[str, float]) -> str:
    """The longest of the parts that work side by side; "" when the rounds can't tell the two longest apart."""
    ahead = TREAT if TREAT in parts else DECODE
    rivals = sorted((n for n in (ahead, ENCODE, SOUND, WRITE) if n in parts), key=lambda n: -share[n])
    first = rivals[0]
    if len(rivals) > 1:
        count = min(len(parts[first]), len(parts[rivals[1]]))
        apart = paired_ratio(parts[first][-count:], parts[rivals[1]][-count:])
        if count > 1 and answer(apart, 0.0) != "faster":
            return ""
    if first == TREAT and share.get(DECODE, 0.0) >= 0.7 * share[TREAT]:
        return DECODE
    return first


def _resource(limit: str, load: Load) -> str:
    """What is used up, the narrowest first: `RESOURCES` in order."""
    return next(said.format(load=load) for fits, said in RESOURCES if fits(limit, load))


RESOURCES = (
    (lambda limit, _o: limit == WRITE, "the disk can't take it faster"),
    (lambda _l, o: o.memory >= MEMORY_FULL, "memory is full ({load.memory:.0f} %)"),
    (lambda _l, o: o.link >= FULL, "the link to the device is full ({load.link:.0f} %)"),
    (lambda _l, o: o.unit >= FULL, "the device's {load.unit_name} is full ({load.unit:.0f} %)"),
    (lambda _l, o: o.disk >= FULL, "a disk is busy all the time ({load.disk:.0f} %)"),
    (lambda _l, o: o.all_cores >= FULL, "all cores are busy ({load.all_cores:.0f} %)"),
    (
        lambda _l, o: o.busiest_core >= FULL and o.all_cores < IDLE,
        "one core is busy ({load.busiest_core:.0f} %) while others idle",
    ),
    (lambda _l, _o: True, "the cores are {load.all_cores:.0f} % busy: parts wait for one another"),
)
WHO = {
    DECODE: "Decoding is",
    TREAT: "Treatments are",
    ENCODE: "The encoder is",
    SOUND: "Audio is",
    WRITE: "Writing is",
}


def _sentence(limit: str, resource: str, share: Mapping[str, float], saving: float | None) -> str:
    if not limit:
        lead = f"The two longest parts can't be told apart yet: neither is the limit for sure; {resource}."
    else:
        lead = f"{WHO[limit]} the limit; {resource}."
    if saving is None:
        return lead
    ahead = share.get(TREAT, share.get(DECODE, 0.0))
    if limit == ENCODE:
        return (
            f"{lead} Its frames would be ready in {100 * ahead:.0f} % of the time: a faster encoder or preset "
            f"can save up to {100 * saving:.0f} %."
        )
    if saving <= LITTLE:
        words = f"A faster encoder changes little here: it can save {100 * saving:.0f} % at most."
    else:
        words = f"A faster encoder can save {100 * saving:.0f} % at most."
    return f"{lead} The encoder would be done in {100 * share[ENCODE]:.0f} % of the time. {words}"
