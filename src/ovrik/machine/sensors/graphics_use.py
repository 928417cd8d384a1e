"""What a program uses of graphics devices, as the kernel counts it for each of their clients (drm-usage-stats)."""

import os
import re
from collections.abc import Iterable
from pathlib import Path

PROC = Path("/proc")
DEVICES = "/dev/dri/"
ENGINE = re.compile(r"^drm-engine-(?!capacity)[^:]+:\s+(\d+) ns", re.MULTILINE)
CLIENT = re.compile(r"^drm-(?:client-id|pdev):\s+(\S+)", re.MULTILINE)
LOOK_EVERY = 10
"""Samples after which it is looked for devices that were opened meanwhile: going through all files takes longer."""


class GraphicsUse:
    """Seconds that the engines of graphics devices worked for some processes, summed over engines."""

    def __init__(self, proc: Path = PROC) -> None:
        self._proc, self._open, self._count = proc, dict[int, list[str]](), 0
        self.counted = False
        """Whether the kernel counts the use of any device that these processes had open."""

    @property
    def there(self) -> bool:
        """Whether this machine has any such device."""
        return os.path.isdir(DEVICES)

    def seconds(self, pids: Iterable[int]) -> float:
        """Up to now. A client that several processes share counts once; what can't be read counts nothing."""
        self._count += 1
        if self._count % LOOK_EVERY == 1:
            self._open.clear()
        clients: dict[tuple[str, ...], float] = {}
        for pid in pids:
            for name in self._devices(pid):
                try:
                    text = (self._proc / str(pid) / "fdinfo" / name).read_text()
                except OSError:
                    continue
                engines = ENGINE.findall(text)
                self.counted = self.counted or bool(engines)
                used = sum(int(ns) for ns in engines) / 1e9
                who = tuple(CLIENT.findall(text)) or (str(pid), name)
                clients[who] = max(clients.get(who, 0.0), used)
        return sum(clients.values())

    def _devices(self, pid: int) -> list[str]:
        """The files of a process that are graphics devices."""
        if pid not in self._open:
            folder = self._proc / str(pid) / "fd"
            try:
                self._open[pid] = [n for n in os.listdir(folder) if _target(folder / n).startswith(DEVICES)]
            except OSError:
                self._open[pid] = []
        return self._open[pid]


def _target(link: Path) -> str:
    try:
        return os.readlink(link)
    except OSError:
        return ""
