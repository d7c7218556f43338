"""Shared fixtures: the demo job, a job file of it, a bench of stand-ins, a home of its own."""

import logging
import os
import sys
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# The plots' library looks through all fonts once for each home: the tests' homes share what it found.
os.environ.setdefault("MPLCONFIGDIR", str(Path(tempfile.gettempdir()) / "tensimeter-plots"))

from tensimeter.bench.setup import Bench, open_bench
from tensimeter.core.model.edits import readings_first
from tensimeter.core.model.job import Assembly, Job
from tensimeter.demo.library import demo_job, hidden_parameters
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile

from . import process_time

# The same examples on every machine: a run that fails can be repeated. Others are tried with
# HYPOTHESIS_PROFILE=default.
settings.register_profile("repeatable", derandomize=True)
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "repeatable"))

PROCESS_TIME = process_time.begin()

#: How fast the stand-ins' clock runs in tests.
SPEED = 400.0


#: What is quick and tells of a fault in the ground floor comes first.
ORDER = ("core", "store", "report", "cli", "bench", "ui")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Quick tests first, by both workers: each is given one half of the list to begin with."""
    files: dict[str, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(str(item.path), []).append(item)
    rank = {room: k for k, room in enumerate(ORDER)}
    ordered = sorted(files, key=lambda path: rank.get(Path(path).parent.name, len(ORDER)))
    items[:] = [item for half in (ordered[::2], ordered[1::2]) for path in half for item in files[path]]


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter, config: pytest.Config) -> None:
    """Leave what each file took for `make quick`, where most of the suite ran."""
    seconds: dict[str, float] = {}
    for reports in terminalreporter.stats.values():
        for report in reports:
            if isinstance(report, pytest.TestReport):
                file = report.nodeid.split("::")[0]
                seconds[file] = round(seconds.get(file, 0.0) + report.duration, 3)
    if len(seconds) > 80 and config.cache is not None:
        config.cache.set("tensimeter/seconds", seconds)


@pytest.fixture(autouse=True)
def own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Nothing a test does reaches the user's own folders."""
    home = tmp_path / "home"
    home.mkdir()
    monkeypatch.setenv("HOME", str(home))
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(home / name.lower()))
    monkeypatch.setenv("XDG_DOCUMENTS_DIR", str(home / "Documents"))
    return home


@pytest.fixture(scope="session")
def demo() -> Job:
    return demo_job("ridge-pier")


@pytest.fixture(scope="session")
def running(demo: Job) -> Job:
    """The demo job, said to be built and running: only the holds of Prove stand before a real load."""
    return demo.model_copy(update={"assembly": Assembly(already_running=True)})


@pytest.fixture
def job_file(tmp_path: Path, demo: Job):
    with JobFile.create(tmp_path / "ridge.tensi", demo) as file:
        yield file


@pytest.fixture
def shed_file(tmp_path: Path):
    """A supply known by its nameplate only."""
    with JobFile.create(tmp_path / "shed.tensi", readings_first("Shed supply", "12V 5A")) as file:
        yield file


@pytest.fixture
def stand_ins(demo: Job):
    with SimulatedBench(demo, truths=hidden_parameters("ridge-pier"), seed=3, speed=SPEED) as served:
        yield served


@pytest.fixture
def bench(demo: Job, stand_ins: SimulatedBench):
    opened: Bench = open_bench(demo, stand_ins.resources, speed=SPEED)
    yield opened
    opened.close()


@pytest.fixture
def tensimeter(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]):
    """Call the program with words; gives exit code, standard output, standard error."""
    from tensimeter.cli.main import run

    def call(*words: object) -> tuple[int, str, str]:
        monkeypatch.setattr(sys, "argv", ["tensimeter", *map(str, words)])
        code = 0
        try:
            run()
        except SystemExit as stop:
            code = int(stop.code or 0)
        out = capsys.readouterr()
        # What --verbose turned on would go on into the tests behind.
        told = logging.getLogger("tensimeter")
        told.handlers, told.propagate = [], True
        told.setLevel(logging.NOTSET)
        return code, out.out, out.err

    return call
