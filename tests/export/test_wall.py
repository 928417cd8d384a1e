"""Behind the wall a program reads its inputs, writes into its outputs' folder and has no network."""

import os
import socket
import threading
import time
from pathlib import Path

import pytest
from test_run import command

from ovrik.export.run.process import measure
from ovrik.export.run.timed import timed_run
from ovrik.export.run.wall import Wall, level, wall_words
from ovrik.machine.builds.build import locate
from ovrik.study.clip.footage import Footage

walled = pytest.mark.skipif(not level(), reason="this kernel offers no Landlock")


@pytest.fixture
def wall(tmp_path: Path) -> Wall:
    """Around one file to read and one folder to write into."""
    (tmp_path / "in.txt").write_text("input")
    (tmp_path / "secret.txt").write_text("secret")
    (tmp_path / "out").mkdir()
    return Wall((tmp_path / "in.txt",), (tmp_path / "out",))


def exit_code(wall: Wall | None, *arguments: str | Path) -> int:
    return measure([str(a) for a in arguments], wall=wall).exit_code


@walled
def test_reads_only_what_it_is_given(tmp_path: Path, wall: Wall) -> None:
    assert exit_code(wall, "/usr/bin/cat", tmp_path / "in.txt") == 0
    assert exit_code(wall, "/usr/bin/cat", tmp_path / "secret.txt") != 0
    assert exit_code(None, "/usr/bin/cat", tmp_path / "secret.txt") == 0


@walled
def test_writes_only_into_its_outputs(tmp_path: Path, wall: Wall) -> None:
    assert exit_code(wall, "/usr/bin/cp", tmp_path / "in.txt", tmp_path / "out" / "copy") == 0
    assert (tmp_path / "out" / "copy").read_text() == "input"
    assert exit_code(wall, "/usr/bin/cp", tmp_path / "in.txt", tmp_path / "elsewhere") != 0
    assert exit_code(wall, "/usr/bin/rm", "-f", tmp_path / "secret.txt") != 0
    assert exit_code(wall, "/usr/bin/truncate", "-s", "0", tmp_path / "in.txt") != 0
    shorten = "truncate($ARGV[0], 0) or exit 1"  # by its name, not through an open file
    assert level() < 3 or exit_code(wall, "/usr/bin/perl", "-e", shorten, tmp_path / "in.txt") != 0
    assert not (tmp_path / "elsewhere").exists()
    assert (tmp_path / "in.txt").read_text() == "input"
    assert (tmp_path / "secret.txt").exists()


@pytest.mark.skipif(level() < 4, reason="this kernel keeps no program from the network")
def test_has_no_network(wall: Wall) -> None:
    seen: list[bytes] = []
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(5)

        def answer() -> None:
            try:
                peer, _address = server.accept()
            except (TimeoutError, OSError):
                return
            seen.append(peer.recv(1))
            peer.close()

        waiting = threading.Thread(target=answer)
        waiting.start()
        say = f"echo hello > /dev/tcp/127.0.0.1/{server.getsockname()[1]}"
        assert exit_code(wall, "/bin/bash", "-c", say) != 0
        assert not seen
        assert exit_code(None, "/bin/bash", "-c", say) == 0
        waiting.join(5)
    assert seen


@walled
def test_the_wall_does_not_close_around_ovrik(tmp_path: Path, wall: Wall) -> None:
    before = threading.active_count()
    for _ in range(5):
        assert exit_code(wall, "/usr/bin/true") == 0
    (tmp_path / "ours").write_text("free")
    assert exit_code(None, "/usr/bin/cat", tmp_path / "secret.txt") == 0
    deadline = time.monotonic() + 5
    while threading.active_count() > before and time.monotonic() < deadline:
        time.sleep(0.05)
    assert threading.active_count() <= before
    assert len(os.listdir("/proc/self/fd")) < 200


@walled
def test_a_program_that_is_not_there_is_still_said(wall: Wall) -> None:
    with pytest.raises(Exception, match="won't start"):
        measure(["/nowhere/encoder"], wall=wall)


@walled
def test_an_export_works_behind_it_and_a_second_output_does_not(footage: Footage, tmp_path: Path) -> None:
    folder = tmp_path / "outputs"
    folder.mkdir()
    wall = Wall((locate("bundled").parent, Path(footage.path)), (folder,))
    partial, output = folder / "part.mp4", folder / "out.mp4"
    arguments = command(footage, partial)
    assert timed_run([arguments], partial, output, wall=wall).state == "done"
    smuggled = [*arguments, "-f", "null", f"file:{tmp_path}/more.log", "-y", str(tmp_path / "second.mp4")]
    result = timed_run([smuggled], partial, folder / "again.mp4", wall=wall)
    assert result.state == "failed"
    assert "denied" in result.reason.lower()
    assert not (tmp_path / "second.mp4").exists()


def test_the_panel_says_which() -> None:
    assert wall_words().startswith("Landlock" if level() else "none")


@pytest.mark.parametrize(
    ("level", "said"),
    [
        (0, "none: the kernel offers no Landlock"),
        (3, "Landlock 3: a software export reads its inputs, writes its outputs, but may use the network"),
        (4, "Landlock 4: a software export reads its inputs, writes its outputs, has no network"),
        (6, "Landlock 6: a software export reads its inputs, writes its outputs, has no network"),
    ],
)
def test_what_the_kernel_offers_is_said(monkeypatch: pytest.MonkeyPatch, level: int, said: str) -> None:
    monkeypatch.setattr("ovrik.export.run.wall.level", lambda: level)
    assert wall_words() == said
