"""Values as JSON can hold them."""

import math
from collections.abc import Mapping
from pathlib import PurePath
from typing import Any


def plain(value: Any) -> Any:
    """The same of dicts, lists, texts and numbers: a number that is infinite or none is null, an array a list, a
    dataclass the dict of its fields."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if value is None or isinstance(value, (str, int)):
        return value
    if isinstance(value, Mapping):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple, set, frozenset)):
        return [plain(v) for v in value]
    if isinstance(value, PurePath):
        return str(value)
    if hasattr(value, "tolist"):
        return plain(value.tolist())
    return plain(vars(value)) if hasattr(value, "__dict__") else str(value)
