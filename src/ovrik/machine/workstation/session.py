"""What is asked of the desktop over D-Bus: to stay awake while something is timed, and to say that it has ended.

Every request is refused gracefully: a server, a container or another desktop has nobody to ask."""

import contextlib
import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

WAIT_S = 2.0


@dataclass
class Awake:
    """What was granted. Fields: `sleep`, `screen`, whether each is held off."""

    sleep: bool = False
    screen: bool = False
    _undo: list[Any] = field(default_factory=list)

    @property
    def words(self) -> str:
        """What could not be held off, "" when all is."""
        missing = [
            name for name, held in (("sleep", self.sleep), ("screen blanking", self.screen)) if not held
        ]
        return f"{' and '.join(missing)} can't be held off here" if missing else ""


@contextlib.contextmanager
def kept_awake(why: str) -> Iterator[Awake]:
    """While this lasts the machine neither goes to sleep nor blanks its screen, where the desktop can be asked."""
    made = Awake()
    for ask in (_hold_sleep, _hold_screen):
        with contextlib.suppress(Exception):
            ask(made, why)
    try:
        yield made
    finally:
        for undo in made._undo:
            with contextlib.suppress(Exception):
                undo()


def _hold_sleep(made: Awake, why: str) -> None:
    """By logind: held as long as the descriptor is open, and let go when this process ends, however it does."""
    from jeepney import DBusAddress, new_method_call
    from jeepney.io.blocking import open_dbus_connection

    manager = DBusAddress(
        "/org/freedesktop/login1",
        bus_name="org.freedesktop.login1",
        interface="org.freedesktop.login1.Manager",
    )
    with open_dbus_connection("SYSTEM", enable_fds=True) as bus:
        call = new_method_call(manager, "Inhibit", "ssss", ("sleep:idle", "Ovrik", why, "block"))
        reply = bus.send_and_get_reply(call, timeout=WAIT_S)
        if reply.header.message_type.name != "method_return":
            return
        held = reply.body[0].to_raw_fd()
    os.set_inheritable(held, False)
    made.sleep = True
    made._undo.append(lambda: os.close(held))


def _hold_screen(made: Awake, why: str) -> None:
    """By the session's screen saver; it lets go when the connection ends."""
    from jeepney import DBusAddress, new_method_call
    from jeepney.io.blocking import open_dbus_connection

    saver = DBusAddress(
        "/org/freedesktop/ScreenSaver",
        bus_name="org.freedesktop.ScreenSaver",
        interface="org.freedesktop.ScreenSaver",
    )
    bus = open_dbus_connection("SESSION")
    try:
        reply = bus.send_and_get_reply(
            new_method_call(saver, "Inhibit", "ss", ("Ovrik", why)), timeout=WAIT_S
        )
    except Exception:
        bus.close()
        raise
    if reply.header.message_type.name != "method_return":
        bus.close()
        return
    made.screen = True
    made._undo.append(bus.close)


def notify(title: str, words: str) -> bool:
    """Show a desktop notification; False where nobody shows them."""
    try:
        from jeepney import DBusAddress, new_method_call
        from jeepney.io.blocking import open_dbus_connection

        shown = DBusAddress(
            "/org/freedesktop/Notifications",
            bus_name="org.freedesktop.Notifications",
            interface="org.freedesktop.Notifications",
        )
        body: tuple[object, ...] = ("Ovrik", 0, "ovrik", title, escaped_path(words), [], {}, -1)
        with open_dbus_connection("SESSION") as bus:
            reply = bus.send_and_get_reply(
                new_method_call(shown, "Notify", "susssasa{sv}i", body), timeout=WAIT_S
            )
        return bool(reply.header.message_type.name == "method_return")
    except Exception:  # no bus, no service, no answer: all the same here
        return False


def escaped_path(text: str) -> str:
    """A notification's text may hold markup: what comes from a study is none."""
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
