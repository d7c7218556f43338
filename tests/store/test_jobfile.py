"""The job file: nothing shown is lost, nothing is changed, every fault is a sentence."""

import math
import os
import shutil
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.store.jobfile import JobFile


def reading(scan: int, value: float = 13.58, **fields: object) -> Reading:
    plain = {
        "scan": scan,
        "at": 1.25 * scan,
        "place": "mount",
        "quantity": "V",
        "value": value,
        "instrument": "bench-meter",
        "accuracy": Accuracy(of_reading=0.0005, counts=3, resolution=0.001),
        "wiring": "four-wire",
        "origin": "typed",
    }
    return Reading(**{**plain, **fields})


def renamed(job: Job, name: str) -> Job:
    return job.model_copy(update={"name": name})


def test_undo_and_redo_by_name(job_file: JobFile) -> None:
    first = job_file.job
    job_file.edit("call it two", renamed(first, "two"))
    job_file.edit("call it three", renamed(first, "three"))
    assert job_file.undo() == "call it three"
    assert (job_file.job.name, job_file.undo_name(), job_file.redo_name()) == (
        "two",
        "call it two",
        "call it three",
    )
    assert job_file.undo() == "call it two"
    assert job_file.job == first
    assert job_file.undo() == ""
    assert job_file.redo() == "call it two"
    assert job_file.redo() == "call it three"
    assert job_file.redo() == ""
    job_file.undo()
    job_file.edit("another way", renamed(first, "four"))
    assert job_file.redo_name() == ""
    # Nothing is thrown away: the way not taken is still in the history.
    assert job_file.count("revision") == 4


def test_every_edit_is_on_disk_at_once(job_file: JobFile) -> None:
    job_file.edit("call it two", renamed(job_file.job, "two"))
    with JobFile(job_file.path, read_only=True) as other:
        assert other.job.name == "two"
        with pytest.raises(UserError, match="reading only"):
            other.edit("no", other.job)


def test_readings_come_back_as_they_were_kept(job_file: JobFile) -> None:
    given = [reading(1), reading(1, math.inf, quantity="A", accuracy=None, note="OL, “as” typed"), reading(2)]
    kept = job_file.keep(given)
    assert [r.id for r in kept] == [1, 2, 3]
    assert job_file.readings() == kept
    assert job_file.next_scan() == 3


def test_rows_are_never_changed(job_file: JobFile) -> None:
    job_file.keep([reading(1)])
    db = sqlite3.connect(job_file.path)
    for sql in ("UPDATE reading SET value = 1", "DELETE FROM reading", "DELETE FROM revision"):
        with pytest.raises(sqlite3.IntegrityError, match="never changed"):
            db.execute(sql)
    db.close()


def test_a_scan_is_kept_whole_or_not_at_all(job_file: JobFile) -> None:
    with pytest.raises(UserError):
        job_file.keep([reading(1), reading(1, corrects=999)])
    assert job_file.readings() == []
    job_file.keep([reading(1)])
    assert len(job_file.readings()) == 1


def test_runs_and_the_logbook(job_file: JobFile) -> None:
    run = job_file.begin_run("load-regulation", {"load": "a load"})
    open_run = job_file.begin_run("load-regulation", {})
    job_file.run_event(run, "paused")
    job_file.run_event(run, "fault", "the link was lost")
    runs = job_file.runs()
    assert [(r.id, r.ended) for r in runs] == [(run, "fault"), (open_run, "")]
    assert runs[0].sentence == "the link was lost"
    for k in range(5):
        job_file.log("remark", f"line {k}")
    assert [e.text for e in job_file.logbook(2)] == ["line 3", "line 4"]


def test_a_file_is_opened_once(job_file: JobFile) -> None:
    with pytest.raises(UserError, match="open in another"):
        JobFile(job_file.path)
    with pytest.raises(UserError, match="exists already"):
        JobFile.create(job_file.path, job_file.job)


def damaged(path: Path, kind: str) -> None:
    """Turn a whole, closed job file into a bad one."""
    if kind == "empty":
        path.write_bytes(b"")
    elif kind == "text":
        path.write_text("This is a shopping list.\n")
    elif kind == "truncated":
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    elif kind == "beheaded":
        path.write_bytes(path.read_bytes()[:100])
    else:
        db = sqlite3.connect(path)
        if kind == "newer":
            db.execute("PRAGMA user_version = 99")
        elif kind == "other":
            db.execute("PRAGMA application_id = 7")
        elif kind == "newer job":
            db.execute("DROP TRIGGER revision_no_update")
            db.execute("UPDATE revision SET job = replace(job, '\"format\":4', '\"format\":9')")
        db.commit()
        db.close()


def open_and_check(path: Path, read_only: bool) -> None:
    with JobFile(path, read_only=read_only) as file:
        file.readings()
        raise UserError("; ".join(file.check()))


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("empty", "is empty"),
        ("text", "something else"),
        ("truncated", "damaged or cut short"),
        ("beheaded", "damaged or cut short"),
        ("newer", "newer Tensimeter"),
        ("newer job", "newer Tensimeter"),
        ("other", "no job file"),
    ],
)
def test_bad_files_are_named_and_left_alone(tmp_path: Path, demo: Job, kind: str, words: str) -> None:
    path = tmp_path / "bad.tensi"
    JobFile.create(path, demo).close()
    damaged(path, kind)
    before = path.read_bytes()
    for read_only in (True, False):
        with pytest.raises(UserError, match=words):
            open_and_check(path, read_only)
    if kind not in ("truncated", "beheaded"):
        assert path.read_bytes() == before


def test_missing_files_and_folders(tmp_path: Path) -> None:
    with pytest.raises(UserError, match="no file"):
        JobFile(tmp_path / "none.tensi")
    with pytest.raises(UserError, match="a folder"):
        JobFile(tmp_path)


def test_a_full_disk_is_a_sentence_and_loses_nothing(job_file: JobFile) -> None:
    job_file.keep([reading(1)])
    pages = job_file._db.execute("PRAGMA page_count").fetchone()[0]
    job_file._db.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(UserError, match="disk is full"):
        job_file.keep([reading(k, note="x" * 2000) for k in range(2, 60)])
    assert [r.scan for r in job_file.readings()] == [1]
    job_file._db.execute("PRAGMA max_page_count = 1000000")
    job_file.keep([reading(2)])
    assert job_file.check() == []


WRITER = """
import sys
from pathlib import Path
sys.path.insert(0, sys.argv[2])
from tests.store.test_jobfile import reading
from tensimeter.store.jobfile import JobFile
with JobFile(Path(sys.argv[1])) as file:
    for scan in range(1, 100000):
        file.keep([reading(scan), reading(scan, 4.0, quantity="A")])
        print(scan, flush=True)
"""


def test_killed_while_writing(tmp_path: Path, demo: Job) -> None:
    """SIGKILL at several moments: what was shown is there, in whole scans, and the lock is free."""
    path = tmp_path / "killed.tensi"
    JobFile.create(path, demo).close()
    root = str(Path(__file__).parents[2])
    for wait_for in (3, 17, 40):
        before = 0 if not path.exists() else _scans(path)
        shutil.copy(path, tmp_path / "start.tensi")
        target = tmp_path / f"run-{wait_for}.tensi"
        shutil.copy(path, target)
        writer = subprocess.Popen(
            [sys.executable, "-c", WRITER, str(target), root], stdout=subprocess.PIPE, text=True, cwd=root
        )
        assert writer.stdout is not None
        shown = [int(writer.stdout.readline()) for _ in range(wait_for)][-1]
        writer.kill()
        rest = writer.stdout.read().split()
        writer.wait()
        shown = max([shown, *(int(x) for x in rest if x.isdigit())])
        began = time.monotonic()
        with JobFile(target) as file:
            assert time.monotonic() - began < 60
            found = file.readings()
            assert file.check() == []
        assert max(r.scan for r in found) >= shown
        assert len(found) == 2 * max(r.scan for r in found)
        assert before == 0


def _scans(path: Path) -> int:
    with JobFile(path, read_only=True) as file:
        return len({r.scan for r in file.readings()})


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write everywhere")
def test_a_folder_without_permission(tmp_path: Path, demo: Job) -> None:
    folder = tmp_path / "locked"
    folder.mkdir()
    folder.chmod(0o500)
    with pytest.raises(UserError, match="can't be written"):
        JobFile.create(folder / "a.tensi", demo)


def test_a_name_that_cannot_be_a_folder(tmp_path: Path, demo: Job) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(UserError, match="can't be written"):
        JobFile.create(tmp_path / "file" / "a.tensi", demo)


def test_a_reading_knows_the_job_it_was_taken_with(tmp_path: Path, demo: Job) -> None:
    def volts(value: float) -> Reading:
        return Reading(1, 1.0, "wake-mount", "V", value, "", None, "two-wire", "typed")

    path = tmp_path / "a.tensi"
    later = demo.model_copy(update={"place": "another hill"})
    with JobFile.create(path, demo) as file:
        (first,) = file.keep([volts(13.6)])
        file.edit("moved", later)
        (second,) = file.keep([volts(13.5)])
        assert file.job_at_reading(first.id) == demo
        assert file.job_at_reading(second.id) == later
        file.undo()
        # Back in the earlier revision the first reading is of the job in hand, the second is not.
        assert file.job_at_reading(first.id) is file.job
        assert file.job_at_reading(second.id) == later
        assert file.job_at_reading(99) is file.job
    with JobFile(path, read_only=True) as file:
        assert file.job_at_reading(second.id) == later
        assert [r.value for r in file.readings()] == [13.6, 13.5]
