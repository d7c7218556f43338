"""What is kept survives whatever else opens the file: windows, readers outside, kills, foreign schemas."""

import sqlite3
import subprocess
import sys
from pathlib import Path
from unittest.mock import Mock

import numpy as np
import pytest
from benchmarks.hostile_schemas import reading, tried

from tensimeter.app.imported_readings import import_log
from tensimeter.app.job_in_hand import JobInHand
from tensimeter.core.correction_line import Correction
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.model.edits import readings_first
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.plan import plan
from tensimeter.store.attachments import attach
from tensimeter.store.corrections import affected, correct
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import Log, read_log

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


def test_scans_of_an_older_file_that_share_a_number_are_told_apart(tmp_path: Path) -> None:
    """A log took numbers 1 to 5, the counter moved on by one: what is typed next has a number of its rows."""
    path = tmp_path / "j.tensi"
    with JobFile.create(path, readings_first("Shed", "12V 5A")) as file:
        log = [reading(k)._replace(place="other", quantity=q) for k in range(1, 6) for q in ("V", "A")]
        file.keep(log)
        typed = file.keep([reading(2)._replace(quantity=q) for q in ("V", "A")])
        assert file.next_scan() == 6
        first = file.next_scan(100)
        assert (first, file.next_scan()) == (7, 107)
        seen = [r.scan for r in file.readings()]
        said = correct(file, Correction("reading", str(typed[0].id), "mistyped"))
        assert "2 rows" in said
        assert len(file.readings()) == 10
    with JobFile(path) as again:
        assert [r.scan for r in again.facts()] == seen
        assert len({r.scan for r in again.facts()}) == 6
        assert again.next_scan() < 2**40


def test_the_same_log_is_asked_about_and_a_strike_is_undone(tmp_path: Path, demo: Job) -> None:
    worked_out = plan(demo, demo.campaign.tests[0])
    amps = np.repeat([s.set_A for s in worked_out.steps], 2)
    log = Log({"volts": 13.58 - 0.05 * amps, "amps": amps}, ("v", "i"))
    hand = JobInHand(JobFile.create(tmp_path / "j.tensi", demo), Mock())
    kept = import_log(hand.file, log, worked_out, "night.csv")
    with pytest.raises(Doubtful, match="same 16 rows at mount as night"):
        import_log(hand.file, log, worked_out, "copy of night.csv")
    assert len(import_log(hand.file, log, worked_out, "copy.csv", accept=True)) == len(kept)
    hand.take_typed(hand.understood("mount 13.4V @4A"))
    count, last = len(hand.file.readings()), hand.file.readings()[-1].id
    wanted = Correction("reading", "last", "a slip")
    assert affected(hand.file, wanted).startswith(f"{last - 1}: mount 13.4 V; {last}: mount 4 A")
    hand.correct(wanted)
    assert len(hand.file.readings()) == count - 2
    hand.undo()
    assert len(hand.file.readings()) == count
    hand.redo()
    assert len(hand.file.readings()) == count - 2
    hand.undo()
    hand.correct(Correction("reading", str(last - 1), "a slip", "13.5"))
    assert [r.value for r in hand.file.readings()][-1] == 13.5
    hand.undo()
    assert [r.value for r in hand.file.readings()][-2:] == [13.4, 4.0]
    # A replacement that is struck for a reason of its own does not bring back what it replaced.
    hand.correct(Correction("reading", str(last - 1), "a slip", "13.5"))
    hand.correct(Correction("reading", "last", "wrong meter"))
    assert 13.4 not in [r.value for r in hand.file.readings()]
    hand.file.close()


def test_a_file_that_is_removed_with_its_log_is_written_anew_first(tmp_path: Path) -> None:
    path = tmp_path / "j.tensi"
    file = JobFile.create(path, readings_first("Shed", "12V 5A"))
    file.keep([reading(1), reading(2)])
    for ending in ("", "-wal", "-shm"):
        (tmp_path / f"j.tensi{ending}").unlink()
    with pytest.raises(UserError, match="j-rescued"):
        file.log("remark", "gone?")
    file.close()
    with JobFile(tmp_path / "j-rescued.tensi") as saved:
        assert [r.scan for r in saved.facts()] == [1, 2]
        assert saved.check() == []


def test_who_reads_beside_this_programs_own_writer_sees_what_it_keeps(tmp_path: Path) -> None:
    path = tmp_path / "j.tensi"
    JobFile.create(path, readings_first("Shed", "12V 5A")).close()
    with JobFile(path) as writer, JobFile(path, read_only=True) as reader:
        assert reader.facts() == []
        writer.keep([reading(1)])
        assert len(reader.facts()) == 1
        writer.settle()
        writer.keep([reading(2)])
        assert len(reader.facts()) == 2
