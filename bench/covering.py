"""Which tests run which lines, recorded once: a mutant is then tried on those tests alone, the quickest first.

As a plugin of pytest (`-p bench.covering`), every worker writes what it saw to a file of its own in the folder that
`OVRIK_COVERING` names."""

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from bench.trees import ROOT

INTO = "OVRIK_COVERING"
Line = tuple[str, int]


@dataclass(frozen=True)
class Covering:
    """Fields: `tests`, by file below src/ovrik and line, who runs it; `seconds`, how long each of them takes."""

    tests: dict[Line, frozenset[str]]
    seconds: dict[str, float]

    def of_lines(self, file: str, lines: Iterable[int]) -> list[str]:
        """Tests that run one of these lines: file by file, the file that is through soonest first."""
        return self._in_order({test for line in lines for test in self.tests.get((file, line), ())})

    def of_file(self, file: str) -> list[str]:
        """Tests that run any line of a module, likewise."""
        return self._in_order({t for (f, _line), found in self.tests.items() if f == file for t in found})

    def _in_order(self, found: set[str]) -> list[str]:
        whole: dict[str, float] = {}
        for test in found:
            file = test.split("::")[0]
            whole[file] = whole.get(file, 0.0) + self.seconds[test]
        return sorted(found, key=lambda t: (whole[t.split("::")[0]], t.split("::")[0], self.seconds[t]))


def recorded(folder: Path, packages: Iterable[str]) -> Covering:
    """Run the tests of these packages once, unless the folder holds what an earlier run saw."""
    if not list(folder.glob("*.json")):
        folder.mkdir(parents=True, exist_ok=True)
        where = [f"tests/{p}" for p in packages if (ROOT / "tests" / p).exists()]
        words = ["-p", "bench.covering", "-p", "no:cacheprovider", "-n", "2"]
        subprocess.run(
            [sys.executable, "-m", "pytest", "-q", *words, "-m", "not alone and not quiet", *where],
            cwd=ROOT,
            env={
                **os.environ,
                INTO: str(folder),
                "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}",
                "QT_QPA_PLATFORM": "offscreen",
            },
            check=False,
        )
    return read(folder)


def read(folder: Path) -> Covering:
    """What was seen, of all workers."""
    tests: dict[Line, set[str]] = {}
    seconds: dict[str, float] = {}
    for path in folder.glob("*.json"):
        seen = json.loads(path.read_text())
        seconds |= seen["seconds"]
        for file, lines in seen["lines"].items():
            for line, found in lines.items():
                tests.setdefault((file, int(line)), set()).update(found)
    return Covering({line: frozenset(found & seconds.keys()) for line, found in tests.items()}, seconds)


class _Recorder:
    """What one worker sees."""

    def __init__(self, into: Path) -> None:
        from coverage import Coverage

        self.into, self.seconds = into, dict[str, float]()
        self.red = set[str]()
        self.src = ROOT / "src" / "ovrik"
        self.cover = Coverage(data_file=None, source=[str(self.src)], config_file=False)
        self.cover.start()

    @pytest.hookimpl(hookwrapper=True)
    def pytest_runtest_protocol(self, item: pytest.Item) -> Iterator[None]:
        """Lines are counted for this test from here on."""
        began = time.monotonic()
        self.cover.switch_context(item.nodeid)
        yield
        self.cover.switch_context("")
        self.seconds[item.nodeid] = round(time.monotonic() - began, 3)

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """One that is red on sound code says nothing of a mutant."""
        if report.failed:
            self.red.add(report.nodeid)

    def pytest_unconfigure(self) -> None:
        """All is written."""
        self.cover.stop()
        data, lines = self.cover.get_data(), dict[str, Any]()
        for path in data.measured_files():
            found = {line: sorted(filter(None, who)) for line, who in data.contexts_by_lineno(path).items()}
            lines[str(Path(path).relative_to(self.src))] = {line: who for line, who in found.items() if who}
        name = f"{os.environ.get('PYTEST_XDIST_WORKER', 'one')}-{os.getpid()}.json"
        seconds = {test: took for test, took in self.seconds.items() if test not in self.red}
        (self.into / name).write_text(json.dumps({"seconds": seconds, "lines": lines}))


def pytest_configure(config: pytest.Config) -> None:
    """Records, where it is told where to."""
    controller = config.getoption("numprocesses", None) and "PYTEST_XDIST_WORKER" not in os.environ
    if INTO in os.environ and not controller:
        config.pluginmanager.register(_Recorder(Path(os.environ[INTO])), "covering")
