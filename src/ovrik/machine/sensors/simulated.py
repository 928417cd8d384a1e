"""Sensors of the simulated devices, driven by what the stand-in encoder does."""

import math
import time
from pathlib import Path

from ovrik.machine.sensors.readings import SensorValue
from ovrik.standin.build import state_folder
from ovrik.standin.heat import activity
from ovrik.standin.profile import Profile

WARM_UP_S = 4.0


class StandinSensors:
    """The same interface as the real ones, for one simulated device."""

    def __init__(self, profile: Profile, state: Path | None = None) -> None:
        self.profile = profile
        self._file = (state or state_folder()) / profile.key / "activity.json"

    def read(self) -> list[SensorValue]:
        """Load of each encoding unit, memory, clock, temperature, fan and watts, all simulated."""
        load, busy, units, link = activity(self._file, time.time())
        p = self.profile
        warmth = 1 - math.exp(-busy / WARM_UP_S)
        celsius = p.idle_c + (p.hot_c - p.idle_c) * warmth
        hot = bool(p.hot_after_s) and busy > p.hot_after_s
        clock = 300 + 1500 * load * (p.hot_factor if hot else 1.0)
        source = f"simulated: {p.name}"
        return [
            *(
                SensorValue(f"encoder {n} load", 100 * load * (n <= units), "%", source)
                for n in range(1, p.units + 1)
            ),
            SensorValue("memory used", 180 + 420 * load * units, "MiB", source),
            SensorValue("clock", clock, "MHz", source),
            SensorValue("temperature", celsius, "°C", source),
            SensorValue("fan", 900 + 2100 * warmth, "rpm", source),
            *([SensorValue("link load", 100 * link, "%", source)] if p.link_bytes_per_s else []),
            SensorValue("power", 8 + (p.watts - 8) * load, "W", source),
        ]
