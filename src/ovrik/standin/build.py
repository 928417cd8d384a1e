"""Simulated devices as builds: a small program file for each, made when it is first asked for."""

import os
import shlex
import stat
import sys
from pathlib import Path

import platformdirs

import ovrik
from ovrik.standin.profile import KEY, profiles


def state_folder() -> Path:
    """Where simulated devices keep sessions, run counts and activity."""
    return Path(platformdirs.user_cache_dir("ovrik")) / "standin"


def keys() -> list[str]:
    """Build keys of all simulated devices."""
    return [KEY + p.key for p in profiles()]


def program_for(key: str, real: Path) -> Path:
    """The program file of a simulated device; `real` is the encoding program that does its work."""
    name = key.removeprefix(KEY)
    source = str(Path(ovrik.__file__).parents[1])
    code = (
        f"import sys; sys.path.insert(0, {source!r}); from ovrik.standin.program import main; "
        f"sys.exit(main({name!r}, sys.argv[1:]))"
    )
    text = (
        "#!/bin/sh\n"
        f"export OVRIK_STANDIN_PROGRAM={shlex.quote(str(real))}\n"
        f"export OVRIK_STANDIN_STATE={shlex.quote(str(state_folder()))}\n"
        f'exec {shlex.quote(sys.executable)} -P -S -c {shlex.quote(code)} "$@"\n'
    )
    path = state_folder() / f"{key}.program"
    if not path.exists() or path.read_text() != text:
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = path.with_suffix(f".{os.getpid()}")
        partial.write_text(text)
        partial.chmod(partial.stat().st_mode | stat.S_IXUSR | stat.S_IXGRP)
        partial.replace(path)
    return path
