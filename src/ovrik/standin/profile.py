"""A simulated device's profile: what it can do, and how fast. Standard library only: the simulated
encoder itself loads this, and must start as fast as a real one."""

import math
import tomllib
from dataclasses import dataclass
from pathlib import Path

FOLDER = Path(__file__).parent / "profiles"
KEY = "standin-"


class ProfileError(ValueError):
    """A profile that can't be used; the text names file, key and remedy."""


@dataclass(frozen=True)
class Codec:
    """What a device does with one codec.

    Fields: `pixels_per_s` by preset, for one encoding unit; `bit_depths`; `width`, `height`, the
    largest frame.
    """

    pixels_per_s: dict[str, float]
    bit_depths: tuple[int, ...]
    width: int
    height: int


@dataclass(frozen=True)
class Profile:
    """A simulated device.

    Fields: `key`; `name`; `startup_s` before the first frame; `units` that encode;
    `second_unit_pixels`, the frame size from which a second unit joins, and `second_unit_presets`
    at which it does; `sessions` at once; `hot_after_s` of work it slows to `hot_factor` of its pace
    (0: never); `link_bytes_per_s` to an external box (0: none); `spread` of the pace from run to
    run; `seed` of that; `falls_back`, True when it quietly leaves the work to software; `idle_c`,
    `hot_c` temperatures; `watts` at full load; `codecs` by name.
    """

    key: str
    name: str
    startup_s: float
    units: int
    second_unit_pixels: int
    second_unit_presets: tuple[str, ...]
    sessions: int
    hot_after_s: float
    hot_factor: float
    link_bytes_per_s: float
    spread: float
    seed: int
    falls_back: bool
    idle_c: float
    hot_c: float
    watts: float
    codecs: dict[str, Codec]

    def refusal(self, codec: str, preset: str, width: int, height: int, depth: int) -> str:
        """Why this device won't take such a picture, or ""."""
        able = self.codecs.get(codec)
        if able is None:
            return f"{self.name} does not encode {codec}"
        if preset not in able.pixels_per_s:
            return f"{self.name} has no preset {preset}"
        if depth not in able.bit_depths:
            return f"{depth} bit is not supported by {self.name}"
        if width > able.width or height > able.height:
            return f"frame size {width}x{height} is over {self.name}'s {able.width}x{able.height}"
        return ""

    def units_at_work(self, preset: str, pixels: int) -> int:
        """How many units share the work on frames of so many pixels."""
        joins = preset in self.second_unit_presets and pixels >= self.second_unit_pixels
        return self.units if joins else 1

    def link_share(self, codec: str, preset: str, pixels: int, depth: int) -> float:
        """How full the link is while frames are encoded, 0 to 1."""
        if not self.link_bytes_per_s:
            return 0.0
        unit = pixels / (self.codecs[codec].pixels_per_s[preset] * self.units_at_work(preset, pixels))
        link = self._over_link(pixels, depth)
        return link / max(unit, link)

    def _over_link(self, pixels: int, depth: int) -> float:
        """Seconds for one frame, 4:2:0."""
        return pixels * 1.5 * (1 if depth == 8 else 2) / self.link_bytes_per_s

    def seconds(
        self, codec: str, preset: str, pixels: int, frame: int, pace: float, depth: int, heat: float = 0.0
    ) -> float:
        """When frame number `frame` (from 1) is done, in seconds from the start.

        `pace` is this run's factor. Work heats the device: past `hot_after_s`, of which `heat` seconds are
        left from earlier work, it goes on at `hot_factor` of its pace. The slower of unit and link sets the time
        for a frame.
        """
        rate = self.codecs[codec].pixels_per_s[preset] * self.units_at_work(preset, pixels) * pace
        each = pixels / rate
        if self.link_bytes_per_s:
            each = max(each, self._over_link(pixels, depth))
        busy = frame * each
        cool = max(self.hot_after_s - heat, 0.0)
        if self.hot_after_s and busy > cool:
            busy = cool + (busy - cool) / self.hot_factor
        return self.startup_s + busy


DEFAULTS: dict[str, float] = {
    "units": 1,
    "second_unit_pixels": 0,
    "sessions": 8,
    "hot_after_s": 0.0,
    "hot_factor": 1.0,
    "link_bytes_per_s": 0.0,
    "spread": 0.01,
    "seed": 1,
    "falls_back": False,
    "idle_c": 38.0,
    "hot_c": 82.0,
    "watts": 60.0,
}


MOST_BYTES = 65536


def load_profile(path: Path) -> Profile:
    """Read a profile. Raises ProfileError naming file, key and remedy."""
    try:
        with path.open("rb") as file:
            data = tomllib.loads(file.read(MOST_BYTES).decode("utf-8"))
        codecs = {
            name: Codec(
                {p: float(v) * 1e6 for p, v in c["megapixels_per_s"].items()},
                tuple(int(d) for d in c["bit_depths"]),
                int(c["largest"][0]),
                int(c["largest"][1]),
            )
            for name, c in data.pop("codec").items()
        }
        presets = tuple(str(p) for p in data.pop("second_unit_presets", ()))
        values = {**DEFAULTS, **data}
        made = Profile(key=path.stem, second_unit_presets=presets, codecs=codecs, **values)
    except OSError as exc:
        raise ProfileError(f"{path} can't be read ({exc.strerror})") from None
    except KeyError as exc:
        raise ProfileError(f"{path}: key {exc} is missing; add it") from None
    except (TypeError, ValueError, AttributeError, IndexError, OverflowError, RecursionError) as exc:
        raise ProfileError(f"{path}: {str(exc)[:200]}; see docs/formats.md") from None
    _check(path, made)
    return made


def _check(path: Path, made: Profile) -> None:
    if not isinstance(made.name, str):
        raise ProfileError(f"{path}: key name is no text; put it in quotes")
    for name in ("startup_s", *DEFAULTS):
        value = getattr(made, name)
        if not isinstance(value, int | float) or not math.isfinite(value) or value < 0:
            raise ProfileError(f"{path}: key {name} is no number of 0 or more; change it")
    if not 0 < made.hot_factor <= 1:
        raise ProfileError(f"{path}: key hot_factor must lie in 0 to 1; change it")
    paces = [pace for codec in made.codecs.values() for pace in codec.pixels_per_s.values()]
    if not all(math.isfinite(pace) and pace > 0 for pace in paces):
        raise ProfileError(f"{path}: key megapixels_per_s must be above 0; change it")


def profiles() -> list[Profile]:
    """The profiles that ship with Ovrik, in order of their names."""
    return [load_profile(p) for p in sorted(FOLDER.glob("*.toml"))]
