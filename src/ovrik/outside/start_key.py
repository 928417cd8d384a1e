"""A key that marks the start of an export wherever the keyboard is: a global shortcut of the desktop's portal
(org.freedesktop.portal.GlobalShortcuts, version 1)."""

import itertools
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any

from jeepney import DBusAddress, MatchRule, Message, MessageType, new_method_call
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import DBusConnection, Proxy, open_dbus_connection
from jeepney.wrappers import DBusErrorResponse

BUS, PLACE = "org.freedesktop.portal.Desktop", "/org/freedesktop/portal/desktop"
SHORTCUTS, REQUEST = "org.freedesktop.portal.GlobalShortcuts", "org.freedesktop.portal.Request"
NAME, WORDS, WISHED = "mark-start", "Mark the start of an export", "CTRL+ALT+s"
ANSWER_S, USER_S, LOOK_S = 5.0, 120.0, 0.25
"""How long a portal may take to answer, a user to allow the key, and a look for what came."""
TOKENS = itertools.count(1)
TROUBLE = (OSError, KeyError, ValueError, TimeoutError, DBusErrorResponse)
"""What a desktop without such a portal, or without a bus at all, comes to."""


class StartKey:
    """Listens in a thread of its own until it is stopped. `bound` is the key as the desktop names it, "" while there
    is none: then the window's button is all there is."""

    def __init__(self, on_press: Callable[[float], None]) -> None:
        """`on_press` gets the moment on the monotonic clock, in the listening thread."""
        self.bound = ""
        self._on_press, self._over = on_press, threading.Event()
        self._thread = threading.Thread(target=self._listen, name="start key", daemon=True)

    def start(self) -> None:
        """Ask the desktop for the key; returns at once."""
        self._thread.start()

    def stop(self) -> None:
        """Give the key back."""
        self._over.set()
        self._thread.join(2)

    def _listen(self) -> None:
        try:
            with open_dbus_connection("SESSION") as bus:
                self._serve(bus)
        except TROUBLE:
            self.bound = ""

    def _serve(self, bus: DBusConnection) -> None:
        portal = DBusAddress(PLACE, bus_name=BUS, interface=SHORTCUTS)
        names = {"session_handle_token": ("s", f"ovrik{next(TOKENS)}")}
        made = self._asked(bus, portal, "CreateSession", "a{sv}", (), names, ANSWER_S)
        session = made["session_handle"][1]
        pressed = MatchRule(type="signal", interface=SHORTCUTS, member="Activated", path=PLACE)
        Proxy(message_bus, bus).AddMatch(pressed)
        with bus.filter(pressed, queue=deque()) as came:
            wanted = [(NAME, {"description": ("s", WORDS), "preferred_trigger": ("s", WISHED)})]
            given = self._asked(
                bus, portal, "BindShortcuts", "oa(sa{sv})sa{sv}", (session, wanted, ""), {}, USER_S
            )
            self.bound = _trigger(given)
            while not self._over.is_set():
                message = self._next(bus, came)
                if message is not None and message.body[:2] == (session, NAME):
                    self._on_press(time.monotonic())
        close = DBusAddress(session, bus_name=BUS, interface="org.freedesktop.portal.Session")
        bus.send(new_method_call(close, "Close"))

    def _next(self, bus: DBusConnection, came: "deque[Message]") -> Message | None:
        if not came:
            try:
                return bus.recv_until_filtered(came, timeout=LOOK_S)
            except TimeoutError:
                return None
        return came.popleft()

    def _asked(
        self,
        bus: DBusConnection,
        portal: DBusAddress,
        method: str,
        signature: str,
        body: tuple[Any, ...],
        options: dict[str, Any],
        most_s: float,
    ) -> dict[str, Any]:
        """Ask the portal, and wait for what comes of the request. Raises one of `TROUBLE` when it is refused, or not
        answered in time."""
        token = f"ovrik{next(TOKENS)}"
        sender = bus.unique_name.removeprefix(":").replace(".", "_")
        answered = MatchRule(
            type="signal", interface=REQUEST, member="Response", path=f"{PLACE}/request/{sender}/{token}"
        )
        Proxy(message_bus, bus).AddMatch(answered)
        with bus.filter(answered, queue=deque()) as came:
            call = new_method_call(
                portal, method, signature, (*body, {**options, "handle_token": ("s", token)})
            )
            reply = bus.send_and_get_reply(call, timeout=ANSWER_S)
            if reply.header.message_type is MessageType.error:
                raise DBusErrorResponse(reply)
            until = time.monotonic() + most_s
            while not self._over.is_set() and time.monotonic() < until:
                message = self._next(bus, came)
                if message is not None:
                    code, results = message.body
                    if code:
                        raise ValueError(f"{method} was refused")
                    return dict(results)
        raise TimeoutError(method)


def _trigger(given: dict[str, Any]) -> str:
    """The key as the desktop names it."""
    for name, facts in given.get("shortcuts", ("", []))[1]:
        if name == NAME:
            return str(facts.get("trigger_description", ("s", ""))[1]) or WISHED
    return ""
