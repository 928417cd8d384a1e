"""The tests' fuzzing, with a new seed and for ten minutes."""

import os
import re
import secrets
import subprocess
import sys
from pathlib import Path

TESTS = Path(__file__).parents[1] / "tests" / "work" / "test_fuzz.py"


def failures(seconds: float = 600) -> int:
    """How many properties failed; what failed is shown."""
    seed = secrets.randbelow(10**6)
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "--tb=short", str(TESTS)],
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "OVRIK_FUZZ_SECONDS": str(seconds), "OVRIK_FUZZ_SEED": str(seed)},
    )
    if done.returncode == 0:
        return 0
    print(f"seed {seed}\n{done.stdout[-6000:]}", file=sys.stderr)
    return max(len(re.findall(r"^(?:FAILED|ERROR)", done.stdout, re.MULTILINE)), 1)
