"""What a trial export says of how exactly a program can be timed, in words."""

from ovrik.outside.starts import FIRST_BYTE, LOAD, SHOWN_BEFORE, WINDOW, WORKER
from ovrik.outside.watch import KEY, OutsideTime
from ovrik.report.words.reasons import doubt_words, only_bounds
from ovrik.store.records.run import RunRecord

SURE = {
    KEY: "you pressed the start key, and its end is the file's",
    LOAD: "its work before the first byte was seen to begin",
    FIRST_BYTE: "it was at rest until it wrote its first byte",
    WORKER: "the process that wrote the file was started for it",
    WINDOW: "its window shows how far it has come",
    SHOWN_BEFORE: "it was woken as long before as in an export with the start key",
}
"""Why a time is exact, by how its start was found."""
UNNAMED = "no program was named, so what it did before its first byte was not seen"
HELPS_UNNAMED = "Name the program when you arm, or press the start key as you begin"
HELPS = "Press the start key as you begin; once may do for the exports after it too"


def trial_words(found: OutsideTime, named: bool) -> str:
    """How exactly exports of this program can be timed here, and why; `named`, whether it was known which it is."""
    who, (low, high) = found.program or "it", found.bounds_s
    if not found.lead_s:
        near = f"{found.wall_s:.2f} s, known to {found.doubt_s:.2f} s either way"
        return f"Trial: {who} took {near}: {SURE[found.began_by]}. It was not kept; the next export is."
    why = (
        UNNAMED
        if not named
        else f"it was woken up to {found.lead_s:.1f} s before it was seen at work; that may have been your press"
    )
    helps = HELPS if named else HELPS_UNNAMED
    return f"Trial: {who} took between {low:.1f} and {high:.1f} s: {why}. {helps}. It was not kept."


def kept_words(run: RunRecord) -> str:
    """What a watched export took, how that is known, and who wrote it; of one of which only bounds are known no other
    time is said."""
    known = doubt_words(run) if only_bounds(run) else f"{run.wall_s:.2f} s, {doubt_words(run)}"
    return f"{known}{written_by(run.conditions.get('watched'))}"


def written_by(watched: object) -> str:
    """Which program wrote an export, and which version, in a clause; "" where that was not seen."""
    if not isinstance(watched, dict) or not watched.get("program"):
        return ""
    package = watched.get("package")
    return f", written by {watched['program']}" + (f" ({package})" if package else "")
