"""What is kept survives whatever else opens the file: windows, readers outside, kills, foreign schemas."""

import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest
from benchmarks.hostile_schemas import reading, tried

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import readings_first
from tensimeter.core.model.job import Job
from tensimeter.store.attachments import attach
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_log

#: A reader outside, as a shell of SQLite's is: it reads and closes, and takes itself for the last.
OUTSIDE = """
import sqlite3, sys
db = sqlite3.connect(sys.argv[1])
print(db.execute("SELECT count(*) FROM reading").fetchone()[0])
db.close()
"""

#: Keeps a reading a line that is asked for, and does beside it what another window of the program does.
KEEPER = """
import sys
from pathlib import Path
from benchmarks.hostile_schemas import reading
from tensimeter.core.errors import UserError
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_log
path = Path(sys.argv[1])
file = JobFile(path)
for k, line in enumerate(sys.stdin):
    what = line.strip()
    try:
        if what == "again":
            JobFile(path)
        elif what == "read":
            JobFile(path, read_only=True).close()
        elif what == "log":
            read_log(path)
        elif what == "link":
            read_log(path.with_name("other name"))
        else:
            file.keep([reading(k)])
    except UserError as trouble:
        print(trouble, flush=True)
        continue
    print(len(file.facts()), flush=True)
"""


@pytest.mark.parametrize("beside", ["again", "read", "log", "link"])
def test_no_reader_of_the_program_lets_its_locks_go(tmp_path: Path, beside: str) -> None:
    path = tmp_path / "j.tensi"
    JobFile.create(path, readings_first("Shed", "12V 5A")).close()
    (tmp_path / "other name").hardlink_to(path)
    root = str(Path(__file__).parents[2])
    keeper = subprocess.Popen(
        [sys.executable, "-c", KEEPER, str(path)], cwd=root, text=True, stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    )  # fmt: skip
    assert keeper.stdin is not None
    assert keeper.stdout is not None

    def ask(what: str) -> str:
        keeper.stdin.write(f"{what}\n")
        keeper.stdin.flush()
        return keeper.stdout.readline().strip()

    assert ask("keep") == "1"
    said = ask(beside)
    assert said == "1" if beside == "read" else "open" in said
    outside = subprocess.run(
        [sys.executable, "-c", OUTSIDE, str(path)], capture_output=True, text=True, check=True
    )
    assert outside.stdout.strip() == "1"
    assert [ask("keep") for _ in range(3)] == ["2", "3", "4"]
    keeper.kill()
    keeper.wait()
    with JobFile(path) as file:
        assert len(file.facts()) == 4
        assert file.check() == []


def test_a_log_that_another_program_removes_is_noticed_and_nothing_is_lost(tmp_path: Path) -> None:
    path = tmp_path / "j.tensi"
    file = JobFile.create(path, readings_first("Shed", "12V 5A"))
    file.keep([reading(1)])
    (tmp_path / "j.tensi-wal").unlink()
    (tmp_path / "j.tensi-shm").unlink()
    file.keep([reading(2)])
    # Beside it another program sees both, as it would after a kill.
    db = sqlite3.connect(path)
    assert db.execute("SELECT count(*) FROM reading").fetchone() == (2,)
    db.close()
    assert "removed the log" in file.logbook()[-1].text
    file.keep([reading(3)])
    file.close()
    with JobFile(path) as again:
        assert [r.scan for r in again.facts()] == [1, 2, 3]
        assert again.check() == []


def test_one_file_is_held_once_and_let_go_with_the_last(tmp_path: Path, demo: Job) -> None:
    path = tmp_path / "j.tensi"
    writer = JobFile.create(path, demo)
    with pytest.raises(UserError, match="another window"):
        JobFile(path)
    reader = JobFile(path, read_only=True)
    for taken_in in (read_log, lambda p: attach(writer, "mount", p)):
        with pytest.raises(UserError, match="is a job that is open"):
            taken_in(path)
        with pytest.raises(UserError, match="belongs to one"):
            taken_in(path.with_name("j.tensi-shm"))
    writer.close()
    assert reader.facts() == []
    reader.close()
    with JobFile(path) as again:
        assert again.job == demo


@pytest.mark.parametrize("seed", range(24))
def test_a_schema_that_is_not_ours_changes_no_fact(tmp_path: Path, seed: int) -> None:
    how, end = tried(tmp_path, seed)
    assert end in ("refused", "unchanged"), how


def test_statistics_that_sqlite_keeps_are_no_foreign_object(tmp_path: Path, demo: Job) -> None:
    path = tmp_path / "j.tensi"
    JobFile.create(path, demo).close()
    db = sqlite3.connect(path)
    db.execute("ANALYZE")
    db.close()
    with JobFile(path) as file:
        assert file.check() == []
