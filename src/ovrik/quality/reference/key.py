"""Names a reference by what it shows, and says where it lies."""

import hashlib
from pathlib import Path

from ovrik.store.records.study_facts import StudyFacts
from ovrik.study.contender.delivery import Delivery, delivery
from ovrik.study.files.kept import cache_folder
from ovrik.study.programme.excerpt import Excerpt
from ovrik.study.programme.programme import Programme

MAKING = 2
"""Raised when the way a reference is made changes, so that old ones are not taken for new."""


def references_folder() -> Path:
    """Where references are kept."""
    return cache_folder("references")


def reference_key(programme: Programme, excerpt: Excerpt, wanted: Delivery | None = None) -> str:
    """Names a reference by what it shows: programme, excerpt and, where they are others than the
    programme's own, delivery size and rate."""
    said = f"{MAKING}|{programme.checksum}|{excerpt.start_frame}|{excerpt.frames}"
    if any(c.rgb for c in programme.clips):
        said += "|Y'CbCr"  # once their matrix was whatever a build assumed
    own = delivery(programme, excerpt)
    if wanted and (wanted.width, wanted.height, wanted.rate) != (own.width, own.height, own.rate):
        said += f"|{wanted.width}x{wanted.height}|{wanted.rate}"
    return hashlib.sha256(said.encode()).hexdigest()[:20]


def reference_path(
    programme: Programme, excerpt: Excerpt, wanted: Delivery | None = None, by: str = ""
) -> Path:
    """Where the reference is, or will be; or the same frames as another build treats them, by its identity."""
    name = reference_key(programme, excerpt, wanted)
    if by:
        name += f"-{hashlib.sha256(by.encode()).hexdigest()[:12]}"
    return references_folder() / f"{name}.mkv"


def key_of(facts: StudyFacts, programme: Programme, wanted: Delivery) -> str:
    """Names what an output that was asked for so is judged against."""
    made = reference_key(programme, facts.excerpt, wanted)
    named = facts.conduct.reference_checksum
    return hashlib.sha256(f"{named}|{made}".encode()).hexdigest()[:20] if named else made


def reference_file(facts: StudyFacts, programme: Programme, wanted: Delivery | None) -> Path:
    """Where it lies, or will when it has been made."""
    if facts.conduct.reference:
        return Path(facts.conduct.reference)
    return reference_path(programme, facts.excerpt, wanted)
