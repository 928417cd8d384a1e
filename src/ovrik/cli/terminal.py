"""What goes to and comes from the terminal: rows, JSON, one line of progress, signals."""

import argparse
import contextlib
import json
import signal
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from typing import Any, TextIO

from ovrik.errors import Ask

DONE, PARTLY, BAD_INPUT = 0, 1, 2


def printable(text: str) -> str:
    """The same text with control characters made visible, line breaks and tabs aside: a title from elsewhere must not
    move a terminal's cursor, or rewrite what stands there."""
    return "".join(c if c in "\n\t" or c.isprintable() else ascii(c)[1:-1] for c in text)


def say(text: str) -> None:
    """Print text that may hold words from elsewhere."""
    print(printable(text))


class YesNo:
    """Where JSON goes. Fields: `stream`, None for standard output; `given`, whether there was any."""

    stream: TextIO | None = None
    given = False


@contextlib.contextmanager
def answering() -> Iterator[None]:
    """Within, standard output holds JSON and nothing else: all other words go to standard error."""
    YesNo.stream, YesNo.given = sys.stdout, False
    try:
        with contextlib.redirect_stdout(sys.stderr):
            yield
    finally:
        YesNo.stream = None


def print_json(value: Any) -> None:
    """Print a value as JSON. What is not finite is null, which JSON can hold."""
    from ovrik.report.forms.plain import plain

    said = json.dumps(plain(value), indent=2, ensure_ascii=False, allow_nan=False)
    print(printable(said), file=YesNo.stream)
    YesNo.given = True


def answered(chosen: argparse.Namespace, value: Any, words: str = "") -> None:
    """Say what came of it: JSON where that was asked for, else words."""
    if chosen.json:
        print_json(value)
    elif words:
        say(words)


def print_rows(rows: Sequence[tuple[str, str]]) -> None:
    """Names and values, aligned."""
    width = max(len(name) for name, _ in rows)
    for name, value in rows:
        say(f"{name:<{width}}  {value}")


def stop_on_signal() -> Ask:
    """Ctrl+C and SIGTERM end the current run and keep what is finished."""
    asked: list[int] = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda got, _frame: asked.append(got))
    return lambda: bool(asked)


class ProgressLine:
    """One line of progress: rewritten on a terminal, a line for each ended run elsewhere."""

    def __init__(self) -> None:
        self._live = sys.stdout.isatty()
        self._go_on: Callable[[], None] = lambda: None
        with contextlib.suppress(ValueError):  # only the main thread hears signals
            signal.signal(signal.SIGQUIT, lambda _got, _frame: self._go_on())
        self._last = 0.0
        self._width = 0

    def timing(self, update: Any) -> None:
        """Show a moment of timing."""
        from ovrik.report.words.phrases import left_words
        from ovrik.report.words.progress import rest_words, waiting_words, where_words

        head = f"[{update.number}/{update.total}] {update.label}, {where_words(update)}"
        rest = rest_words(update.rest)
        left = left_words(update.left) + (f"; {rest}" if rest else "")
        if update.preparing:
            self._show(f"[{update.number}/{update.total}] {update.preparing}", keep=update.progress is None)
        elif update.waiting:
            self._go_on = update.waiting.go_on
            self._show(f"{head}: {waiting_words(update.waiting)}; Ctrl+\\ goes on now")
        elif update.ended:
            why = f": {update.reason}" if update.reason else ""
            self._show(f"{head}: {update.ended}{why}; {left}", keep=True)
        elif update.progress:
            p = update.progress
            share = 100 * min(p.frame / update.frames, 1)
            self._show(f"{head}: {share:.0f} %, frame {p.frame}, {p.fps:.0f} fps; {left}")

    def scoring(self, update: Any) -> None:
        """Show a moment of scoring."""
        self._show(f"{update.what}: {100 * update.share:.0f} %", keep=bool(update.ended))

    def probing(self, share: float, what: str) -> None:
        """Show how far trials or a fetch have come, on standard error: the answer goes to standard output. A share
        below 0 is not known."""
        if sys.stderr.isatty():
            far = f": {100 * share:.0f} %" if share >= 0 else ""
            print(f"\r{what}{far}".ljust(60), end="\n" if share == 1 else "", file=sys.stderr, flush=True)

    def _show(self, text: str, keep: bool = False) -> None:
        if not keep and (not self._live or time.monotonic() - self._last < 0.25):
            return
        self._last = time.monotonic()
        lead, text = "\r" if self._live else "", printable(text)
        print(lead + text.ljust(self._width), end="\n" if keep or not self._live else "", flush=True)
        self._width = 0 if keep else len(text)

    def end(self) -> None:
        """Leave the line."""
        if self._live and self._width:
            print()
