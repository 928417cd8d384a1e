"""The devices of a path: how many there are, what each calls itself, and whether a build can open it."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ovrik.machine.devices.paths import DevicePath
from ovrik.machine.processes.asking import Replied, ask
from ovrik.machine.sensors.driver import driver_devices

TIMEOUT_S = 8
RENDER_NODES = Path("/dev/dri")
LISTED = {
    "opencl": re.compile(r"\] (\d+\.\d+): (.+)$", re.MULTILINE),
    "vulkan": re.compile(
        r"\] +(\d+): (.+?) \((?:software|integrated|discrete|virtual|unknown)", re.MULTILINE
    ),
}
"""How a build names each device it sees while it opens one: its number, and the name it gives itself."""
SAID = (
    r"Device \d+ selected: (.+?) \((?:software|integrated|discrete|virtual)",
    r"\[(?:OpenCL|AVHWDeviceContext)[^]]*\] \d+\.\d+: (.+)",
    r"VAAPI driver: (.+?)\.?$",
    r"Driver: (.+)",
)
REALLY_PROCESSOR = re.compile(
    r"llvmpipe|lavapipe|softpipe|portable computing language|pocl|swiftshader", re.IGNORECASE
)


@dataclass(frozen=True)
class Opened:
    """A device as a build opens it. Fields: `number`, by which the build is asked for it, "" for whichever it takes;
    `name` it gives itself, "" where it says none; `answer` of the build."""

    number: str
    name: str
    answer: Replied

    @property
    def works(self) -> bool:
        """Whether it could be opened."""
        return self.answer.code == 0

    @property
    def processor(self) -> bool:
        """Whether this device is really the processor."""
        return bool(REALLY_PROCESSOR.search(self.name))


def run_trial(arguments: Sequence[str]) -> Replied:
    """Run a short try; one that takes too long has no exit code."""
    try:
        return ask(arguments, TIMEOUT_S)
    except OSError as exc:
        return Replied(1, b"", str(exc))


def device_option(path: DevicePath, number: str, name: str) -> str:
    """How a build is asked to open a device under a name."""
    return f"{path.opens}={name}:{number}" if number else f"{path.opens}={name}"


def open_devices(program: str, path: DevicePath) -> list[Opened]:
    """Every device of a path, as this program opens it; the one that it takes by itself stands first. Where several
    are seen, each is opened by its number."""
    first = _opened(program, path, "")
    listed = _listed(path, first.answer.log)
    if len(listed) < 2:
        name = first.name or next(iter(listed.values()), "")
        return [Opened("", name, first.answer)]
    each = [
        Opened(n, name or _said(made), made)
        for n, name in listed.items()
        for made in [_try(program, path, n)]
    ]
    return sorted(each, key=lambda o: not o.works)  # sorts stably: the first that opens is what is used


def _listed(path: DevicePath, log: str) -> dict[str, str]:
    if path.key in LISTED:
        return {number: name.strip() for number, name in LISTED[path.key].findall(log)}
    if path.key in ("vaapi", "qsv"):
        return (
            {str(node): "" for node in sorted(RENDER_NODES.glob("renderD*"))} if path.key == "vaapi" else {}
        )
    if path.key == "nvenc":
        return {str(n): "" for n in range(len(driver_devices()[1]))}
    return {}


def _opened(program: str, path: DevicePath, number: str) -> Opened:
    made = _try(program, path, number)
    return Opened(number, _said(made), made)


def _said(made: Replied) -> str:
    return next((m[1].strip() for p in SAID if (m := re.search(p, made.log, re.MULTILINE))), "")


def _try(program: str, path: DevicePath, number: str) -> Replied:
    return run_trial(
        [
            program,
            "-nostdin",
            "-hide_banner",
            "-v",
            "verbose",
            "-init_hw_device",
            device_option(path, number, "d"),
            "-f",
            "lavfi",
            "-i",
            "nullsrc=s=64x64",
            "-frames:v",
            "1",
            "-f",
            "null",
            "-",
        ]
    )
