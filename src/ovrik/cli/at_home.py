"""Ovrik at home on the desktop: `ovrik desktop`, `completion`."""

import argparse
import os
import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path

from ovrik.cli.terminal import DONE, answered
from ovrik.errors import OvrikError
from ovrik.study.files.whole_file import write_whole

PLACES = {
    "ovrik.desktop": "applications/ovrik.desktop",
    "ovrik-mime.xml": "mime/packages/ovrik.xml",
    "ovrik.svg": "icons/hicolor/scalable/apps/ovrik.svg",
    "org.ovrik.Ovrik.metainfo.xml": "metainfo/org.ovrik.Ovrik.metainfo.xml",
}
"""Where each file goes, in the user's own data folder."""
REFRESH = (
    ("update-mime-database", "mime"),
    ("update-desktop-database", "applications"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)
SHELLS = ("bash", "zsh", "tcsh")
REFRESH_S = 30


def desktop_(chosen: argparse.Namespace) -> int:
    """`ovrik desktop install|remove`: the menu entry, the icon, and that a double click opens a study."""
    home = data_home()
    paths = [home / place for place in PLACES.values()]
    try:
        for name, place in PLACES.items():
            if chosen.act_on == "remove":
                (home / place).unlink(missing_ok=True)
            else:
                _put(name, home / place)
    except OSError as exc:
        raise OvrikError(f"{home} can't be written ({exc.strerror})", "Check its permissions") from None
    for program, folder in REFRESH:
        _refresh(program, home / folder)
    here = chosen.act_on == "install"
    said = "is in the desktop's menu, and opens *.ovrik" if here else "is out of the menu"
    answered(chosen, {"installed": here, "files": paths}, f"Ovrik {said}: {home}")
    return DONE


def data_home() -> Path:
    """The user's data folder, as the XDG Base Directory Specification has it."""
    given = os.environ.get("XDG_DATA_HOME", "")
    return Path(given) if given.startswith("/") else Path.home() / ".local/share"


def _put(name: str, path: Path) -> None:
    text = resources.files("ovrik.desk").joinpath(f"data/{name}").read_text("utf-8")
    if name == "ovrik.desktop":
        # The menu's PATH need not be the shell's.
        text = text.replace("Exec=ovrik ", f"Exec={desktop_quoted(str(own_program()))} ")
    write_whole(path, text)


def own_program() -> Path:
    """The command that was called, as a menu entry calls it."""
    beside = Path(sys.executable).with_name("ovrik")
    found = shutil.which("ovrik")
    return beside if beside.exists() else Path(found or "ovrik")


def desktop_quoted(program: str) -> str:
    """A program's path as the Desktop Entry Specification wants it in Exec."""
    if not any(c in program for c in " \t\n\"'\\><~|&;$*?#()`%"):
        return program
    inside = program.replace("%", "%%")
    for c in '\\"`$':
        inside = inside.replace(c, f"\\{c}")
    # In a value a backslash is written twice.
    return '"' + inside.replace("\\", "\\\\") + '"'


def _refresh(program: str, folder: Path) -> None:
    """Let the desktop know; one that does not have the program finds the files by itself."""
    found = shutil.which(program)
    if not found or not folder.is_dir():
        return
    quiet = ["--quiet", "--ignore-theme-index"] if program.startswith("gtk") else []
    try:
        subprocess.run([found, *quiet, str(folder)], timeout=REFRESH_S, check=False, capture_output=True)
    except (OSError, subprocess.TimeoutExpired):
        return


def completion_(chosen: argparse.Namespace) -> int:
    """`ovrik completion bash|zsh|tcsh`: what a shell needs to complete commands and options."""
    import shtab

    from ovrik.cli import parser

    script = shtab.complete(parser(), chosen.shell)
    answered(chosen, {"shell": chosen.shell, "script": script}, script)
    return DONE
