"""What tells labels apart."""

import itertools
from collections.abc import Iterable


def shared_words(labels: Iterable[str]) -> dict[str, int]:
    """By label, of how many characters its beginning is that another label has too, whole words only: "x264 medium,
    OpenCL" beside "x264 medium" shares 11."""
    ordered = sorted(set(labels))
    found = dict.fromkeys(ordered, 0)
    for one, other in itertools.pairwise(ordered):
        same = _same(one, other)
        for label in (one, other):
            found[label] = max(found[label], same)
    return found


def _same(one: str, other: str) -> int:
    """Characters that two labels begin with alike, up to the end of a word."""
    words, said = one.split(" "), other.split(" ")
    alike = 0
    for word, theirs in zip(words, said, strict=False):
        if word.rstrip(",") != theirs.rstrip(","):
            break
        alike += len(word) + 1
    return min(alike, len(one), len(other))


def apart(label: str, shared: int) -> str:
    """The label without what others begin with too, "" where nothing else is left: "… OpenCL"."""
    rest = label[shared:].lstrip(" ,")
    return f"… {rest}" if shared and rest else ""
