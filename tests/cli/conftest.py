"""The program, called as a script calls it."""

import logging
import sys
from pathlib import Path

import pytest

from tensimeter.cli.main import run
from tensimeter.core.model.job import Job
from tensimeter.store.jobfile import JobFile


@pytest.fixture
def path(tmp_path: Path, demo: Job) -> Path:
    made = tmp_path / "ridge.tensi"
    JobFile.create(made, demo).close()
    return made


@pytest.fixture
def tensimeter(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]):
    """Call the program with words; gives exit code, standard output, standard error."""

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
