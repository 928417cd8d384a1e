"""A described program: any command-line exporter, as data in an open file."""

import os
import re
import tomllib
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from ovrik.errors import OvrikError
from ovrik.study.clip.footage import Footage
from ovrik.study.files.text_file import read_text
from ovrik.study.programme.excerpt import Excerpt

PLACEHOLDERS = ("input", "output", "start_s", "duration_s", "start_frame", "frames")
PLACE = re.compile(r"\{([a-z_.]+)\}")
KEY = "described-"


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", defer_build=True, frozen=True)


class VersionAsk(_Strict):
    """How to ask the version: `arguments`, and a `pattern` whose first group is the version."""

    arguments: tuple[str, ...] = ("--version",)
    pattern: str = r"(\d+(?:\.\d+)+)"


class ProgressAsk(_Strict):
    """How progress is reported on standard output: a `pattern` whose first group is a number of `unit`."""

    pattern: str
    unit: Literal["frames", "percent", "seconds"]


class Description(_Strict):
    """What `[[program]]` or a description file says.

    Fields: `key`, a short name; `title`; `program`, a name on PATH or an absolute path; `arguments`
    with places in braces; `settings`, values for places named {settings.NAME}; `codec`,
    `pixel_format`, `container` and `sound` that it is to write; `version`; `progress` or None.
    """

    key: str = Field(pattern=r"^[a-z0-9][a-z0-9-]{0,30}$")
    title: str = Field(min_length=1)
    program: str = Field(min_length=1)
    arguments: tuple[str, ...] = Field(min_length=1)
    settings: dict[str, str | int | float] = Field(default_factory=dict)
    codec: Literal["h264", "hevc", "av1", "prores"]
    pixel_format: str = "yuv420p"
    container: str = "mp4"
    sound: str = "aac"
    version: VersionAsk = Field(default_factory=VersionAsk)
    progress: ProgressAsk | None = None

    @field_validator("arguments")
    @classmethod
    def _places_known(cls, arguments: tuple[str, ...]) -> tuple[str, ...]:
        named = {name for a in arguments for name in PLACE.findall(a)}
        unknown = sorted(n for n in named if n not in PLACEHOLDERS and not n.startswith("settings."))
        if unknown:
            raise ValueError(
                f"{{{unknown[0]}}} is not a placeholder; there are {', '.join(PLACEHOLDERS)}, settings.NAME"
            )
        for needed in ("input", "output"):
            if needed not in named:
                raise ValueError(f"no argument holds {{{needed}}}")
        return arguments

    @property
    def build_key(self) -> str:
        """How contenders call it."""
        return KEY + self.key

    @property
    def whole_only(self) -> bool:
        """Whether it can only export whole clips: it has no place for a start."""
        named = {name for a in self.arguments for name in PLACE.findall(a)}
        return not named & {"start_s", "start_frame"}

    def command(self, program: str, footage: Footage, excerpt: Excerpt, output: Path) -> list[str]:
        """The argument list, program first. Values are put in as they are: there is no shell."""
        values: dict[str, object] = {
            "input": os.path.abspath(footage.path),
            "output": os.path.abspath(output),
            "start_s": f"{float(excerpt.start_frame / footage.rate):.6f}",
            "duration_s": f"{float(excerpt.frames / footage.rate):.6f}",
            "start_frame": excerpt.start_frame,
            "frames": excerpt.frames,
            **{f"settings.{k}": v for k, v in self.settings.items()},
        }
        missing = {n for a in self.arguments for n in PLACE.findall(a)} - set(values)
        if missing:
            raise OvrikError(
                f"{self.title} has no value for {{{sorted(missing)[0]}}}", "Add it to its settings"
            )
        return [program, *(PLACE.sub(lambda m: str(values[m[1]]), a) for a in self.arguments)]

    def filled(self) -> tuple[str, ...]:
        """Its arguments with the settings put in; what a run puts in stays in braces."""
        said = {f"settings.{k}": str(v) for k, v in self.settings.items()}
        return tuple(PLACE.sub(lambda m: said.get(m[1], m[0]), a) for a in self.arguments)


def load_description(path: Path) -> Description:
    """Read a description file. Raises OvrikError naming file, key and remedy."""
    try:
        data = tomllib.loads(read_text(path, what="a description"))
        return Description.model_validate(data)
    except (tomllib.TOMLDecodeError, RecursionError) as exc:
        raise OvrikError(f"{path} can't be read as TOML ({exc})", "Correct it") from None
    except ValidationError as exc:
        fault = exc.errors()[0]
        key = ".".join(map(str, fault["loc"])) or "file"
        raise OvrikError(f"{path}: key {key}: {fault['msg']}", "See docs/formats.md") from None
