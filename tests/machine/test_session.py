"""Staying awake and saying that it is done, over real message buses of this test's own."""

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from ovrik.machine.workstation.session import escaped_path, kept_awake, notify

DESKTOP = """
import os, sys, threading
from jeepney import MessageType, new_error, new_method_return
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import Proxy, open_dbus_connection

bus = open_dbus_connection("SESSION", enable_fds=True)
for name in ("org.freedesktop.login1", "org.freedesktop.ScreenSaver", "org.freedesktop.Notifications"):
    Proxy(message_bus, bus).RequestName(name)
print("ready", flush=True)
while True:
    call = bus.receive()
    if call.header.message_type is not MessageType.method_call:
        continue
    place, member = call.header.fields[2], call.header.fields[3]
    print(member, *call.body, sep="|", flush=True)
    if sys.argv[1] == "refuse":
        bus.send(new_error(call, "org.freedesktop.DBus.Error.AccessDenied"))
    elif member == "Inhibit" and place.endswith("Manager"):
        ours, theirs = os.pipe()
        bus.send(new_method_return(call, "h", (theirs,)))
        os.close(theirs)
        threading.Thread(target=lambda end=ours: print("let go", os.read(end, 1), flush=True), daemon=True).start()
    else:
        bus.send(new_method_return(call, "u", (7,)))
"""


@pytest.fixture
def bus(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    command = ["dbus-daemon", "--session", "--nofork", "--print-address"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as daemon:
        assert daemon.stdout is not None
        address = daemon.stdout.readline().strip()
        monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", address)
        monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", address)
        yield
        daemon.terminate()


def desktop(folder: Path, how: str) -> "subprocess.Popen[str]":
    script = folder / "desktop.py"
    script.write_text(DESKTOP)
    made = subprocess.Popen([sys.executable, str(script), how], stdout=subprocess.PIPE, text=True)
    assert made.stdout is not None
    assert made.stdout.readline() == "ready\n"
    return made


def lines(made: "subprocess.Popen[str]") -> list[str]:
    made.terminate()
    assert made.stdout is not None
    return made.stdout.read().splitlines()


def test_sleep_and_blanking_are_held_off_while_it_lasts(bus: None, tmp_path: Path) -> None:
    made = desktop(tmp_path, "grant")
    assert made.stdout is not None
    with kept_awake("timing exports") as awake:
        assert (awake.sleep, awake.screen, awake.words) == (True, True, "")
        assert made.stdout.readline() == "Inhibit|sleep:idle|Ovrik|timing exports|block\n"
        assert made.stdout.readline() == "Inhibit|Ovrik|timing exports\n"
    assert made.stdout.readline() == "let go b''\n", "held as long as it lasted, and no longer"
    lines(made)


def test_it_is_refused_gracefully(bus: None, tmp_path: Path) -> None:
    made = desktop(tmp_path, "refuse")
    with kept_awake("timing") as awake:
        assert (awake.sleep, awake.screen) == (False, False)
        assert awake.words == "sleep and screen blanking can't be held off here"
    assert not notify("Done", "words")
    assert [x.split("|")[0] for x in lines(made)] == ["Inhibit", "Inhibit", "Notify"]


def test_where_there_is_nobody_to_ask(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DBUS_SESSION_BUS_ADDRESS", "DBUS_SYSTEM_BUS_ADDRESS"):
        monkeypatch.setenv(name, "unix:path=/nowhere/at/all")
    with kept_awake("timing") as awake:
        assert awake.words
    assert not notify("Done", "words")


def test_a_notification_holds_no_markup(bus: None, tmp_path: Path) -> None:
    made = desktop(tmp_path, "grant")
    assert notify("Timed", 'a <b>"bold"</b> & c')
    said = lines(made)
    assert said[0].split("|")[:5] == ["Notify", "Ovrik", "0", "ovrik", "Timed"]
    assert said[0].split("|")[5] == 'a &lt;b&gt;"bold"&lt;/b&gt; &amp; c'
    assert escaped_path("<&>") == "&lt;&amp;&gt;"
