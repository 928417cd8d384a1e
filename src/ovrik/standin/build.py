"""Simulated devices as builds: a small program file for each, made when it is first asked for."""

import shlex
import sys
from pathlib import Path

import ovrik
from ovrik.standin.profile import KEY, profiles
from ovrik.study.files.kept import cache_folder
from ovrik.study.files.whole_file import write_whole


def state_folder() -> Path:
    """Where simulated devices keep sessions, run counts and activity."""
    return cache_folder("standin")


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
        write_whole(path, text, 0o755)
    return path
