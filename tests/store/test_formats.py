"""The promise of the format: files of every landed version, and of programs that are not written yet."""

import json
import shutil
import sqlite3
from pathlib import Path

import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.migrations import MAJOR, MINOR, as_number, of_number
from tensimeter.demo.library import demo_job
from tensimeter.store.exchange import export, import_folder
from tensimeter.store.jobfile import JobFile

LANDED = sorted((Path(__file__).parent / "landed").glob("*.tensi"))


def test_there_is_a_file_of_every_format_that_landed() -> None:
    assert [p.stem for p in LANDED] == [f"format-{n}" for n in range(1, MAJOR + 1)]


@pytest.mark.parametrize("landed", LANDED, ids=lambda p: p.stem)
def test_a_landed_file_is_read_written_and_not_lost(landed: Path, tmp_path: Path) -> None:
    path = Path(shutil.copy(landed, tmp_path))
    before = path.read_bytes()
    with JobFile(path, read_only=True) as file:
        assert (file.job.format, file.job.minor) == (MAJOR, MINOR)
        today = {p.id: p for p in demo_job("dome-workshop").stock}
        assert all(today[p.id] == p for p in file.job.stock)
        assert len(file.job.stock) > 8
        assert file.job.settings.touch_V == 60.0
        assert [r.value for r in file.readings()] == [12.1, 1.5]
        # What a run's end was called then is told in today's words.
        assert [r.ended for r in file.runs()] == ["fault", "complete"]
        assert file.check() == []
    assert path.read_bytes() == before
    with JobFile(path) as file:
        file.edit("renamed", file.job.model_copy(update={"name": "Renamed"}))
        export(file, tmp_path / "out")
    number = sqlite3.connect(path).execute("PRAGMA user_version").fetchone()[0]
    assert of_number(number) == (MAJOR, MINOR)
    with import_folder(tmp_path / "out", tmp_path / "twin.tensi") as twin:
        assert twin.job.name == "Renamed"
        assert [r.value for r in twin.readings()] == [12.1, 1.5]


def test_fields_of_a_newer_minor_are_kept_through_an_edit(demo: Job) -> None:
    data = json.loads(demo.model_dump_json())
    data |= {"minor": MINOR + 1, "serial": "F-17"}
    data["stock"][0]["colour_code"] = [1, 2]
    data["design"]["links"][0]["torque_Nm"] = 0.5
    job = read_job(json.dumps(data))
    part = job.stock[0]
    edited = job.model_copy(update={"stock": (changed(part, cost=3.0), *job.stock[1:])})
    written = json.loads(edited.model_dump_json())
    assert (written["serial"], written["minor"]) == ("F-17", MINOR + 1)
    assert written["stock"][0]["colour_code"] == [1, 2]
    assert written["stock"][0]["cost"] == 3.0
    assert written["design"]["links"][0]["torque_Nm"] == 0.5
    # And again, as the next program reads it.
    assert read_job(edited.model_dump_json()) == edited


def test_an_unknown_field_of_this_format_is_refused_by_name(demo: Job) -> None:
    data = json.loads(demo.model_dump_json())
    data["stock"][0]["colour_code"] = 1
    with pytest.raises(UserError, match="colour_code"):
        read_job(data)
    with pytest.raises(KeyError):
        changed(demo.stock[0], colour_code=1)


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"format": MAJOR + 1}, "newer Tensimeter"),
        ({"format": 0}, "no format 0"),
        ({"format": "three"}, "no number"),
        ({"minor": -1}, "no number"),
        ({"format": True}, "no number"),
    ],
)
def test_what_is_no_format_of_ours_is_refused(demo: Job, fields: dict[str, object], said: str) -> None:
    with pytest.raises(UserError, match=said):
        read_job({**json.loads(demo.model_dump_json()), **fields})


def test_a_newer_file_is_refused_and_a_newer_minor_read(demo: Job, tmp_path: Path) -> None:
    path = tmp_path / "next.tensi"
    JobFile.create(path, demo).close()
    for major, minor in ((MAJOR, MINOR + 1), (MAJOR + 1, 0)):
        db = sqlite3.connect(path)
        db.execute(f"PRAGMA user_version = {as_number(major, minor)}")
        db.commit()
        db.close()
        if major == MAJOR:
            JobFile(path, read_only=True).close()
        else:
            with pytest.raises(UserError, match=rf"format {major}\.0; this one reads {MAJOR}\.{MINOR}"):
                JobFile(path)
