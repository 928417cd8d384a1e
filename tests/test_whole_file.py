"""A whole file stays whole while several threads write it."""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from ovrik.whole_file import write_whole


def test_writers_at_once_do_not_meet(tmp_path: Path) -> None:
    place = tmp_path / "a folder" / "kept.json"
    texts = [str(n) * 200_000 for n in range(8)]
    with ThreadPoolExecutor(8) as threads:
        for written in [threads.submit(write_whole, place, text) for text in texts * 5]:
            written.result()
    assert place.read_text() in texts
    assert list(place.parent.iterdir()) == [place]
