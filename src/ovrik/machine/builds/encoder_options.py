"""The options an encoder takes, by the build's own list."""

import re
from functools import cache

from ovrik.machine.builds.build import Build, ask_build

OPTION = re.compile(r"^ {2}-([\w:+-]+) +<\w+> +(\S+)")


@cache
def _listed(path: str, sha256: str, topic: str) -> frozenset[str]:
    """Options on a help page that hold for encoding frames."""
    del sha256  # only so that another program at the same path is asked anew
    found = (OPTION.match(line) for line in ask_build(path, "-hide_banner", "-h", topic).splitlines())
    return frozenset(m[1] for m in found if m and m[2].startswith("E") and "V" in m[2])


def encoder_options(build: Build, encoder: str) -> frozenset[str]:
    """Names of the options that this encoder of this build takes, its own and those of all encoders."""
    return _listed(build.path, build.sha256, f"encoder={encoder}") | _listed(build.path, build.sha256, "full")


def unknown_options(build: Build, encoder: str, names: list[str]) -> list[str]:
    """Those of the names that are not on the build's list; a stream specifier ("b:v") is set aside."""
    known = encoder_options(build, encoder)
    return [n for n in names if n.split(":")[0] not in known and n not in known]
