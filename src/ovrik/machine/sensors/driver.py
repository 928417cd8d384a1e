"""The graphics driver's own library, opened in one place."""

from typing import Any


def driver_devices() -> tuple[Any, list[Any]]:
    """The library and a handle for each device; no handles where there is no such driver."""
    import pynvml

    try:
        pynvml.nvmlInit()
        return pynvml, [pynvml.nvmlDeviceGetHandleByIndex(n) for n in range(pynvml.nvmlDeviceGetCount())]
    except pynvml.NVMLError:
        return pynvml, []
