"""Behind the wall a program reads its inputs, writes into its outputs' folder and has no network."""

import os
import socket
import struct
import subprocess
import threading
import time
from pathlib import Path

import pytest
from test_run import command

from ovrik.export.run.no_sockets import ALLOW, AT_LEAST, EQUAL, MACHINES, REFUSE, RETURN, can_filter, program
from ovrik.export.run.process import measure
from ovrik.export.run.timed import timed_run
from ovrik.export.run.wall import Wall, environment, level, wall_words
from ovrik.machine.builds.build import locate
from ovrik.study.clip.footage import Footage
from ovrik.work.timing.fairness import _homes

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
        (3, "outputs, opens no socket; it"),
        (6, "outputs, opens no socket and signals no other program; it"),
    ],
)
def test_what_the_kernel_offers_is_said(monkeypatch: pytest.MonkeyPatch, level: int, said: str) -> None:
    monkeypatch.setattr("ovrik.export.run.wall.level", lambda: level)
    assert said in wall_words()
    monkeypatch.setattr("ovrik.export.run.wall.can_filter", lambda: False)
    assert level < 4 or "has no TCP" in wall_words()


SPEAKS = """
import os, socket, sys
kind, name = sys.argv[1:]
if kind == "signal":
    os.kill(int(name), 0)
elif kind == "udp":
    socket.socket(socket.AF_INET, socket.SOCK_DGRAM).sendto(b"x", ("127.0.0.1", int(name)))
elif kind == "memory":
    open("/dev/shm/" + name, "w").close()
elif kind == "told":
    sys.exit(name not in os.environ)
elif kind == "parent":
    sys.exit(not open(f"/proc/{name}/environ").read())
else:
    there = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    there.connect("\\0" + name if kind == "abstract" else name)
"""


@pytest.mark.skipif(level() < 6 or not can_filter(), reason="this kernel keeps no program from that")
def test_speaks_to_nobody(tmp_path: Path, wall: Wall, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("OWN_TOKEN", "secret")
    monkeypatch.setenv("OMP_NUM_THREADS", "2")
    script = tmp_path / "out" / "speaks.py"
    script.write_text(SPEAKS)
    name = f"ovrik-test-{os.getpid()}"
    with (
        socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as udp,
        socket.socket(socket.AF_UNIX) as abstract,
        socket.socket(socket.AF_UNIX) as named,
        subprocess.Popen(["/bin/sleep", "60"]) as other,
    ):
        udp.bind(("127.0.0.1", 0))
        abstract.bind("\0" + name)
        named.bind(str(tmp_path / "out" / "s"))
        abstract.listen()
        named.listen()
        attempts = {
            "udp": str(udp.getsockname()[1]),
            "abstract": name,
            "named": str(tmp_path / "out" / "s"),
            "signal": str(other.pid),
            "memory": name,
            "parent": str(os.getpid()),
            "told": "OWN_TOKEN",
        }
        for kind, what in attempts.items():
            say = ["/usr/bin/python3", script, kind, what]
            assert exit_code(None, *say) == 0, f"{kind} works without the wall"
            assert exit_code(wall, *say) != 0, kind
        assert exit_code(wall, "/usr/bin/python3", script, "told", "OMP_NUM_THREADS") == 0
        other.kill()
    Path("/dev/shm", name).unlink()


def test_the_filter_is_one_that_kernels_take() -> None:
    """Every jump lands on the refusal, the last instruction; what is not named is allowed by the one before it."""
    for calls in MACHINES.values():
        lines = list(struct.iter_unpack("HBBI", program(calls)))
        for at, (code, met, unmet, value) in enumerate(lines):
            if code in (EQUAL, AT_LEAST) and value != calls.audit:
                assert (at + 1 + met, unmet) == (len(lines) - 1, 0)
        assert [line[0] for line in lines[-2:]] == [RETURN, RETURN]
        assert [line[3] for line in lines[-2:]] == [ALLOW, REFUSE]


def test_a_build_in_the_home_folder_does_not_open_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOME", str(tmp_path))
    program_there = tmp_path / "encoder"
    program_there.touch()
    assert _homes(program_there)[:2] == [program_there, program_there]
    assert not {tmp_path, tmp_path.parent} & set(_homes(program_there))
    below = tmp_path / "builds" / "encoder"
    assert below.parent in _homes(below)


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("PATH", True),
        ("LC_ALL", True),
        ("OMP_NUM_THREADS", True),
        ("AVATAR_TOKEN", False),
        ("PYTHON_KEY", False),
    ],
)
def test_what_an_encoder_is_told(name: str, told: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(name, "x")
    assert (name in environment(Wall((), ()))) is told
    assert name in environment(None)
