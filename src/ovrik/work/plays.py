"""Which outputs play in real time here, from what is on file."""

from collections.abc import Sequence

from ovrik.export.playback import FULL
from ovrik.store.records import PlaybackRecord


def plays_by_output(made: Sequence[PlaybackRecord]) -> dict[tuple[int, str], bool]:
    """Whether every round of one stream held when an output was played last, by contender and checksum."""
    out: dict[tuple[int, str], bool] = {}
    for one in made:
        if one.output_sha256 and (one.size, one.streams) == (FULL, 1):
            key = one.contender_id, one.output_sha256
            held = bool(one.paces) and all(p.held for p in one.paces)
            out[key] = held and (one.round == 1 or out.get(key, True))
    return out
