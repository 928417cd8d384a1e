"""The start key over a real message bus of its own, against a portal that answers as the published interface says."""

import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from ovrik.outside.start_key import StartKey

PORTAL = """
import sys, time
from jeepney import DBusAddress, MessageType, new_method_return, new_signal
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import Proxy, open_dbus_connection

refuse, presses = sys.argv[1] == "refuse", int(sys.argv[2])
bus = open_dbus_connection("SESSION")
Proxy(message_bus, bus).RequestName("org.freedesktop.portal.Desktop")
print("ready", flush=True)
PLACE, API = "/org/freedesktop/portal/desktop", "org.freedesktop.portal."
while True:
    call = bus.receive()
    if call.header.message_type is not MessageType.method_call:
        continue
    fields = call.header.fields
    sender, member = fields[7], fields[3]
    if member == "Close":
        print("closed", flush=True)
        continue
    if member not in ("CreateSession", "BindShortcuts"):
        continue
    options = call.body[-1]
    path = f"{PLACE}/request/{sender[1:].replace('.', '_')}/{options['handle_token'][1]}"
    bus.send(new_method_return(call, "o", (path,)))
    if member == "CreateSession":
        session = f"{PLACE}/session/{options['session_handle_token'][1]}"
        results = {"session_handle": ("s", session)}
    else:
        named, facts = call.body[1][0]
        facts = {"description": facts["description"], "trigger_description": ("s", "Ctrl+Alt+S")}
        results = {"shortcuts": ("a(sa{sv})", [(named, facts)])}
    code = 1 if refuse else 0
    answer = DBusAddress(path, interface=API + "Request")
    bus.send(new_signal(answer, "Response", "ua{sv}", (code, results)))
    if member == "BindShortcuts":
        time.sleep(0.2)
        here = DBusAddress(PLACE, interface=API + "GlobalShortcuts")
        for other in (session + "x", *[session] * presses):
            bus.send(new_signal(here, "Activated", "osta{sv}", (other, named, 1, {})))
            time.sleep(0.1)
"""


@pytest.fixture
def bus(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A session bus that only this test is on."""
    with subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--print-address"], stdout=subprocess.PIPE, text=True
    ) as daemon:
        assert daemon.stdout is not None
        monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", daemon.stdout.readline().strip())
        yield
        daemon.terminate()


def portal(folder: Path, *arguments: str) -> "subprocess.Popen[str]":
    script = folder / "portal.py"
    script.write_text(PORTAL)
    made = subprocess.Popen([sys.executable, str(script), *arguments], stdout=subprocess.PIPE, text=True)
    assert made.stdout is not None
    assert made.stdout.readline() == "ready\n"
    return made


def wait_for(holds: object) -> None:
    until = time.monotonic() + 5
    while not holds():  # type: ignore[operator]
        assert time.monotonic() < until
        time.sleep(0.02)


def test_each_press_is_heard_and_those_of_others_are_not(bus: None, tmp_path: Path) -> None:
    with portal(tmp_path, "allow", "3") as there:
        moments: list[float] = []
        key = StartKey(moments.append)
        began = time.monotonic()
        key.start()
        wait_for(lambda: len(moments) >= 3)
        time.sleep(0.3)
        assert len(moments) == 3
        assert key.bound == "Ctrl+Alt+S"
        assert began < moments[0] < moments[1] < moments[2]
        assert moments[1] - moments[0] == pytest.approx(0.1, abs=0.09)
        key.stop()
        assert there.stdout is not None
        assert there.stdout.readline() == "closed\n", "the key is given back"
        there.kill()


def test_without_leave_there_is_no_key(bus: None, tmp_path: Path) -> None:
    with portal(tmp_path, "refuse", "1") as there:
        moments: list[float] = []
        key = StartKey(moments.append)
        key.start()
        wait_for(lambda: not key._thread.is_alive())
        assert (key.bound, moments) == ("", [])
        there.kill()


def test_a_desktop_without_portal_or_bus_has_none(bus: None, monkeypatch: pytest.MonkeyPatch) -> None:
    for address in (None, "unix:path=/nowhere/at/all", ""):
        if address is not None:
            monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", address)
        key = StartKey(lambda _at: None)
        key.start()
        wait_for(lambda k=key: not k._thread.is_alive())
        assert key.bound == ""
        key.stop()
