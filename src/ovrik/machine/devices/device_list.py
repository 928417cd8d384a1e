"""The devices of this machine that a build can open, as facts: asked once while drivers and build are the same."""

from contextlib import suppress

from ovrik.errors import OvrikError
from ovrik.machine.builds.build import find_build
from ovrik.machine.devices.known_trials import state_key
from ovrik.machine.devices.opening import Opened, open_devices
from ovrik.machine.devices.paths import PATHS
from ovrik.study.files.kept import cache_folder, change_json, read_json


def listed_devices(key: str) -> str:
    """Every device of a path in words, "none", or "" where there is nobody to ask."""
    try:
        build = find_build("bundled")
    except OvrikError:
        return ""
    place = cache_folder("trials") / f"devices-{state_key(build)}.json"
    found = read_json(place)
    known: dict[str, str] = found if isinstance(found, dict) else {}
    if key not in known:
        path = next(p for p in PATHS if p.key == key)
        opened = open_devices(build.path, path)
        if any(o.answer.code is None for o in opened):
            return ""  # no answer in time is no fact
        known = {**known, key: "; ".join(_words(o) for o in opened if o.works) or "none"}
        with suppress(OSError):  # asked again next time
            change_json(place, lambda before: {**(before or {}), key: known[key]})
    return known[key]


def _words(found: Opened) -> str:
    really = " (the processor itself)" if found.processor else ""
    return f"{found.name or 'a device without a name'}{really}"
