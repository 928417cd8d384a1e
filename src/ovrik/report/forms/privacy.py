"""What is passed on without the names of folders, users and hosts."""

import re
from pathlib import PurePath
from typing import Any

PLACES = re.compile(
    r"(?<![\w/])/(?:home|root|media|mnt|run|tmp|var|srv|opt|data|Users|Volumes|work)/[^\s'\",;]*"
)
"""A path in the middle of a text, by the folders that people keep films in; up to the next space or quote."""
INSIDE = re.compile(r"(?<==)(/[^:'\",]+/)")


def bare_argument(argument: str) -> str:
    """An argument of a command without the folders of the files that it names."""
    if "/" not in argument:
        return argument
    head, between, rest = argument.partition("file:")
    if between and rest.startswith("/"):
        return f"{head}file:{PurePath(rest).name}"
    return PurePath(argument).name if argument.startswith("/") else bare_text(INSIDE.sub("", argument))


def bare_text(text: str) -> str:
    """A text in which paths are only names of files."""
    return PLACES.sub(lambda found: PurePath(found[0]).name, text)


def bare(value: Any) -> Any:
    """Plain values with every text in them made bare; keys stay."""
    if isinstance(value, dict):
        return {k: bare(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [bare(v) for v in value]
    return bare_argument(value) if isinstance(value, str) else value
