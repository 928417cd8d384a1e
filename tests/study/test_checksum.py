"""The footage checksum sees changes where it samples."""

from pathlib import Path

import pytest

from ovrik.study.files.checksum import BLOCK, footage_checksum


def write(path: Path, size: int, changed_at: int | None = None) -> Path:
    data = bytearray(size)
    if changed_at is not None:
        data[changed_at] = 1
    path.write_bytes(data)
    return path


@pytest.mark.parametrize("at", [0, 5 * BLOCK + 17, 9 * BLOCK - 1])
def test_any_byte_of_a_small_file(tmp_path: Path, at: int) -> None:
    size = 9 * BLOCK
    assert footage_checksum(write(tmp_path / "a", size)) != footage_checksum(write(tmp_path / "b", size, at))


def test_head_and_tail_of_a_large_file(tmp_path: Path) -> None:
    size = 40 * BLOCK + 123
    plain = footage_checksum(write(tmp_path / "a", size))
    assert plain != footage_checksum(write(tmp_path / "b", size, 0))
    assert plain != footage_checksum(write(tmp_path / "c", size, size - 1))
    assert plain == footage_checksum(write(tmp_path / "d", size))


def test_length_counts(tmp_path: Path) -> None:
    assert footage_checksum(write(tmp_path / "a", 1000)) != footage_checksum(write(tmp_path / "b", 1001))
    assert footage_checksum(write(tmp_path / "c", 0)).startswith("sampled-sha256:")
