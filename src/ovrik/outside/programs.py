"""Which programs run on this machine, to choose the one that exports."""

import psutil

from ovrik.errors import OvrikError


def running() -> list[tuple[int, str]]:
    """This user's programs, by number and name, that Ovrik itself has not started."""
    me = psutil.Process()
    own = {me.pid, *(c.pid for c in me.children(recursive=True))}
    out = []
    for p in psutil.process_iter(["name", "uids"]):
        if p.info["uids"] and p.info["uids"].real == me.uids().real and p.pid not in own and p.info["name"]:
            out.append((p.pid, p.info["name"]))
    return out


def pid_of(text: str) -> int | None:
    """A process by its number, or the newest one of a name; None for no text. Raises OvrikError when there is
    none."""
    if not text:
        return None
    if text.isdigit():
        if not psutil.pid_exists(int(text)):
            raise OvrikError(f"There is no process {text}", "Give the number or name of one that runs")
        return int(text)
    named = [p for p in psutil.process_iter(["name", "create_time"]) if p.info["name"] == text]
    if not named:
        raise OvrikError(f"No process is called {text}", "Start the program first, or leave --process out")
    return int(max(named, key=lambda p: p.info["create_time"]).pid)
