"""A clip that moves all the time, no two frames alike, made by a real build."""

from pathlib import Path

from odd_clips import run


def write_moving(path: Path, seconds: float) -> Path:
    """320×180 at 25 fps, lossless, 8 bit 4:2:0."""
    picture = ("-f", "lavfi", "-i", "mandelbrot=s=320x180:r=25", "-t", str(seconds))
    run(*picture, "-c:v", "ffvhuff", "-pix_fmt", "yuv420p", str(path))
    return path
