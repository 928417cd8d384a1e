"""Where the demo's film lies. Apart from the film itself, which needs much more to be loaded."""

from pathlib import Path

import platformdirs

EDITION = 1
"""Raised when the film changes, so that an old one is not taken for it."""


def film_path() -> Path:
    """Where the film is, or will be."""
    return Path(platformdirs.user_cache_dir("ovrik")) / "demo" / f"casting-day-{EDITION}.mov"
