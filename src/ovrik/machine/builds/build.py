"""Encoding programs on this machine: which exact build, and what it can do."""

import os
import platform
import re
import shutil
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from functools import cache
from pathlib import Path
from typing import Any

from ovrik.errors import OvrikError
from ovrik.machine.builds.added import added_builds
from ovrik.machine.builds.approvals import approved, build_claim
from ovrik.machine.builds.architecture import architecture, translated
from ovrik.machine.builds.described import description_of, descriptions, located, version_of
from ovrik.machine.builds.libraries import Loaded, identity_of, loads_of
from ovrik.machine.processes.asking import ask
from ovrik.standin.build import keys as standin_keys
from ovrik.standin.build import program_for
from ovrik.study.contender.contender import is_simulated
from ovrik.study.contender.described import KEY as DESCRIBED_KEY
from ovrik.study.contender.described import Description
from ovrik.study.encoder.encoders import DESCRIBED
from ovrik.study.files.checksum import sha256_now
from ovrik.study.files.kept import cache_folder, change_json, read_json
from ovrik.study.files.text_file import visible

ASK_TIMEOUT_S = 10
VERSION = re.compile(r"version\s+(\S+)")
LISTED = re.compile(r"^\s*[VAS][A-Z.]{5}\s+(\S+)\s")


@dataclass(frozen=True)
class Build:
    """One exact version of an encoding program.

    Fields: `key`, "bundled", "system" or the path it was chosen by; `path` of the program; `version` as it says
    itself; `sha256` of the program file; `encoders` it lists; `loads`, the program file and every library that it
    loads, as the loader finds them; `filters` it lists; `options`, those of `WANTED_OPTIONS` it takes; `architecture`
    of the program file; `translated`, True when that is not this machine's; `configuration`, how it was built;
    `devices`, device kinds it was built for; `whole_only`, True when it can only export whole clips; `problem`, why
    it can't be used, or "", with its `remedy`; `log`, what it said where it has a problem.
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
    remedy: str = ""
    log: str = ""
    loads: tuple[Loaded, ...] = ()

    @property
    def identity(self) -> str:
        """What makes it this build: its own file, and the libraries that it loads."""
        return identity_of(self.sha256, self.loads)

    @property
    def trouble(self) -> str:
        """Why it can't be used and what to do about it, "" where it can be."""
        return str(OvrikError(self.problem, self.remedy)) if self.problem else ""

    def to_json(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {**asdict(self), "simulated": self.simulated, "identity": self.identity}

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
WANTED_OPTIONS = ("stats_period", "fps_mode", "vsync", "filter_complex_script")
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
        return Path(os.path.abspath(on_path))
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
    if not approved(build_claim(path)):
        raise OvrikError(
            f"{visible(key)} has not been approved to run, or is another program now",
            f"Look at it and approve it: ovrik build approve {visible(key)}",
        )
    # A link is called by its own name: a program of many names does what it is called.
    return Path(os.path.abspath(path))


def find_build(key: str, afresh: bool = False) -> Build:
    """Locate a build and ask it what it is. It is asked once: answers, and that it gave none, are kept by path, size
    and change time; `afresh` asks one that gave none again.

    Raises OvrikError when it is not there, won't start, or is not such a program.
    """
    found = _looked_at(key, afresh)
    if found.problem:
        raise OvrikError(found.problem, found.remedy)
    return found


def _looked_at(key: str, afresh: bool) -> Build:
    """A build that is there, or what is wrong with it. Raises OvrikError when it is not there."""
    described = description_of(key) if key.startswith(DESCRIBED_KEY) else None
    path = located(described) if described else locate(key)
    stat = path.stat()
    mark = f"{path}|{stat.st_size}|{stat.st_mtime_ns}{f'|{described.model_dump_json()}' if described else ''}"
    known = (read_json(_cache_file()) or {}).get(mark)
    if known and not (afresh and known["problem"]):
        cached = _build_from(known, key)
        if all(one.as_it_was for one in cached.loads):
            return cached
    build = _asked(key, path, described)
    _write_cache(mark, build)
    return build


def _build_from(known: dict[str, Any], key: str) -> Build:
    """A build as it is kept."""
    values: dict[str, Any] = {k: v for k, v in known.items() if k not in ("simulated", "identity")}
    values |= {name: tuple(known[name]) for name in TUPLES}
    values |= {"key": key, "loads": tuple(Loaded(**row) for row in known["loads"])}
    return Build(**values)


def _asked(key: str, path: Path, described: Description | None) -> Build:
    kind = architecture(path)
    blank = Build(
        key=key,
        path=str(path),
        version="",
        sha256=sha256_now(path),
        encoders=(),
        filters=(),
        architecture=kind,
        translated=translated(kind),
        loads=loads_of(path),
    )
    try:
        return _of_described(blank, described) if described else _answered(blank)
    except NoAnswer as exc:
        return replace(blank, problem=exc.problem, remedy=exc.remedy, log=exc.log)
    except OvrikError as exc:
        return replace(blank, problem=exc.problem, remedy=exc.remedy)


def _of_described(blank: Build, described: Description) -> Build:
    return replace(
        blank,
        version=version_of(described, Path(blank.path)),
        encoders=(DESCRIBED + described.codec,),
        whole_only=described.whole_only,
    )


def find_builds(extra: tuple[str, ...] = (), afresh: bool = False) -> list[Build]:
    """The bundled build, the one on PATH, those added, and others by path; those that fail say why. `afresh` asks
    those that gave no answer again."""
    out = []
    for key in dict.fromkeys(
        ("bundled", "system", *added_builds(), *descriptions(), *extra, *standin_keys())
    ):
        try:
            out.append(_looked_at(key, afresh))
        except OvrikError as exc:
            out.append(
                Build(
                    key=key,
                    path="",
                    version="",
                    sha256="",
                    encoders=(),
                    filters=(),
                    problem=exc.problem,
                    remedy=exc.remedy,
                )
            )
    return out


def _answered(blank: Build) -> Build:
    said = ask_build(blank.path, "-version")
    version = VERSION.search(said)
    if version is None:
        raise NoAnswer(
            f"{blank.path} does not answer like an encoding program", "Choose another", said[-LOG:]
        )
    configured = re.search(r"^configuration: *(.*)$", said, re.MULTILINE)
    help_text = ask_build(blank.path, "-hide_banner", "-h", "long")
    return replace(
        blank,
        version=version[1],
        encoders=tuple(_names(ask_build(blank.path, "-hide_banner", "-encoders"))),
        filters=_filters(ask_build(blank.path, "-hide_banner", "-filters")),
        options=tuple(o for o in WANTED_OPTIONS if re.search(rf"^-{o}\b", help_text, re.MULTILINE)),
        configuration=configured[1] if configured else "",
        devices=tuple(ask_build(blank.path, "-hide_banner", "-hwaccels").split()[3:]),
    )


def _names(listing: str) -> list[str]:
    body = listing.partition("------")[2]
    return [m[1] for m in map(LISTED.match, body.splitlines()) if m]


def _filters(listing: str) -> tuple[str, ...]:
    rows = [parts for parts in map(str.split, listing.splitlines()) if len(parts) > 2]
    return tuple(parts[1] for parts in rows if "->" in parts[2])


class NoAnswer(OvrikError):  # noqa: N818 - it is the program's, not Ovrik's
    """A program that won't start or does not answer. Fields: `log`, what it said."""

    def __init__(self, problem: str, remedy: str, log: str) -> None:
        super().__init__(problem, remedy)
        self.log = log


LOG = 4000
"""Characters kept of what a program said that is no build."""


def ask_build(path: Path | str, *arguments: str) -> str:
    """What a program prints for these arguments. Raises NoAnswer when it won't start or answer."""
    try:
        said = ask([str(path), *arguments], ASK_TIMEOUT_S)
    except OSError as exc:
        raise NoAnswer(
            f"The build {path} won't start ({exc.strerror})", _why_not(Path(path)), str(exc)
        ) from None
    if said.code is None:
        raise NoAnswer(
            f"The build {path} does not answer within {ASK_TIMEOUT_S} s",
            "Try it in a terminal, then look again",
            said.log[-LOG:] or said.text[-LOG:],
        )
    return said.text


def _why_not(path: Path) -> str:
    try:
        kind = architecture(path)
    except OSError:
        kind = ""
    if translated(kind):
        return f"It is made for {kind}; get one for this machine's {platform.machine()}"
    return "It may be damaged, or made for another system"


def _cache_file() -> Path:
    return cache_folder("builds-5.json")


def _write_cache(mark: str, build: Build) -> None:
    with suppress(OSError):  # the cache only saves a second; the answer itself is in hand
        change_json(_cache_file(), lambda known: {**(known or {}), mark: build.to_json()})


def replaced(build: Build) -> str:
    """Which file of a build is no longer the one that it was, in a clause; "" when all are. Costs a look at the file
    system for each; what has a new change time is read again."""
    changed = next((one for one in build.loads if not one.as_it_was and not one.same_content), None)
    if changed is None:
        return ""
    if not Path(changed.path).exists():
        return f"{changed.path} is no longer there, and the build {build.short} can't work without it"
    return f"{changed.path} is another file now than when the build {build.short} was looked at"
