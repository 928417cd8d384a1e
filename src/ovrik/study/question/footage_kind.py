"""Kinds of footage: a calm interview, fast sport, heavy effects, each an excerpt of a programme, by name."""

from dataclasses import dataclass

from ovrik.study.programme.excerpt import Excerpt

MOST_WEIGHT = 1000.0


@dataclass(frozen=True)
class FootageKind:
    """One of several kinds of footage of a study.

    Fields: `id`, the study file's number; `name`; `programme`, its checksum; `programme_name`; `excerpt`; `weight`
    in the verdict over all, 0 to leave it out."""

    id: int
    name: str
    programme: str
    programme_name: str
    excerpt: Excerpt
    weight: float = 1.0
