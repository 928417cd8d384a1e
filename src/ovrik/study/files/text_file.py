"""Reading text that came from elsewhere: a regular file, of a size that text has, in UTF-8."""

from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.study.files.regular_file import regular

PLAN_BYTES = 4 << 20
LUT_BYTES = 64 << 20
TIMELINE_BYTES = 64 << 20


def visible(text: str) -> str:
    """The same text with control characters, and what is no character, written out."""
    return "".join(c if c.isprintable() else ascii(c)[1:-1] for c in text)


def read_text(path: Path, most: int = PLAN_BYTES, what: str = "a plan", errors: str = "strict") -> str:
    """The whole text. Raises OvrikError when it is no regular file, larger than `what` can be, or no text."""
    regular(path)
    try:
        with path.open("rb") as handle:
            data = handle.read(most + 1)
    except OSError as exc:
        raise OvrikError(f"{path} can't be read ({exc.strerror})", "Check its permissions") from None
    if len(data) > most:
        raise OvrikError(
            f"{path} is larger than {what} can be ({most >> 20} MiB)", "Check that it is the right file"
        )
    try:
        return data.decode("utf-8-sig", errors)
    except UnicodeDecodeError as exc:
        raise OvrikError(
            f"{path} can't be read as text ({exc.reason} at byte {exc.start})",
            f"Check that it is {what}, saved as UTF-8",
        ) from None
