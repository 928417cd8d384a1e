"""What went on while an export ran: series at a steady rate, and who else was at work."""

import json
import struct
import threading
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ovrik.machine.sensors.graphics_use import GraphicsUse
from ovrik.machine.sensors.load import Counters, clock_mhz, counters, fastest_fan_rpm, group_of, hottest_c
from ovrik.machine.sensors.others import Others, name_of
from ovrik.machine.sensors.process_tree import TreeUse, tree_use
from ovrik.machine.sensors.readings import Sensors

EVERY_S = 0.5
ROWS_A_LOOK = 10
DEVICE_SHARE = 0.05
MOST_TRACE_BYTES = 64 << 20
"""A trace of a day; more is no trace, whatever it says of itself."""


@dataclass(frozen=True)
class Trace:
    """Series of one run, all of one length.

    Fields: `columns`, values by name: `t` seconds since the start; `frames` written so far; `fps` of the last
    step; `cpu` per cent of all processors, `core 0` and so on of each; `read`, `written` MB/s of all disks;
    `disk` per cent of time that the busiest disk was at work; `memory` MiB and `memory share` per cent in use;
    `clock` MHz, `temperature` °C, `fan` rpm and `watts` of the processors where they are reported; of the export's
    own processes alone `own cpu`, per cent of all processors, `own memory` MiB, `own read`, `own written` MB/s, and
    `own graphics`, per cent of one engine of a graphics device by the kernel's count; and each sensor of the device
    that was asked for by its name, with its unit in brackets.
    """

    columns: dict[str, np.ndarray]

    @classmethod
    def of_rows(cls, rows: Sequence[Mapping[str, float]]) -> "Trace":
        """From readings one after another; what one of them lacks is NaN there."""
        names = list(dict.fromkeys(k for row in rows for k in row))
        return cls({n: np.array([row.get(n, np.nan) for row in rows]) for n in names})

    def mean(self, name: str) -> float:
        """Mean of a column over what was read; 0 without any reading."""
        values = self.columns.get(name, np.array([]))
        read = values[np.isfinite(values)]
        return float(read.mean()) if len(read) else 0.0

    def usual(self, start: str, end: str = "") -> dict[str, float]:
        """Medians of the columns whose names begin and end so: start-up and end do not move them."""
        found = {
            n: v[np.isfinite(v)] for n, v in self.columns.items() if n.startswith(start) and n.endswith(end)
        }
        return {n: float(np.median(v)) for n, v in found.items() if len(v)}

    def joules(self) -> float | None:
        """Energy of the processors and of the device over the run: watts times steps; None where neither is known."""
        found = [v for n, v in self.columns.items() if n == "watts" or n.endswith("[W]")]
        t = self.columns.get("t", np.array([]))
        if not found or not len(t):
            return None
        steps = np.diff(t, prepend=0.0)
        return float(sum(np.nansum(v * steps) for v in found))

    def packed(self) -> bytes:
        """As bytes: names and length as JSON, then float32 columns, all deflated."""
        head = json.dumps({"names": list(self.columns), "length": len(self.columns.get("t", ()))}).encode()
        body = b"".join(np.asarray(v, np.float32).tobytes() for v in self.columns.values())
        return zlib.compress(struct.pack("<I", len(head)) + head + body, 6)

    @classmethod
    def unpacked(cls, data: bytes) -> "Trace":
        """The inverse of `packed`."""
        raw = zlib.decompressobj().decompress(data, MOST_TRACE_BYTES)
        (size,) = struct.unpack_from("<I", raw)
        head = json.loads(raw[4 : 4 + size])
        values = np.frombuffer(raw, np.float32, offset=4 + size).reshape(len(head["names"]), head["length"])
        return cls({name: values[n].astype(float) for n, name in enumerate(head["names"])})


@dataclass
class TraceWatcher:
    """Samples twice a second in a thread of its own, from `begin` to `end`."""

    sensors: Sequence[Sensors] = ()
    frames: Callable[[], int] = lambda: 0
    on_row: Callable[[dict[str, float]], None] = lambda _row: None
    rows: list[dict[str, float]] = field(default_factory=list)
    seen: dict[str, float] = field(default_factory=dict)
    device_users: dict[str, float] = field(default_factory=dict)
    seen_disks: dict[str, float] = field(default_factory=dict)
    group: int = 0
    stopped_s: float = 0.0
    graphics: GraphicsUse = field(default_factory=GraphicsUse)
    _over: threading.Event = field(default_factory=threading.Event)
    _thread: threading.Thread | None = None

    def begin(self, group: int) -> None:
        """The export's process group has started."""
        self.group = group
        self._groups = {group}
        self._others = Others(lambda pid: group_of(pid) in self._groups)
        self._others.begin()
        self._last = self.first = counters()
        self._tree, self._engines = TreeUse(0.0, 0, 0, 0, ()), 0.0
        self._thread = threading.Thread(target=self._go, name="watch", daemon=True)
        self._thread.start()

    def go_on(self, group: int) -> None:
        """The next pass runs in a process group of its own."""
        self.group = group
        self._groups.add(group)
        self._tree, self._engines = TreeUse(0.0, 0, 0, 0, ()), 0.0

    @property
    def disk_bytes(self) -> int:
        """What all disks moved from begin to end."""
        return self.last.read + self.last.written - self.first.read - self.first.written

    def stop(self) -> None:
        """Sample no more."""
        self._over.set()

    def end(self) -> Trace:
        """It is over: the series, with `seen` given who else was at work."""
        self._over.set()
        if self._thread:
            self._thread.join(5)
        self.last = counters()
        self._look_for_device_users()
        busy, disks = self._others.end()
        self.seen, self.seen_disks = dict(busy), dict(disks)
        return Trace.of_rows(self.rows)

    def _go(self) -> None:
        while not self._over.wait(EVERY_S):
            now = counters()
            self.rows.append(self._row(now))
            self.on_row(self.rows[-1])
            self._last = now
            self._others.look()
            if len(self.rows) % ROWS_A_LOOK == 0:
                self._look_for_device_users()

    def _look_for_device_users(self) -> None:
        """Whoever else uses the device that was asked for, at its highest."""
        for sensor in self.sensors:
            for pid, share in getattr(sensor, "users", dict)().items():
                if group_of(pid) not in (0, *self._groups) and share > DEVICE_SHARE:
                    name = name_of(pid)
                    self.device_users[name] = max(self.device_users.get(name, 0.0), share)

    def _own(self, span: float, cores: int) -> dict[str, float]:
        """What the export's own processes used since the last reading."""
        now, old = tree_use(self.group), self._tree
        self.stopped_s += EVERY_S * now.stopped
        self._tree = now
        if not now.pids:
            return {}
        found = {
            "own cpu": 100 * max(now.cpu_s - old.cpu_s, 0.0) / span / max(cores, 1),
            "own memory": now.memory / 2**20,
            "own read": max(now.read - old.read, 0) / span / 1e6,
            "own written": max(now.written - old.written, 0) / span / 1e6,
        }
        if self.graphics.there:
            engines, before = self.graphics.seconds(now.pids), self._engines
            self._engines = engines
            if self.graphics.counted:
                found["own graphics"] = 100 * max(engines - before, 0.0) / span
        return found

    def _row(self, now: Counters) -> dict[str, float]:
        import psutil

        old, span = self._last, max(now.at - self._last.at, 1e-6)
        cores = [100 * max(b - a, 0.0) / span for a, b in zip(old.busy, now.busy, strict=False)]
        frames, memory = self.frames(), psutil.virtual_memory()
        before = self.rows[-1]["frames"] if self.rows else 0
        row = {
            "t": now.at - self.first.at,
            "frames": frames,
            "fps": (frames - before) / span,
            "cpu": sum(cores) / max(len(cores), 1),
            **{f"core {n}": min(c, 100.0) for n, c in enumerate(cores)},
            "read": (now.read - old.read) / span / 1e6,
            "written": (now.written - old.written) / span / 1e6,
            "disk": min(
                100.0,
                100
                * max((b - a for a, b in zip(old.disk_busy, now.disk_busy, strict=False)), default=0.0)
                / span,
            ),
            "memory": memory.used / 2**20,
            "memory share": memory.percent,
        }
        said = {
            "clock": clock_mhz(),
            "temperature": hottest_c(),
            "fan": fastest_fan_rpm(),
            "watts": _watts(old, now, span),
        }
        row |= {name: value for name, value in said.items() if value is not None}
        row |= self._own(span, len(cores))
        for sensor in self.sensors:
            row |= {f"{v.name} [{v.unit}]": v.value for v in sensor.read()}
        return row


def _watts(old: Counters, now: Counters, span: float) -> float | None:
    if old.joules is None or now.joules is None or now.joules < old.joules:
        return None
    return (now.joules - old.joules) / span
