"""A file that is there whole or not at all, whoever else writes it at the same time."""

import os
import threading
from pathlib import Path


def write_whole(place: Path, text: str) -> None:
    """Write a text, in UTF-8, and its folder where that is missing. Raises OSError."""
    place.parent.mkdir(parents=True, exist_ok=True)
    partial = place.with_name(f"{place.name}.{os.getpid()}-{threading.get_ident()}")
    partial.write_text(text, encoding="utf-8")
    partial.replace(place)
