"""How long a file takes to be sent."""


def upload_s(size_bytes: float, line_mbit_s: float) -> float:
    """Seconds that so many bytes take on a line of so many megabits (10^6 bits) a second."""
    return 8e-6 * size_bytes / line_mbit_s
