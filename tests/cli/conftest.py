"""The program, called as a script calls it."""

from pathlib import Path

import pytest

from tensimeter.core.model.job import Job
from tensimeter.store.jobfile import JobFile


@pytest.fixture
def path(tmp_path: Path, demo: Job) -> Path:
    made = tmp_path / "ridge.tensi"
    JobFile.create(made, demo).close()
    return made
