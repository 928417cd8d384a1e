"""Where errors that nobody foresaw are written down, so that they can be passed on."""

import time
import traceback
from pathlib import Path

import platformdirs

MOST_BYTES = 1 << 20


def log_file() -> Path:
    """The file that they go to."""
    return Path(platformdirs.user_log_dir("ovrik")) / "errors.log"


NO_MEMORY = "There is not enough memory for this. Close other programs and go on: what had ended is kept"


def _out_of_memory(error: BaseException) -> bool:
    # Libraries say it in words of their own.
    words = str(error).lower()
    return (
        isinstance(error, MemoryError) or "insufficient memory" in words or "cannot allocate memory" in words
    )


def note(error: BaseException) -> str:
    """Write an error down with its traceback; gives one line to show, which says where. That there was no memory left
    is no error of Ovrik's."""
    if _out_of_memory(error):
        return NO_MEMORY
    words = f"{type(error).__name__}: {error}".splitlines()[0][:200]
    text = "".join(traceback.format_exception(error))
    place = log_file()
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        if place.exists() and place.stat().st_size > MOST_BYTES:
            place.replace(place.with_suffix(".old.log"))
        with place.open("a", encoding="utf-8", errors="backslashreplace") as out:
            out.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')}\n{text}\n")
    except OSError:
        return f"An error in Ovrik itself ({words})"
    return f"An error in Ovrik itself ({words}); it is written down in {place}"
