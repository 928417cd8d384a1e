"""Programs of the tests' own, allowed to run as a user would allow them."""

from pathlib import Path

from ovrik.machine.builds.approvals import approve, build_claim


def allow_program(path: Path) -> str:
    """Approve an encoding program; gives its path as plans name it."""
    approve(build_claim(path))
    return str(path)
