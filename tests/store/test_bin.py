"""The bin: what is owned across jobs, what was known when, where it is in use."""

from pathlib import Path

import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed
from tensimeter.core.model.job import Job
from tensimeter.store.bin import Bin
from tensimeter.store.jobfile import JobFile


def test_what_is_learnt_is_added_and_nothing_is_lost(tmp_path: Path, demo: Job) -> None:
    lead = demo.part("lead-2m")
    measured = changed(lead, measured_ohm=0.0365)
    with Bin(tmp_path / "deep" / "bin.db") as owned:
        owned.keep(lead)
        owned.keep(demo.part("hand-meter"))
        owned.keep(measured)
        assert [k.part for k in owned.parts()] == [measured, demo.part("hand-meter")]
        assert [part for _, part in owned.history("lead-2m")] == [lead, measured]
        owned.take_out("lead-2m")
        assert [k.part.id for k in owned.parts()] == ["hand-meter"]
        assert len(owned.history("lead-2m")) == 2
    with Bin(tmp_path / "deep" / "bin.db") as again, Bin(tmp_path / "deep" / "bin.db") as other:
        other.keep(lead)
        assert again.part("lead-2m").part == lead
        assert again.part("nothing") is None


def test_where_a_part_is_in_use(tmp_path: Path, demo: Job) -> None:
    with Bin(tmp_path / "bin.db") as owned:
        owned.keep(demo.part("front-end-40"))
        owned.note_use("Ridge pier supply", ["front-end-40", "lead-2m"])
        owned.note_use("Spare", ["front-end-40"])
        assert owned.part("front-end-40").jobs == ("Ridge pier supply", "Spare")
        owned.note_use("Spare", [])
        assert owned.part("front-end-40").jobs == ("Ridge pier supply",)


def test_a_file_that_is_no_bin_is_left_alone(tmp_path: Path, demo: Job) -> None:
    (tmp_path / "text.db").write_text("not a database at all, but long enough to look at")
    with JobFile.create(tmp_path / "job.tensi", demo):
        pass
    before = (tmp_path / "job.tensi").read_bytes()
    for name in ("text.db", "job.tensi"):
        with pytest.raises(UserError, match=r"left as it is|can't be used"):
            Bin(tmp_path / name)
    assert (tmp_path / "job.tensi").read_bytes() == before
    (tmp_path / "file").write_text("")
    with pytest.raises(UserError, match="can't be written"):
        Bin(tmp_path / "file" / "bin.db")
