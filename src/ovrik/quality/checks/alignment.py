"""What an output shows beside the reference: the same frames, other ones of the programme, or something else."""

import threading
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from ovrik.analysis.signals.alignment import Aligned, aligned, inside, margins, normal, paired, same_coarsely
from ovrik.analysis.signals.geometry import Geometry
from ovrik.errors import Ask
from ovrik.quality.checks.conformity import same_rate
from ovrik.quality.checks.miniatures import SIZE, Miniatures, miniatures, small_of
from ovrik.quality.checks.placing import moved_words, placed
from ovrik.quality.decode.frame_index import decoded_frames
from ovrik.study.clip.footage import Footage
from ovrik.study.files.checksum import checksum_now
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import writing
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import GAP, Programme

Edges = tuple[float, float, float, float]
NONE: Edges = (0.0, 0.0, 0.0, 0.0)
LEAST_BAR = 0.01
"""Share of a side from which a black edge that the reference has not counts as a bar."""
BETTER = 0.02
"""By so much the pictures must be more alike without bars."""
COMPARED = (64, 36)
MOST_SEARCHED = 30_000
"""Frames of a programme that are looked through for where an output comes from."""


@dataclass(frozen=True)
class Match:
    """How an output lies beside its reference.

    Fields: `lag`, its frame k + lag shows the reference's frame k; `overlap`, frames that both have; `likeness`, −1
    to 1; `own_edges`, `edges`, black bars of output and reference that are left out (top, bottom, left, right, as
    shares), all 0 where the whole pictures belong together; `faults`, each in a clause; `shown`, whether both show
    the same at all, so that quality means something; `moved`, where the output's picture lies within the frame if not
    in its place, in pixels of the miniatures that are compared; `told`,
    whether enough can be seen to say that both show the same.
    """

    lag: int
    overlap: int
    likeness: float
    own_edges: Edges = NONE
    edges: Edges = NONE
    faults: tuple[str, ...] = ()
    shown: bool = True
    moved: Geometry | None = None
    told: bool = True

    @property
    def plain(self) -> bool:
        """Whether frames and pictures lie beside one another as they are."""
        return not self.lag and self.own_edges == self.edges == NONE


def match(
    output: Miniatures, rate: Fraction, reference: Miniatures, wanted_rate: Fraction, anywhere: bool = False
) -> Match:
    """Lay an output of a `rate` beside a reference of the wanted one. With `anywhere`, the reference may be longer
    than what was asked for, and where the output lies in it is no fault."""
    mine, together = resampled(output, rate, wanted_rate), same_rate(rate, wanted_rate)
    count = output.count if together else round(output.count * wanted_rate / rate)
    expected = None if anywhere else 0
    least = max(2, min(len(mine), len(reference.head)) // 2)
    plain = _aligned(mine, reference.head, NONE, NONE, least, expected)
    found, edges = plain, (NONE, NONE)
    bars = margins(output.rows, output.columns), margins(reference.rows, reference.columns)
    if max(a - b for a, b in zip(*bars, strict=True)) > LEAST_BAR:
        without = _aligned(mine, reference.head, *bars, least, expected)
        if without.likeness > (plain.likeness if np.isfinite(plain.likeness) else -1) + BETTER:
            found, edges = without, bars
    if not np.isfinite(found.likeness):
        return Match(0, paired(count, reference.count, 0)[1], found.likeness, told=False)
    if not found.same and not anywhere:
        found = _coarsely(found, mine, reference.head, edges)
    lies = None if anywhere else placed(mine, reference.head, found, edges, output.width, reference.width)
    if isinstance(lies, str):
        return Match(0, paired(count, reference.count, 0)[1], found.likeness, faults=(lies,), shown=False)
    if lies:
        found = replace(found, lag=0, likeness=lies.after)
    overlap = paired(count, reference.count, found.lag)[1]
    if not found.same:
        return Match(found.lag, overlap, found.likeness, shown=False)
    faults = [] if anywhere else _lag_faults(found, edges, output, reference, together)
    if edges[0] != edges[1]:
        faults.append(_bar_words(output, edges))
    if lies:
        faults.append(moved_words(lies, output.width, output.height))
    return Match(
        found.lag, overlap, found.likeness, *edges, tuple(faults), moved=lies, told=not found.coarsely
    )


def _coarsely(found: Aligned, mine: np.ndarray, theirs: np.ndarray, edges: tuple[Edges, Edges]) -> Aligned:
    """Frame beside frame, if that is the same as far as coarse coding lets one see."""
    count = min(len(mine), len(theirs))
    a, b = inside(mine[:count], edges[0], COMPARED), inside(theirs[:count], edges[1], COMPARED)
    return replace(found, lag=0, certain=False, coarsely=True) if same_coarsely(a, b) else found


def _aligned(
    mine: np.ndarray, theirs: np.ndarray, own: Edges, edges: Edges, least: int, expected: int | None
) -> Aligned:
    return aligned(
        normal(inside(mine, own, COMPARED)), normal(inside(theirs, edges, COMPARED)), least, expected
    )


def resampled(output: Miniatures, rate: Fraction, wanted: Fraction) -> np.ndarray:
    """The first miniatures at another rate: of each moment the frame that stands then."""
    if same_rate(rate, wanted) or not len(output.head):
        return output.head
    count = int(len(output.head) * wanted / rate)
    return output.head[[int(k * rate / wanted) for k in range(count)]]


def _lag_faults(
    found: Aligned, edges: tuple[Edges, Edges], output: Miniatures, reference: Miniatures, together: bool
) -> list[str]:
    out = []
    if found.lag:
        how = "before the excerpt" if found.lag > 0 else "into the excerpt"
        out.append(f"it begins {_frames(abs(found.lag))} {how}")
    end = _end_lag(output, reference, edges) if together else None
    if end is not None and end != found.lag:
        gone, many = end < found.lag, abs(end - found.lag)
        verb = "is" if many == 1 else "are"
        out.append(
            f"{_frames(many)} {verb} {'missing from' if gone else 'repeated in or added to'} its middle"
        )
    return out


LAST = 16
"""So many of an output's last frames are laid beside the last of the reference."""


def _end_lag(output: Miniatures, reference: Miniatures, edges: tuple[Edges, Edges]) -> int | None:
    """The lag of the last frames beside the reference's last; None where that can't be seen."""
    ours, theirs = _last(output, LAST), _last(reference, 3 * LAST)
    if len(ours) < LAST or output.count != reference.count:
        return None
    a, b = (normal(inside(m, e, COMPARED)) for m, e in zip((ours, theirs), edges, strict=True))
    expected = len(ours) - len(theirs)
    found = aligned(a, b, LAST // 2, expected)
    return found.lag - expected if found.same and found.certain else None


def _last(m: Miniatures, count: int) -> np.ndarray:
    return (m.tail if len(m.tail) >= count else np.concatenate([m.head, m.tail]))[-count:]


def _frames(count: int) -> str:
    return f"{count} frame{'s' * (count != 1)}"


def _bar_words(output: Miniatures, edges: tuple[Edges, Edges]) -> str:
    top, bottom, left, right = edges[0]
    width, height = round(output.width * (1 - left - right)), round(output.height * (1 - top - bottom))
    return f"its picture fills {width}×{height} of {output.width}×{output.height}: the rest are black bars"


HANDFUL = 12
"""Frames by which an export may begin early or late; one that is further off is looked for in all of the
programme."""


def doubtful(found: Match) -> bool:
    """Whether an output may show another part of the programme."""
    return not found.shown or abs(found.lag) > HANDFUL


def whose(
    output: Miniatures, rate: Fraction, programme: Programme, should_stop: Ask = lambda: False
) -> range | None:
    """Which frames of a programme an output shows, None where it shows none of them; treatments are not looked at.
    Raises OvrikError when a clip can't be read, Stopped."""
    mine = normal(inside(resampled(output, rate, programme.rate), NONE, COMPARED))
    every = normal(inside(programme_miniatures(programme, should_stop), NONE, COMPARED))
    found = aligned(mine, every, max(2, min(len(mine), len(every)) // 2), None)
    if not found.same:
        return None
    first, count = paired(len(mine), len(every), found.lag)
    return range(first, first + count)


def elsewhere_words(shown: range | None, excerpt: Excerpt) -> str:
    """What an output shows instead of the excerpt, in a clause."""
    if shown is None:
        return "it does not show the excerpt, nor anything else of the programme"
    asked = f"{excerpt.start_frame} to {excerpt.end_frame - 1}"
    return f"it shows frames {shown.start} to {shown.stop - 1} of the programme, not {asked}"


def programme_miniatures(programme: Programme, should_stop: Ask = lambda: False) -> np.ndarray:
    """Miniatures of the clips' frames in the order in which a programme shows them, at most 30,000."""
    wanted = [programme.source_of(n) for n in range(min(programme.frames, MOST_SEARCHED))]
    small: dict[tuple[int, int], np.ndarray] = {}
    for number, clip in enumerate(programme.clips):
        places = {frame for c, frame in wanted if c == number}
        for frame, picture in _of_clip(clip, places, should_stop):
            small[number, frame] = picture
    black = np.zeros((SIZE[1], SIZE[0]), np.uint8)
    return np.stack([small.get(w, black) if w[0] != GAP else black for w in wanted])


def _of_clip(clip: Footage, places: set[int], should_stop: Ask) -> Iterator[tuple[int, np.ndarray]]:
    if not places:
        return
    last = max(places)
    for number, frame in enumerate(decoded_frames(Path(clip.path))):
        if number > last or should_stop():
            return
        if number in places:
            yield number, small_of(_upright(frame, clip))


def _upright(frame: av.VideoFrame, clip: Footage) -> av.VideoFrame:
    if not clip.rotation:
        return frame
    pixels = np.rot90(frame.reformat(format="gray").to_ndarray(), -clip.rotation // 90)
    return av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels, np.uint8), format="gray")


EDITION = 4
"""Raised when miniatures are made another way, so that old ones are not taken for new."""


def kept_miniatures(reference: Path, should_stop: Ask = lambda: False) -> Miniatures:
    """Those of a reference, kept in the cache by its checksum."""
    mark = f"{EDITION}-{checksum_now(reference).rsplit(':', 1)[-1][:40]}"
    place = cache_folder("references", "miniatures") / f"{mark}.npz"
    with _MAKING:  # outputs are checked at once: the first makes them, the others read them
        return _read(place) or _made(reference, place, should_stop)


_MAKING = threading.Lock()


def _read(place: Path) -> Miniatures | None:
    try:
        with np.load(place, allow_pickle=False) as kept:
            return _kept({name: kept[name] for name in kept.files})
    except (OSError, ValueError, KeyError):
        return None


def _made(reference: Path, place: Path, should_stop: Ask) -> Miniatures:
    made = miniatures(reference, should_stop)
    with suppress(OSError), writing(place) as handle:  # a full cache costs another decode, nothing else
        np.savez(
            handle,
            facts=np.array([made.count, made.width, made.height]),
            head=made.head,
            tail=made.tail,
            rows=made.rows,
            columns=made.columns,
            looked=made.looked,
            colours=made.colours,
            even=np.array(np.nan if made.even is None else made.even),
        )
    return made


def _kept(found: dict[str, np.ndarray]) -> Miniatures:
    count, width, height = (int(v) for v in found["facts"])
    even = float(found["even"])
    return Miniatures(
        count=count,
        head=found["head"],
        tail=found["tail"],
        rows=found["rows"],
        columns=found["columns"],
        width=width,
        height=height,
        looked=found["looked"],
        colours=found["colours"],
        even=None if np.isnan(even) else even,
    )
