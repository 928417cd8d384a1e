"""A tiny clip, folders of the tests' own, and stand-alone studies to work on."""

import gc
import itertools
import os
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from xdist.scheduler import LoadScopeScheduling

from tiny_clip import write_clip

os.environ.setdefault("QT_QPA_PLATFORM", "xcb" if os.environ.get("DISPLAY") else "offscreen")

import hypothesis

from calm import CALM
from ovrik.machine.builds import described
from ovrik.quality.decode.probe import probe
from ovrik.store.study import Study
from ovrik.study.clip.footage import Footage
from ovrik.study.contender.contender import Contender, labelled
from ovrik.study.encoder.recipe import recipe
from ovrik.study.files.kept import cache_folder
from ovrik.study.programme.excerpt import whole
from ovrik.study.programme.programme import of_clip
from ovrik.work.evidence import noise
from ovrik.work.timing import series
from played import Played
from swept import SWEPT
from unmeasured import leave_losses_out

# How soon cases are drawn says how busy the machine is, and nothing of what they are drawn for. `./run bench fuzz`
# draws many more.
hypothesis.settings.register_profile(
    "busy", deadline=None, max_examples=50, suppress_health_check=[hypothesis.HealthCheck.too_slow]
)
hypothesis.settings.load_profile("busy")


@pytest.fixture(scope="session", autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Caches and data go to folders of the tests' own, never to the user's."""
    old = {name: os.environ.get(name) for name in ("XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME")}
    for name in old:
        os.environ[name] = str(tmp_path_factory.mktemp(name.lower()))
    seed = os.environ.get("OVRIK_TEST_SEED")
    if seed:  # what an earlier process of the same `./run test` has found of builds and devices
        shutil.copytree(seed, cache_folder(), dirs_exist_ok=True)
    yield
    if seed and cache_folder("trials").exists():
        shutil.copytree(cache_folder("trials"), Path(seed, "trials"), dirs_exist_ok=True)
        for found in cache_folder().glob("builds-*.json"):
            shutil.copy(found, seed)
    for name, value in old.items():
        os.environ.pop(name) if value is None else os.environ.__setitem__(name, value)


NUMBERS = itertools.count()


@pytest.fixture(autouse=True)
def own_data(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """What one test approves, adds or describes is not there for the next; answers of builds stay cached."""
    # Not there yet: to make a folder for each of thousands of tests takes longer than many a test.
    place = tmp_path_factory.getbasetemp() / "data" / str(next(NUMBERS))
    monkeypatch.setenv("XDG_DATA_HOME", str(place))
    monkeypatch.setattr(described, "_introduced", {})


MEASURED = ("work/test_scoring", "desk/test_scrutiny_window", "quality/test_beside", "work/test_methods")
"""Where kinds of loss are what is tested: measuring them is most of what it costs to check an output."""


@pytest.fixture(autouse=True, scope="module")
def losses_left_out(request: pytest.FixtureRequest) -> Iterator[None]:
    """Losses of 0 in every frame, elsewhere."""
    with pytest.MonkeyPatch.context() as patch:
        if not any(name in request.path.as_posix() for name in MEASURED):
            leave_losses_out(patch)
        yield


@pytest.fixture(autouse=True)
def no_fixed_job(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing is known of this machine, and no test but its own spends seconds on a job to learn it."""
    monkeypatch.setattr(noise, "spread_of_job", lambda _stop: None)


@pytest.fixture
def played(monkeypatch: pytest.MonkeyPatch) -> Played:
    """From here on exports are played."""
    made = Played()
    monkeypatch.setattr(series, "timed_run", lambda *a, **k: made.run(*a, **k))
    return made


@pytest.fixture(scope="session")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """30 frames, 320x180, 25 fps, stereo."""
    return write_clip(tmp_path_factory.mktemp("clips") / "tiny clip.mkv")


@pytest.fixture(scope="session")
def footage(clip: Path) -> Footage:
    """The tiny clip as it is read."""
    return probe(clip)


def three_contenders() -> list[Contender]:
    """Two that run and one whose container can't hold its codec."""
    return labelled(
        [
            # Sound as it is: to code it takes longer than the pictures do.
            Contender("bundled", recipe("libx264", "veryfast", 24, container="mov", sound="pcm_s16le")),
            Contender("bundled", recipe("libx264", "ultrafast", 30, container="mov", sound="pcm_s16le")),
            Contender("bundled", recipe("libsvtav1", "12", 40, container="mov")),
        ]
    )


@pytest.fixture
def study(tmp_path: Path, footage: Footage) -> Iterator[Study]:
    """A study of the tiny clip with three contenders, nothing timed."""
    made = Study.create(tmp_path / "tiny.ovrik", "Tiny", of_clip(footage), whole(footage), rounds=2, warmup=0)
    # What else a test machine does must not change how many runs there are.
    made.set_conduct(CALM)
    for contender in three_contenders():
        made.add_contender(contender)
    yield made
    made.close()


TOGETHER = {
    "machine/test_trials.py": "trials",
    "machine/test_opening.py": "trials",
    "export/test_treat.py": "trials",
    "work/test_on_device.py": "trials",
}
"""Files that one process runs after one another: what the first learns of builds and devices, the others know."""
FIRST = (
    "trials",
    "test_command_line",
    "test_true_frames",
    "test_timing_window",
    "test_working_window",
    "test_fairness",
    "test_trust",
    "test_fuzz",
    "test_match_quality",
    "test_assembly",
    "test_scoring",
    "test_programmes",
    "test_watch",
)
"""Groups that take longest: one that began last would be waited for by itself."""


QUICK = (
    "analysis/",
    "store/",
    "study/",
    "report/",
    "export/test_order",
    "export/test_progress",
    "work/test_one_place",
)
"""What `--quick` runs: whatever works on numbers, files and words, and not the simulations among it."""
SIMULATIONS = (
    "test_best",
    "test_verdict_properties",
    "test_passing_on",
    "test_factor_effects",
    "test_losses",
)


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--quick`, a minute's worth of tests; `--sweeps`, what `./run bench sweeps` goes through."""
    parser.addoption("--quick", action="store_true", help="only what needs neither encoders nor windows")
    parser.addoption("--sweeps", action="store_true", help="only the many cases of what a few show")


def pytest_ignore_collect(collection_path: Path, config: pytest.Config) -> bool | None:
    """What `--quick` leaves out is not even read."""
    if not config.getoption("--quick") or collection_path.suffix != ".py":
        return None
    file = collection_path.relative_to(Path(__file__).parent).as_posix()
    wanted = file.startswith(QUICK) and not any(name in file for name in SIMULATIONS)
    return None if wanted else True


def group_of(nodeid: str) -> str:
    """The file of a test, or what it belongs together with."""
    file = nodeid.split("::")[0].removeprefix("tests/")
    return TOGETHER.get(file, file)


class ByFile(LoadScopeScheduling):
    """A file goes to one process as a whole: what its tests share is made once."""

    def _split_scope(self, nodeid: str) -> str:
        return group_of(nodeid)


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> ByFile:
    """Files in the order that they are collected in."""
    config.option.loadscopereorder = False
    return ByFile(config, log)


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """The longest files first."""
    sweeps = config.getoption("--sweeps")
    if sweeps and [Path(a).name for a in config.args] == ["tests"]:
        named = [item.nodeid.removeprefix("tests/") for item in items]
        if gone := [n for n in SWEPT if not any(name.startswith(n) for name in named)]:
            raise pytest.UsageError(f"tests/swept.py names what is not there: {gone}")
    items[:] = [item for item in items if _swept(item) == sweeps]
    items.sort(key=lambda item: _place(group_of(item.nodeid)))


def _swept(item: pytest.Item) -> bool:
    name = item.nodeid.removeprefix("tests/")
    return bool(item.get_closest_marker("sweep")) or name.startswith(SWEPT)


def _place(group: str) -> int:
    return next((n for n, name in enumerate(FIRST) if name in group), len(FIRST))


def pytest_collection_finish() -> None:
    """What has been loaded by now stays: it is not gone through again and again for garbage."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


EXPECTED_SKIPS = (
    "no such device here, or one that gives wrong pictures",  # Vulkan on the processor does
    "this kernel offers no Landlock",
    "this kernel keeps no program from the network",
    "mounting a small file system needs root",
)
"""What a machine may lack. Any other skip fails `./run test`: a test that nobody runs proves nothing."""
_unexpected: list[str] = []


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """Notes skips that are not among the expected ones."""
    if report.skipped and not hasattr(report, "wasxfail"):
        why = str(report.longrepr[2] if isinstance(report.longrepr, tuple) else report.longrepr)
        if not any(expected in why for expected in EXPECTED_SKIPS):
            _unexpected.append(f"{report.nodeid}: {why}")


def pytest_sessionfinish(session: pytest.Session, exitstatus: int) -> None:
    """Fails the session that skipped what it should not have."""
    if _unexpected and os.environ.get("OVRIK_STRICT_SKIPS") and exitstatus == 0:
        print("\nunexpected skips:", *_unexpected, sep="\n  ")
        session.exitstatus = 1
