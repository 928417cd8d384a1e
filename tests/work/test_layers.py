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
        "import sys, ovrik.cli, ovrik.work.checking.scoring, ovrik.report.values.everything\n"
        "assert 'PyQt6' not in sys.modules"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_the_window_starts_without_what_few_need() -> None:
    """Packages that take longer to load than the window itself come when they are first used."""
    code = (
        "import sys, ovrik.desk.app, ovrik.desk.stations.verdict, ovrik.desk.stations.timing\n"
        "late = ('stats', 'signal', 'interpolate', 'ndimage', 'optimize', 'linalg')\n"
        "print([name for name in late if f'scipy.{name}' in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
