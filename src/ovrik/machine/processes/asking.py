"""A program is asked something brief: its whole answer, and nothing of it left at work afterwards."""

import itertools
import os
import selectors
import signal
import subprocess
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import IO

from ovrik.machine.processes.guard import stand_guard
from ovrik.machine.processes.strays import MARK, marking, new_mark, number_of, own_mark, signal_all, strays

MOST_OUT, MOST_LOG = 64 << 20, 256 << 10
"""Bytes of standard output and of a log that are kept; who writes more output is ended."""
PIECE = 1 << 16
LET_GO_S = 0.5
"""What a program that has ended may leave in its pipes is read for this long."""
_NUMBERS = itertools.count(1 << 19)
"""Beside those of exports, which are marked by numbers from 0."""


@dataclass(frozen=True)
class Replied:
    """What a program answered. Fields: exit `code`, None when it gave no answer in time; `out`, its standard output;
    `log`, all that it wrote to standard error, the middle of a very long one left out."""

    code: int | None
    out: bytes
    log: str

    @property
    def text(self) -> str:
        """Standard output as text."""
        return self.out.decode("utf-8", "replace")


def ask(arguments: Sequence[str], timeout_s: float) -> Replied:
    """Run an argument list for at most so many seconds; all that it started is ended with it.

    Raises OSError when it can't be started.
    """
    mark = new_mark(next(_NUMBERS))
    stand_guard(MARK, own_mark(), number_of(f"{own_mark()}0"))
    with marking(mark):
        child = subprocess.Popen(
            arguments,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            start_new_session=True,
            env={**os.environ, MARK: mark},
        )
    heard = _Heard(child)
    try:
        in_time = heard.to_the_end(time.monotonic() + timeout_s)
    finally:
        signal_all(strays(mark), signal.SIGKILL)
        child.kill()
        child.wait()
        heard.close()
    return Replied(child.returncode if in_time else None, bytes(heard.out), heard.log)


@dataclass
class _Heard:
    """Both streams of a child while they are read."""

    child: "subprocess.Popen[bytes]"
    out: bytearray = field(default_factory=bytearray)
    _head: bytearray = field(default_factory=bytearray)
    _tail: bytearray = field(default_factory=bytearray)
    _left_out: int = 0

    @property
    def log(self) -> str:
        said = f"\n… {self._left_out} bytes left out …\n".encode() if self._left_out else b""
        return bytes(self._head + said + self._tail).decode("utf-8", "replace")

    def to_the_end(self, until: float) -> bool:
        """Read until the child is gone and has no more to say; whether it came to that in time."""
        with selectors.DefaultSelector() as streams:
            for stream in (self.child.stdout, self.child.stderr):
                assert stream
                os.set_blocking(stream.fileno(), False)
                streams.register(stream, selectors.EVENT_READ)
            gone = None
            while streams.get_map():
                now = time.monotonic()
                if gone is None and self.child.poll() is not None:
                    gone = now + LET_GO_S
                if now > until or len(self.out) > MOST_OUT:
                    return False
                if gone and now > gone:
                    return True  # something it started holds its pipes, and has nothing to do with the answer
                for ready, _events in streams.select(0.05):
                    self._read(ready.fileobj, streams)  # type: ignore[arg-type]
            return self._ended(until)

    def _ended(self, until: float) -> bool:
        try:
            self.child.wait(max(0.0, until - time.monotonic()))
        except subprocess.TimeoutExpired:
            return False
        return True

    def _read(self, stream: IO[bytes], streams: selectors.BaseSelector) -> None:
        piece = os.read(stream.fileno(), PIECE)
        if not piece:
            streams.unregister(stream)
        elif stream is self.child.stdout:
            self.out += piece
        else:
            self._take_log(piece)

    def _take_log(self, piece: bytes) -> None:
        room = max(0, MOST_LOG // 4 - len(self._head))
        self._head += piece[:room]
        self._tail += piece[room:]
        over = len(self._tail) - 3 * MOST_LOG // 4
        if over > 0:
            self._left_out += over
            del self._tail[:over]

    def close(self) -> None:
        for stream in (self.child.stdout, self.child.stderr):
            assert stream
            stream.close()
