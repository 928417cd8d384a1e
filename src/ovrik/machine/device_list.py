"""The devices of this machine that a build can open, as facts: asked once while drivers and build are the same."""

import json
from pathlib import Path

from ovrik.errors import OvrikError
from ovrik.machine.builds import find_build
from ovrik.machine.devices import PATHS
from ovrik.machine.known_trials import cache_folder, state_key
from ovrik.machine.opening import Opened, open_devices
from ovrik.whole_file import write_whole


def listed(key: str) -> str:
    """Every device of a path in words, "none", or "" where there is nobody to ask."""
    try:
        build = find_build("bundled")
    except OvrikError:
        return ""
    place = cache_folder() / f"devices-{state_key(build)}.json"
    known = _read(place)
    if key not in known:
        path = next(p for p in PATHS if p.key == key)
        found = open_devices(build.path, path)
        if any(o.answer.code is None for o in found):
            return ""  # no answer in time is no fact
        known = {**known, key: "; ".join(_words(o) for o in found if o.works) or "none"}
        _write(place, known)
    return known[key]


def _words(found: Opened) -> str:
    really = " (the processor itself)" if found.processor else ""
    return f"{found.name or 'a device without a name'}{really}"


def _read(place: Path) -> dict[str, str]:
    try:
        known = json.loads(place.read_text())
    except (OSError, ValueError):
        return {}
    return known if isinstance(known, dict) else {}


def _write(place: Path, known: dict[str, str]) -> None:
    try:
        write_whole(place, json.dumps(known))
    except OSError:
        return  # asked again next time
