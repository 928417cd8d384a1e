"""How exact a time is that Ovrik did not take itself."""

from typing import Any, TypeGuard

from ovrik.store.records import RunRecord


def doubt_words(run: RunRecord) -> str:
    """How a time that Ovrik did not drive was come by, and how exact it is; "" for one that it did."""
    if run.by_hand:
        brought = run.conditions.get("brought_in")
        source = (
            f", brought in from {brought.get('file')}, row {brought.get('row')}" if _holds(brought) else ""
        )
        return f"read in steps of {2 * run.doubt_s:g} s{source}"
    if not run.outside:
        return ""
    watched = run.conditions.get("watched")
    by = watched.get("began_by") if _holds(watched) else "nothing that is on file"
    return f"±{run.doubt_s:.2f} s: start by {by}, end by the file"


def _holds(value: object) -> TypeGuard[dict[str, Any]]:
    """Whether a condition is what it should be: a study from elsewhere may hold anything."""
    return isinstance(value, dict)
