"""The one-way imports of the layout hold."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_import_contracts() -> None:
    tool = Path(sys.executable).parent / "lint-imports"
    done = subprocess.run([str(tool), "--no-cache"], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_the_core_works_without_an_interface() -> None:
    code = (
        "import sys, ovrik.cli, ovrik.work.scoring, ovrik.report.as_json\nassert 'PyQt6' not in sys.modules"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0
