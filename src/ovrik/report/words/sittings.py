"""What changed between two sittings, in words and as plain values."""

from collections.abc import Sequence

import numpy as np

from ovrik.analysis.times.day_to_day import Shift
from ovrik.analysis.times.ratio import Ratio
from ovrik.report.words.numbers import NONE, ratio_words, saved_words, size_words
from ovrik.report.words.phrases import listed, table
from ovrik.report.words.reasons import damaged_words, first_reason, how_disturbed, reason_words
from ovrik.work.answers.sittings import (
    VMAF_STEP,
    Changed,
    Got,
    OverSittings,
    Sat,
    SittingPair,
    Worse,
    short_version,
)

SAID = {"faster": "faster", "slower": "slower", "tie": "same", "unsure": "can't tell"}
TOGETHER = (
    "Surer: time the old and the new build in one sitting, shuffled together, while both are still here "
    "(ovrik again STUDY --build OLD=NEW --together)."
)
SIZE_STEP = 2.0
"""Files larger or smaller by more than so many per cent are worth a word."""
HEAD = ("contender", "then s", "now s", "speed, 95 %", "answer", "size", "VMAF", "builds", "worse")


def shift_words(shift: Shift) -> str:
    """What is allowed for from day to day, and where that comes from."""
    if not shift.freedom:
        source = "stated: no sitting was repeated with nothing changed"
    else:
        repeated = int(shift.freedom) + 1
        source = f"from {repeated} sittings with nothing changed, and 3 % stated"
    return (
        f"From day to day all of a sitting is taken to shift by {100 * shift.spread:.1f} % ({source}): two sittings "
        f"differ by up to {100 * np.expm1(shift.reach):.1f} % with nothing changed (95 %)."
    )


def worse_words(w: Worse) -> str:
    """In what a contender got worse, and by how much."""
    return {
        Got.SLOWER: "slower",
        Got.WRONG: reason_words(w.reason) if w.reason else "",
        Got.SOFTER: f"VMAF lower by {w.by:.1f}",
        Got.LARGER: f"{100 * w.by:.0f} % larger",
    }[w.got]


def disturbed_in(sat: Sat) -> str:
    """How many runs of a sitting something else disturbed, and what of the study is damaged, in a clause; "" when
    nothing."""
    disturbed = how_disturbed(r for s in sat.evidence.summaries for r in s.runs)
    return "; ".join(filter(None, (disturbed, damaged_words(sat.evidence.facts))))


def answer_of(c: Changed) -> str:
    """One of the four answers, or why there is none."""
    if c.change is not None:
        return SAID[c.change.answer]
    lacking = "then" if not c.then.counted else "now"
    failed = c.now if lacking == "now" else c.then
    return f"failed {lacking}" if failed.reasons else f"not timed {lacking}"


NOTHING_IN_BOTH = "Nothing was timed in both."


def pair_words(pair: SittingPair) -> str:
    """What changed, in a few sentences."""
    return " ".join(pair_sentences(pair))


def pair_sentences(pair: SittingPair) -> list[str]:
    """What changed, the weightiest first: by codec where all of one give the same answer, by contender where not."""
    every = pair.changed
    if not every:
        return [NOTHING_IN_BOTH]
    groups = [group for found in _by_codec(every).items() for group in _groups(*found)]
    moved = [_moved(found, where) for answer, found, where in groups if answer in ("faster", "slower")]
    moved += [f"the same {_and(places)}"] if (places := _places(groups, "tie")) else []
    builds = pair.new_builds
    subject = "The new builds are" if len(builds) > 1 else "The new build is" if builds else "It is"
    out = [f"{subject} {listed_all(moved)}."] if moved else []
    if unsure := _places(groups, "unsure"):
        busy = [c for c in every if c.change and c.change.disturbed]
        why = "runs were disturbed: time it again on a quiet machine" if busy else "more rounds would tell"
        out.append(f"Whether anything changed {_and(unsure)} can't be told yet: {why}.")
    out += [*_outputs(every), *_wrong(every), *_treated(every)]
    return out or [NOTHING_IN_BOTH]


def _outputs(every: Sequence[Changed]) -> list[str]:
    """Where quality or size is another than it was."""
    out = []
    for words, found, step in (
        ("Mean VMAF is {} by {} {}.", [(c.label, c.quality) for c in every], VMAF_STEP),
        ("Files are {} by {} % {}.", [(c.label, c.size and 100 * (c.size - 1)) for c in every], SIZE_STEP),
    ):
        names = ("higher", "lower") if "VMAF" in words else ("larger", "smaller")
        for name, sign in zip(names, (1, -1), strict=True):
            some = [
                (label, sign * value) for label, value in found if value is not None and sign * value > step
            ]
            if some:
                values = sorted({f"{v:.1f}" for _l, v in some}, key=float)
                span = values[0] if len(values) == 1 else f"{values[0]} to {values[-1]}"
                out.append(words.format(name, span, f"with {listed([label for label, _v in some])}"))
    return out


def _treated(every: Sequence[Changed]) -> list[str]:
    """What new builds do otherwise with the treatments: no matter of their encoders."""
    labels: dict[str, list[str]] = {}
    for c in every:
        if c.treated:
            labels.setdefault(c.treated, []).append(c.label)
    return [f"{listed(some)}: {said}." for said, some in labels.items()]


def _wrong(every: Sequence[Changed]) -> list[str]:
    failed = [c.label for c in every if not c.now.counted and c.then.counted and c.now.reasons]
    every = [c for c in every if c.now.counted]
    wrong = [
        f"{c.label} is {'still' if c.then.faults else 'now'} wrong ({first_reason(c.now.faults)})"
        for c in every
        if c.now.faults
    ]
    mended = [c.label for c in every if c.then.faults and not c.now.faults and c.now.counted]
    out = [f"{'; '.join(wrong)}."] if wrong else []
    out += [f"{listed(failed)} failed this time."] if failed else []
    return out + ([f"{listed(mended)} {'is' if len(mended) == 1 else 'are'} right again."] if mended else [])


def listed_all(parts: Sequence[str]) -> str:
    """Parts of a sentence, none left out."""
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])}, and {parts[-1]}"


Group = tuple[str, list[Changed], str]
"""An answer, who gave it, and where that is: "in HEVC", "with x265 fast"."""


def _by_codec(every: Sequence[Changed]) -> dict[str, list[Changed]]:
    out: dict[str, list[Changed]] = {}
    for c in every:
        if c.change is not None:
            out.setdefault(c.now.contender.recipe.facts.codec_title, []).append(c)
    return out


def _groups(codec: str, found: list[Changed]) -> list[Group]:
    answers: dict[str, list[Changed]] = {}
    for c in found:
        assert c.change is not None
        answers.setdefault(c.change.answer, []).append(c)
    if len(answers) == 1:
        return [(next(iter(answers)), found, f"in {codec}")]
    return [(a, some, f"with {listed([c.label for c in some])}") for a, some in answers.items()]


def _places(groups: Sequence[Group], answer: str) -> list[str]:
    return [where for given, _found, where in groups if given == answer]


def _and(places: Sequence[str]) -> str:
    """ "in H.264 and HEVC, and with x265 fast"."""
    codecs = [p.removeprefix("in ") for p in places if p.startswith("in ")]
    parts = (
        [f"in {' and '.join([', '.join(codecs[:-1]), codecs[-1]] if len(codecs) > 1 else codecs)}"]
        if codecs
        else []
    )
    return ", and ".join([*parts, *(p for p in places if not p.startswith("in "))])


def _moved(found: list[Changed], where: str) -> str:
    gap = float(np.mean([np.log(c.change.ratio.value) for c in found if c.change]))
    ratio = Ratio(float(np.exp(gap)), None, None, 0)
    return f"×{ratio.value:.2f} as fast {where} ({saved_words(ratio)})"


def pair_text(pair: SittingPair, over: OverSittings) -> str:
    """Sentence, table and what else changed, ready to print."""
    then, now = pair.then.sitting, pair.now.sitting
    rows = [row_of(c) for c in pair.changed]
    lines = [f"Sitting {now.id} ({now.words}) against sitting {then.id} ({then.words})"]
    lines += [f"  Sitting {s.sitting.id}: {odd}." for s in (pair.now, pair.then) if (odd := disturbed_in(s))]
    lines += ["", *table([HEAD, *rows]), ""]
    lines += [f"  New build: {words}" for words in pair.new_builds]
    lines += [f"  {pair.unfair}"] if pair.unfair else ["  Nothing else about the machine changed."]
    lines.append(f"  {shift_words(over.shift)}")
    if pair.new_builds:
        lines.append(f"  {TOGETHER}")
    return "\n".join([*lines, "", pair_words(pair)])


def row_of(c: Changed) -> list[str]:
    """A contender's row under `HEAD`."""
    times = [f"{s.usual_s:.2f}" if s.usual_s is not None else NONE for s in (c.then, c.now)]
    size = size_words(c.now.bytes) + (f" ({100 * (c.size - 1):+.1f} %)" if c.size else "")
    vmaf = f"{c.now.vmaf.mean:.1f}" if c.now.vmaf else NONE
    quality = vmaf + (f" ({c.quality:+.1f})" if c.quality is not None else "")
    builds = c.build_words if c.new_build else short_version(c.build_now or c.build_then) or NONE
    speed = ratio_words(c.change.ratio) if c.change else NONE
    return [
        c.label,
        *times,
        speed,
        answer_of(c),
        size,
        quality,
        builds,
        "; ".join(map(worse_words, c.worse)) or NONE,
    ]
