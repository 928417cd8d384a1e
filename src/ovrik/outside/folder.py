"""Sightings of a folder: from the kernel where it reports changes, else by looking again and again."""

import os
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import psutil
from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

from ovrik.errors import OvrikError
from ovrik.outside.sightings import CLOSED, CREATED, DELETED, GREW, MOVED, Sighting

LOOK_EVERY_S = 0.25
REPORT_DOUBT_S = 0.02
"""A report of the kernel comes at once; Ovrik's own threads may keep it waiting a little."""
QUIET_S = 0.5
NETWORK = frozenset({"nfs", "nfs4", "cifs", "smb3", "smbfs", "fuse.sshfs", "9p", "afs", "ceph", "glusterfs"})
KINDS = {"created": CREATED, "modified": GREW, "closed": CLOSED, "deleted": DELETED, "moved": MOVED}
Take = Callable[[Sighting], None]


def on_network(folder: Path) -> bool:
    """Whether a folder lies on a drive of another machine, whose changes this kernel does not hear of."""
    mounts = sorted(psutil.disk_partitions(all=True), key=lambda m: -len(m.mountpoint))
    return next((m.fstype in NETWORK for m in mounts if _within(folder, Path(m.mountpoint))), False)


def _within(folder: Path, mount: Path) -> bool:
    return folder == mount or mount in folder.parents


def files_in(folder: Path) -> dict[Path, tuple[int, int]]:
    """Size and time of change of every regular file below a folder; links are not followed."""
    out = {}
    for place, _folders, names in os.walk(folder):
        for name in names:
            path = Path(place) / name
            try:
                seen = path.lstat()
            except OSError:
                continue
            if os.path.isfile(path) and not path.is_symlink():
                out[path] = (seen.st_size, seen.st_mtime_ns)
    return out


class Reported:
    """Sightings as the kernel reports them (inotify)."""

    def __init__(self, folder: Path, take: Take) -> None:
        self._observer = Observer()
        self._observer.schedule(_Handler(take), str(folder), recursive=True)

    def start(self) -> None:
        """Begin. Raises OvrikError when the kernel's watches are used up or the folder can't be read."""
        try:
            self._observer.start()
        except OSError as exc:
            raise OvrikError(
                f"The folder can't be watched ({exc.strerror or exc})",
                "Check its permissions, or choose another",
            ) from None

    def stop(self) -> None:
        """End."""
        self._observer.stop()
        self._observer.join(timeout=2)


class _Handler(FileSystemEventHandler):
    def __init__(self, take: Take) -> None:
        self._take = take
        self._last: dict[str | bytes, float] = {}

    def on_any_event(self, event: FileSystemEvent) -> None:
        """Pass on what happens to files, and which folders are made, renamed and removed: a folder of parts is the
        first thing that some exports make."""
        kind = KINDS.get(event.event_type)
        if kind is None or (event.is_directory and kind not in (CREATED, MOVED, DELETED)):
            return
        to = Path(os.fsdecode(event.dest_path)) if kind == MOVED else None
        now = time.monotonic()
        size = self._size(event.src_path, now) if kind == GREW else None
        seen = Sighting(now, REPORT_DOUBT_S, kind, Path(os.fsdecode(event.src_path)), to, size)
        self._take(seen)
        if event.is_directory and kind == CREATED:
            self._take(
                replace(seen, kind=CLOSED)
            )  # nobody writes in it any more: files in it speak for themselves

    def _size(self, path: str | bytes, now: float) -> int | None:
        """That of a file to which something happens after a while: one that is written from its beginning is cut to
        nothing first."""
        before = self._last.get(path, -QUIET_S)
        self._last[path] = now
        if now - before < QUIET_S:
            return None
        try:
            return os.stat(path).st_size
        except OSError:
            return None


class FolderLooked:
    """Sightings by looking: sizes and times of change, four times a second. A change lies between two looks."""

    def __init__(self, folder: Path, take: Take, every_s: float = LOOK_EVERY_S) -> None:
        self._folder, self._take, self._every_s = folder, take, every_s
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._go, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._before = files_in(self._folder)
        self._thread.start()

    def stop(self) -> None:
        """End."""
        self._ended.set()
        self._thread.join(timeout=2)

    def _go(self) -> None:
        last, before, still = time.monotonic(), self._before, set[Path]()
        while not self._ended.wait(self._every_s):
            now, seen = time.monotonic(), files_in(self._folder)
            middle, doubt = (last + now) / 2, (now - last) / 2
            for s in _between(before, seen, still, middle, doubt):
                self._take(s)
            last, before = now, seen


def _between(
    before: dict[Path, tuple[int, int]],
    seen: dict[Path, tuple[int, int]],
    still: set[Path],
    at: float,
    doubt: float,
) -> list[Sighting]:
    """What must have happened between two looks; `still` holds files whose end was seen."""
    out = []
    gone = {p: v for p, v in before.items() if p not in seen}
    for path, state in seen.items():
        if path not in before:
            # The same size and time of change under another name: it was renamed.
            old = next((p for p, v in gone.items() if v == state), None)
            if old is not None:
                del gone[old]
                out.append(Sighting(at, doubt, MOVED, old, path))
                continue
            out.append(Sighting(at, doubt, CREATED, path))
            still.discard(path)
        elif before[path] != state:
            out.append(Sighting(at, doubt, GREW, path))
            still.discard(path)
        elif path not in still:
            still.add(path)
            out.append(Sighting(at - 2 * doubt, doubt, CLOSED, path))
    return out + [Sighting(at, doubt, DELETED, path) for path in gone]
