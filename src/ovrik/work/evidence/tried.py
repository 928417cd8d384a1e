"""Which outputs play in real time here, and which nobody could tell from the reference, from what is on file."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ovrik.analysis.scores.blind import NEITHER, OPEN, told
from ovrik.export.command.playback import FULL
from ovrik.store.records.made import PlaybackRecord
from ovrik.study.facts.notes import REFERENCE, Blind


@dataclass(frozen=True)
class Tried:
    """What was tried of outputs. Fields: `plays`, as `plays_by_output` gives it; `blinds`, blind comparisons."""

    plays: Mapping[tuple[int, str], bool]
    blinds: Sequence[Blind]


def unseen_by(blinds: Sequence[Blind], output_sha256: str, reference: str) -> bool | None:
    """Whether nobody could tell an output from the reference: by the last comparison of each viewer that came to an
    end; None without any."""
    last: dict[str, bool] = {}
    for one in blinds:
        if {one.one, one.other} != {output_sha256, REFERENCE} or one.reference != reference:
            continue
        answer = told([c.chose_one for c in one.choices], one.most).answer
        if answer != OPEN:
            last[one.viewer] = answer == NEITHER
    return all(last.values()) if last else None


def plays_by_output(made: Sequence[PlaybackRecord]) -> dict[tuple[int, str], bool]:
    """Whether every round of one stream held when an output was played last, by contender and checksum."""
    out: dict[tuple[int, str], bool] = {}
    for one in made:
        if one.output_sha256 and (one.size, one.streams) == (FULL, 1):
            key = one.contender_id, one.output_sha256
            held = bool(one.paces) and all(p.held for p in one.paces)
            out[key] = held and (one.round == 1 or out.get(key, True))
    return out
