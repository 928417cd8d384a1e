"""Making many objects at once without having them gone through again and again."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def collecting_later() -> Iterator[None]:
    """Puts off the search for circles of objects: of thousands of plain values none is in one, and every search goes
    through all that is there, the libraries' objects included. It was half the time of a large grid."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()
