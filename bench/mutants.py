"""`./run mutants`: puts each fault of the table into a copy of the code and sees whether a test goes red."""

import os
import shutil
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from bench.fault import Fault
from bench.fault_table import FAULTS

ROOT = Path(__file__).parents[1]
COPIED = ("src", "tests", "bench", "docs", "pyproject.toml", "README.md")
MOST_S = 400
GOAL = 0.95
WORKERS = 2


def _copy(into: Path) -> Path:
    for name in COPIED:
        there = ROOT / name
        if there.is_dir():
            shutil.copytree(there, into / name, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        else:
            shutil.copy(there, into / name)
    return into


def seen(fault: Fault, tree: Path) -> str:
    """ "seen", "NOT SEEN", or why the fault could not be put in."""
    path = tree / "src" / "ovrik" / fault.file
    sound = path.read_text()
    if sound.count(fault.old) < 1:
        return "OUT OF DATE: its text is not in the file"
    path.write_text(sound.replace(fault.old, fault.new, 1))
    try:
        words = [
            f"tests/{w}" if "/" in w or (tree / "tests" / w).exists() else w for w in fault.tests.split()
        ]
        words = [w for w in words if not w.startswith("tests/") or (tree / w).exists()]
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *words],
            cwd=tree,
            env={**os.environ, "PYTHONPATH": f"{tree / 'src'}:{tree}", "QT_QPA_PLATFORM": "offscreen"},
            capture_output=True,
            timeout=MOST_S,
            check=False,
        )
    except subprocess.TimeoutExpired:
        return "seen (the tests did not end)"
    finally:
        path.write_text(sound)
    return "seen" if done.returncode == 1 else f"NOT SEEN (pytest ended with {done.returncode})"


def main(chosen: list[str]) -> int:
    """All faults, or those whose words hold one of `chosen`; the exit code says whether the goal was reached."""
    todo = [f for f in FAULTS if not chosen or any(c in f.what or c in f.file for c in chosen)]
    answers: dict[str, str] = {}
    queue, lock = list(todo), threading.Lock()

    def work(tree: Path) -> None:
        while True:
            with lock:
                if not queue:
                    return
                fault = queue.pop(0)
            answer = seen(fault, tree)
            with lock:
                answers[fault.what] = answer
                print(f"{len(answers):3}/{len(todo)}  {answer:10}  {fault.file}: {fault.what}", flush=True)

    with tempfile.TemporaryDirectory(prefix="ovrik-mutants-") as folder:
        trees = [_copy(Path(folder) / str(n)) for n in range(WORKERS) if not (Path(folder) / str(n)).mkdir()]
        workers = [threading.Thread(target=work, args=(tree,)) for tree in trees]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join()
    caught = sum(a.startswith("seen") for a in answers.values())
    print(f"\n{caught} of {len(todo)} faults seen ({100 * caught / max(len(todo), 1):.0f} %)")
    for what, answer in answers.items():
        if not answer.startswith("seen"):
            print(f"  {answer}: {what}")
    return 0 if caught >= GOAL * len(todo) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
