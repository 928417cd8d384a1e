"""A converter that is kept gives what one that is made anew gives."""

import threading

import av
import numpy as np
import pytest
from av.video.reformatter import Interpolation

from ovrik.quality.decode.converted import MOST, converted


def noise(name: str, wide: int, high: int, seed: int) -> av.VideoFrame:
    draw = np.random.default_rng(seed)
    made = av.VideoFrame(wide, high, name)
    for plane in made.planes:
        rows = np.frombuffer(memoryview(plane), np.uint8)
        rows[:] = draw.integers(0, 256 if "10" not in name else 4, len(rows))
    return made


@pytest.mark.parametrize("name", ["yuv420p", "yuv422p10le", "nv12", "rgb24", "gbrp"])
@pytest.mark.parametrize(("to", "how"), [("yuv444p", Interpolation.AREA), ("gray", Interpolation.BICUBIC)])
def test_it_is_the_same_as_a_new_one(name: str, to: str, how: Interpolation) -> None:
    for seed, size in enumerate(((64, 48), (64, 48), (120, 70), (64, 48))):
        frame = noise(name, *size, seed)
        wanted = frame.reformat(48, 27, to, interpolation=how, threads=1).to_ndarray()
        assert (converted(frame, 48, 27, to, how).to_ndarray() == wanted).all()


def test_each_colour_matrix_is_its_own() -> None:
    for matrix in (1, 6, 1, 9):
        frame = noise("yuv420p", 64, 48, 3)
        frame.colorspace = matrix
        wanted = frame.reformat(48, 27, "rgb24", threads=1).to_ndarray()
        assert (converted(frame, 48, 27, "rgb24").to_ndarray() == wanted).all()


def test_threads_have_their_own_and_no_more_than_a_few() -> None:
    trouble: list[BaseException] = []

    def many(seed: int) -> None:
        try:
            for n in range(3 * MOST):
                frame = noise("yuv420p", 64, 48, seed + n)
                wanted = frame.reformat(16 + n, 16, "gray", threads=1).to_ndarray()
                assert (converted(frame, 16 + n, 16, "gray").to_ndarray() == wanted).all()
        except BaseException as exc:
            trouble.append(exc)

    threads = [threading.Thread(target=many, args=(100 * n,)) for n in range(3)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert trouble == []
