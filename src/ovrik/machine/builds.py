"""Encoding programs on this machine: which exact build, and what it can do."""

import json
import os
import platform
import re
import shutil
import subprocess
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Any

import platformdirs

from ovrik.errors import OvrikError
from ovrik.machine.added import added_builds
from ovrik.machine.approvals import approved, build_claim
from ovrik.machine.described import description_of, descriptions, located, version_of
from ovrik.standin.build import keys as standin_keys
from ovrik.standin.build import program_for
from ovrik.study.checksum import file_sha256
from ovrik.study.contender import is_simulated
from ovrik.study.described import KEY as DESCRIBED_KEY
from ovrik.study.encoders import DESCRIBED
from ovrik.study.text_file import visible

ASK_TIMEOUT_S = 20
VERSION = re.compile(r"version\s+(\S+)")
LISTED = re.compile(r"^\s*[VAS][A-Z.]{5}\s+(\S+)\s")


@dataclass(frozen=True)
class Build:
    """One exact version of an encoding program.

    Fields: `key`, "bundled", "system" or the path it was chosen by; `path` of the program;
    `version` as it says itself; `sha256` of the program file; `encoders` it lists;
    `filters` it lists; `options`, those of `WANTED_OPTIONS` it takes; `architecture` of the
    program file; `translated`, True when that is not this machine's; `configuration`, how it was
    built; `devices`, device kinds it was built for; `whole_only`, True when it can only export whole
    clips; `problem`, why it can't be used, or "".
    """

    key: str
    path: str
    version: str
    sha256: str
    encoders: tuple[str, ...]
    filters: tuple[str, ...]
    options: tuple[str, ...] = ()
    architecture: str = ""
    translated: bool = False
    configuration: str = ""
    devices: tuple[str, ...] = ()
    whole_only: bool = False
    problem: str = ""

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {**asdict(self), "simulated": self.simulated}

    @property
    def simulated(self) -> bool:
        """Whether it is a stand-in."""
        return is_simulated(self.key)

    @property
    def short(self) -> str:
        """Key and version in a few words: "bundled 9.0.2"."""
        if self.simulated:
            return self.key.removeprefix("standin-")
        number = re.search(r"\d+(?:\.\d+)+", self.version)
        return f"{Path(self.key).name} {number[0] if number else self.version}"


SCORING_FILTERS = ("libvmaf", "psnr", "ssim", "xpsnr")
WANTED_OPTIONS = ("stats_period", "fps_mode", "vsync")
TUPLES = ("encoders", "filters", "options", "devices")


@cache
def bundled_path() -> Path | None:
    """The program inside the package imageio-ffmpeg, or None."""
    import imageio_ffmpeg

    folder = Path(imageio_ffmpeg.__file__).parent / "binaries"
    found = sorted(p for p in folder.glob("ffmpeg-*") if os.access(p, os.X_OK))
    return found[0] if found else None


def locate(key: str) -> Path:
    """The program a build key stands for. Raises OvrikError when it is not there."""
    if key == "bundled":
        path = bundled_path()
        if path is None:
            raise OvrikError("The bundled build is missing", "Install Ovrik again")
        return path
    if key == "system":
        on_path = shutil.which("ffmpeg")
        if on_path is None:
            raise OvrikError(
                'The build "system" is not there: no ffmpeg on PATH', "Install it, or use the bundled build"
            )
        return Path(on_path).resolve()
    if key in standin_keys():
        return program_for(key, locate("bundled"))
    known = added_builds().get(key)
    path = Path(known.path if known else key)
    if not path.is_absolute() and not key.startswith("wheel-"):
        raise OvrikError(f"The build {key} is named by a relative path", "Give the full path of the program")
    if key.startswith("wheel-") and not known:
        version = key.removeprefix("wheel-")
        raise OvrikError(f"The build {key} is not there", f"Fetch it: ovrik build add --wheel {version}")
    if not path.is_file():
        raise OvrikError(f"The build {key} is not there", "Check the path to the program")
    if not os.access(path, os.X_OK):
        raise OvrikError(f"The build {key} is not a program", "Make it executable")
    if not approved(build_claim(path.resolve())):
        raise OvrikError(
            f"{visible(key)} has not been approved to run, or is another program now",
            f"Look at it and approve it: ovrik build approve {visible(key)}",
        )
    return path.resolve()


def find_build(key: str) -> Build:
    """Locate a build and ask it what it is; answers are cached by path, size and change time.

    Raises OvrikError when it is not there, won't start, or is not such a program.
    """
    if key.startswith(DESCRIBED_KEY):
        return _described(key)
    path = locate(key)
    stat = path.stat()
    mark = f"{path}|{stat.st_size}|{stat.st_mtime_ns}"
    cached = _read_cache().get(mark)
    if cached:
        cached.pop("simulated", None)
        return Build(**{**cached, **{k: tuple(cached[k]) for k in TUPLES}, "key": key})
    build = _ask(key, path)
    _write_cache(mark, build)
    return build


def _described(key: str) -> Build:
    description = description_of(key)
    program = located(description)
    version, sha256 = version_of(description, program)
    return Build(
        key,
        str(program),
        version,
        sha256,
        (DESCRIBED + description.codec,),
        (),
        architecture=architecture(program),
        whole_only=description.whole_only,
    )


def find_builds(extra: tuple[str, ...] = ()) -> list[Build]:
    """The bundled build, the one on PATH, those added, and others by path; those that fail say why."""
    out = []
    for key in dict.fromkeys(
        ("bundled", "system", *added_builds(), *descriptions(), *extra, *standin_keys())
    ):
        try:
            out.append(find_build(key))
        except OvrikError as exc:
            out.append(Build(key, "", "", "", (), (), problem=str(exc)))
    return out


def _ask(key: str, path: Path) -> Build:
    said = ask(path, "-version")
    version = VERSION.search(said)
    if version is None:
        raise OvrikError(f"{path} does not answer like an encoding program", "Choose another")
    configured = re.search(r"^configuration: *(.*)$", said, re.MULTILINE)
    help_text = ask(path, "-hide_banner", "-h", "long")
    kind = architecture(path)
    return Build(
        key=key,
        path=str(path),
        version=version[1],
        sha256=file_sha256(path),
        encoders=tuple(_names(ask(path, "-hide_banner", "-encoders"))),
        filters=_filters(ask(path, "-hide_banner", "-filters")),
        options=tuple(o for o in WANTED_OPTIONS if re.search(rf"^-{o}\b", help_text, re.MULTILINE)),
        architecture=kind,
        translated=bool(kind) and kind != platform.machine(),
        configuration=configured[1] if configured else "",
        devices=tuple(ask(path, "-hide_banner", "-hwaccels").split()[3:]),
    )


ELF_MACHINES = {0x3E: "x86_64", 0xB7: "aarch64", 0x03: "i686", 0x28: "armv7l", 0xF3: "riscv64"}


def architecture(path: Path) -> str:
    """Processor that a program file is made for, by its ELF header; "" for a script or other."""
    with path.open("rb") as handle:
        head = handle.read(20)
    if head[:4] != b"\x7fELF" or len(head) < 20:
        return ""
    order = "little" if head[5] == 1 else "big"
    code = int.from_bytes(head[18:20], order)  # type: ignore[arg-type]
    return ELF_MACHINES.get(code, f"machine {code}")


def _names(listing: str) -> list[str]:
    body = listing.partition("------")[2]
    return [m[1] for m in map(LISTED.match, body.splitlines()) if m]


def _filters(listing: str) -> tuple[str, ...]:
    rows = [parts for parts in map(str.split, listing.splitlines()) if len(parts) > 2]
    return tuple(parts[1] for parts in rows if "->" in parts[2])


def ask(path: Path | str, *arguments: str) -> str:
    """What a program prints for these arguments. Raises OvrikError when it won't start or answer."""
    try:
        done = subprocess.run(
            [str(path), *arguments],
            capture_output=True,
            text=True,
            errors="replace",
            timeout=ASK_TIMEOUT_S,
            check=False,
            stdin=subprocess.DEVNULL,
        )
    except OSError as exc:
        raise OvrikError(
            f"The build {path} won't start ({exc.strerror})", "It may be made for another processor or system"
        ) from None
    except subprocess.TimeoutExpired:
        raise OvrikError(f"The build {path} does not answer", "Try it in a terminal") from None
    return done.stdout


def _cache_file() -> Path:
    return Path(platformdirs.user_cache_dir("ovrik")) / "builds-2.json"


def _read_cache() -> dict[str, Any]:
    try:
        found = json.loads(_cache_file().read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _write_cache(mark: str, build: Build) -> None:
    place = _cache_file()
    kept = {**_read_cache(), mark: build.to_json()}
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        partial = place.with_suffix(f".{os.getpid()}")
        partial.write_text(json.dumps(kept))
        partial.replace(place)
    except OSError:
        return  # The cache only saves a second; the answer itself is in hand.
