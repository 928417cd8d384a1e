"""Dataclasses from plain values of JSON or TOML, checked against the types of their fields."""

from collections.abc import Mapping
from functools import cache
from typing import Any, TypeVar

from pydantic import ConfigDict, TypeAdapter

CLOSED = ConfigDict(extra="forbid", allow_inf_nan=False)
"""For `__pydantic_config__` of a dataclass whose unknown fields are an error."""
OPEN = ConfigDict(extra="ignore", allow_inf_nan=False)
"""For one that passes over fields it does not know."""

Plain = TypeVar("Plain")


@cache
def _adapter(kind: type[Any]) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def from_plain(kind: type[Plain], values: Mapping[str, Any]) -> Plain:
    """A dataclass from plain values. Raises ValueError naming the field that can't be."""
    made: Plain = _adapter(kind).validate_python(values)  # type: ignore[arg-type]
    return made
