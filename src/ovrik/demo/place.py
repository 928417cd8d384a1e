"""Where the demo's film lies. Apart from the film itself, which needs much more to be loaded."""

from pathlib import Path

from ovrik.study.files.kept import cache_folder

EDITION = 1
"""Raised when the film changes, so that an old one is not taken for it."""


def film_path() -> Path:
    """Where the film is, or will be."""
    return cache_folder("demo", f"casting-day-{EDITION}.mov")
