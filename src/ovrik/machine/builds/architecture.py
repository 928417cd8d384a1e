"""The processor that a program file is made for, by the file's own header."""

import platform
from pathlib import Path

ELF_MACHINES = {
    0x3E: "x86_64",
    0xB7: "aarch64",
    0x03: "i686",
    0x28: "armv7l",
    0xF3: "riscv64",
    0x15: "ppc64le",
}
ALSO_NATIVE = {"x86_64": ("i686", "i386"), "aarch64": ("armv7l",)}
"""What a processor runs itself, besides what is made for it alone."""
NAMES = {"amd64": "x86_64", "arm64": "aarch64", "i386": "i686", "i586": "i686"}


def architecture(path: Path) -> str:
    """Processor that a program file is made for, by its ELF header; "" for a script or other. Raises OSError."""
    with path.open("rb") as handle:
        head = handle.read(20)
    if head[:4] != b"\x7fELF" or len(head) < 20:
        return ""
    order = "little" if head[5] == 1 else "big"
    code = int.from_bytes(head[18:20], order)  # type: ignore[arg-type]
    return ELF_MACHINES.get(code, f"machine {code}")


def translated(made_for: str, here: str = "") -> bool:
    """Whether a program for this processor is foreign to this machine: it runs translated, if at all."""
    own = (here or platform.machine()).lower()
    own = NAMES.get(own, own)
    return bool(made_for) and made_for != own and made_for not in ALSO_NATIVE.get(own, ())
