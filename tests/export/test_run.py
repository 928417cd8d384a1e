"""A run ends in a finished file or in a clear failure, and says why."""

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from ovrik.export.run.progress import Progress
from ovrik.export.run.timed import timed_run
from ovrik.machine.builds.build import locate
from ovrik.quality.decode.probe import probe
from ovrik.study.clip.footage import Footage
from ovrik.study.encoder.recipe import recipe
from ovrik.study.programme.excerpt import Excerpt, whole
from plain_export import export_command


def command(footage: Footage, partial: Path, excerpt: Excerpt | None = None, **settings: object) -> list[str]:
    made = recipe("libx264", "ultrafast", 24)
    argv = export_command(str(locate("bundled")), footage, excerpt or whole(footage), made, partial)
    for option, value in settings.items():
        argv[argv.index(f"-{option}") + 1] = str(value)
    return argv


def test_a_real_run(footage: Footage, tmp_path: Path) -> None:
    partial, output = tmp_path / "part.mp4", tmp_path / "out.mp4"
    seen: list[Progress] = []
    result = timed_run([command(footage, partial)], partial, output, seen.append)
    assert (result.state, result.reason) == ("done", "")
    assert not partial.exists()
    assert result.output_bytes == output.stat().st_size > 0
    assert result.frames == 30
    assert seen[-1].ended
    assert result.usage is not None
    assert 0 < (result.first_frame_s or 0) <= (result.last_frame_s or 0) <= result.usage.wall_s
    assert result.usage.user_s > 0


@pytest.mark.parametrize("start", [0, 1, 7, 25])
def test_excerpts_are_exact_to_the_frame(footage: Footage, tmp_path: Path, start: int) -> None:
    """Each of the clip's frames is different; the excerpt's first one must be the right one."""
    from ovrik.quality.viewing.frames import FrameReader

    partial, output = tmp_path / "part.mkv", tmp_path / "out.mkv"
    excerpt = Excerpt(start, 5)
    argv = command(footage, partial, excerpt, f="matroska", crf=0, pix_fmt="yuv422p10le")
    assert timed_run([argv], partial, output).state == "done"
    made = probe(output)
    assert (made.frames, bool(made.sounds)) == (5, True)
    assert made.container_s == pytest.approx(0.2, abs=0.05)
    ours, theirs = FrameReader(output), FrameReader(Path(footage.path))
    for n in range(5):
        error = np.abs(ours.luma(n).astype(float) - theirs.luma(start + n))
        assert error.mean() < 3  # its neighbours differ by over 30


def test_an_encoder_error_is_reported_in_its_own_words(footage: Footage, tmp_path: Path) -> None:
    partial = tmp_path / "part.mp4"
    result = timed_run([command(footage, partial, preset="swift")], partial, tmp_path / "out.mp4")
    assert result.state == "failed"
    assert "swift" in result.reason
    assert not partial.exists()
    assert not (tmp_path / "out.mp4").exists()


def test_a_failed_run_leaves_the_earlier_output(footage: Footage, tmp_path: Path) -> None:
    partial, output = tmp_path / "part.mp4", tmp_path / "out.mp4"
    assert timed_run([command(footage, partial)], partial, output).state == "done"
    before = output.read_bytes()
    timed_run([command(footage, partial, preset="swift")], partial, output)
    assert output.read_bytes() == before


def test_nothing_written_though_it_says_it_went_well(tmp_path: Path) -> None:
    result = timed_run([[sys.executable, "-c", "pass"]], tmp_path / "p", tmp_path / "o")
    assert (result.state, result.reason) == ("failed", "it ended without an error but wrote nothing")


def test_a_signal_is_named(tmp_path: Path) -> None:
    result = timed_run(
        [[sys.executable, "-c", "import os; os.kill(os.getpid(), 11)"]], tmp_path / "p", tmp_path / "o"
    )
    assert result.reason == "ended by signal 11"


def test_a_program_that_is_not_there_is_a_failed_run(tmp_path: Path) -> None:
    result = timed_run([["/nowhere/ffmpeg"]], tmp_path / "p", tmp_path / "o")
    assert result.state == "failed"
    assert "/nowhere/ffmpeg won't start" in result.reason


def test_stopping(footage: Footage, tmp_path: Path) -> None:
    partial = tmp_path / "part.mp4"
    argv = command(footage, partial, preset="placebo")
    argv[argv.index("-i") : argv.index("-i")] = ["-stream_loop", "200"]
    argv[argv.index("-frames:v") + 1] = "6000"
    started: list[Progress] = []
    result = timed_run([argv], partial, tmp_path / "out.mp4", started.append, lambda: len(started) > 3)
    assert result.state == "stopped"
    assert not partial.exists()


@pytest.fixture
def tiny_disk(tmp_path: Path) -> Iterator[Path]:
    """A file system of 256 KiB; needs the right to mount."""
    place = tmp_path / "disk"
    place.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", "size=256k", "tmpfs", str(place)]
    if os.geteuid() != 0 or subprocess.run(mount, capture_output=True, check=False).returncode:
        pytest.skip("mounting a small file system needs root")
    yield place
    subprocess.run(["umount", str(place)], check=True)


def test_a_full_disk_is_called_so(footage: Footage, tiny_disk: Path, tmp_path: Path) -> None:
    partial = tiny_disk / "part.mp4"
    result = timed_run([command(footage, partial, crf=0)], partial, tmp_path / "out.mp4")
    assert result.state == "failed"
    assert result.reason.startswith("the disk is full")
    assert str(tiny_disk) in result.reason
    assert not partial.exists()


def test_all_passes_are_timed(tmp_path: Path) -> None:
    partial, output = tmp_path / "p", tmp_path / "o"
    first = [sys.executable, "-S", "-c", "import time; time.sleep(0.4); sum(range(3_000_000))"]
    last = [sys.executable, "-S", "-c", f"open({str(partial)!r}, 'w').write('x')"]
    result = timed_run([first, last], partial, output)
    alone = timed_run([last], partial, output)
    assert result.state == alone.state == "done"
    assert result.usage is not None
    assert alone.usage is not None
    assert result.usage.wall_s > alone.usage.wall_s + 0.4
    assert result.usage.user_s > alone.usage.user_s


SLOWLY = """import sys, time
for n in (1, 5, 9):
    print(f"frame={n}\\nprogress=continue", flush=True)
    time.sleep(0.2)
"""


def test_the_first_frame_is_not_the_last(tmp_path: Path) -> None:
    partial = tmp_path / "p"
    argv = [sys.executable, "-S", "-c", f"open({str(partial)!r}, 'w').write('x')\n{SLOWLY}"]
    result = timed_run([argv], partial, tmp_path / "o")
    assert result.state == "done"
    assert result.frames == 9
    assert (result.last_frame_s or 0) - (result.first_frame_s or 0) > 0.3
