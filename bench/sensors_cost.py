"""What reading the sensors costs at their normal rate."""

import time

from ovrik.machine.sensors.readings import DriverSensors, Sensors, SystemSensors
from ovrik.machine.sensors.simulated import StandinSensors
from ovrik.standin.profile import profiles

RATE_HZ = 2.0


def share_of_a_core(reads: int = 60) -> float:
    """Processor seconds of one reading of everything, times the rate."""
    everything: list[Sensors] = [SystemSensors(), DriverSensors(), *map(StandinSensors, profiles())]
    for sensors in everything:
        sensors.read()
    before = time.process_time()
    for _ in range(reads):
        for sensors in everything:
            sensors.read()
    return (time.process_time() - before) / reads * RATE_HZ
