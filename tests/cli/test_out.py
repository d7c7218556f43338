"""What goes out: readings as Parquet, the logbook as Markdown, the schema with its name."""

import io
import json
import sys
from pathlib import Path

import numpy as np
import pyarrow.dataset as ds
import pytest

from tensimeter.store.jobfile import JobFile


@pytest.fixture
def path(tensimeter, tmp_path: Path) -> Path:
    made = tmp_path / "ridge.tensi"
    assert tensimeter("demo", "ridge-pier", "--file", made)[0] == 0
    for line in ("mount 13.58V @4A", "hub 5.19V @1A", "mount OL @0"):
        assert tensimeter("file", made, line)[0] == 0
    return made


def test_readings_are_parted_by_job_run_and_channel(tensimeter, path: Path, tmp_path: Path) -> None:
    out = tmp_path / "evenings"
    code, said, err = tensimeter("export", path, out, "--parquet")
    assert code == 0, err
    with JobFile(path) as file:
        kept = file.readings()
    assert f"{len(kept)} readings" in said
    read = ds.dataset(out, format="parquet", partitioning="hive").to_table().to_pylist()
    assert sorted(r["id"] for r in read) == sorted(r.id for r in kept)
    assert {r["channel"] for r in read} >= {"mount-V", "hub-V", "mount-A"}
    assert {r["job"] for r in read} == {"ridge-pier-supply"}
    by_id = {r["id"]: r for r in read}
    for reading in kept:
        assert by_id[reading.id]["value"] == reading.value
        assert by_id[reading.id]["test"] == (reading.test or "")
    # The same evening twice would count twice; another job stands beside it.
    assert tensimeter("export", path, out, "--parquet")[0] == 2
    other = tmp_path / "dome.tensi"
    assert tensimeter("demo", "dome-workshop", "--file", other)[0] == 0
    assert "no readings" in tensimeter("export", other, out, "--parquet")[2]
    assert tensimeter("file", other, "shutter 12.1V @2A")[0] == 0
    assert tensimeter("export", other, out, "--parquet")[0] == 0
    jobs = ds.dataset(out, format="parquet", partitioning="hive").to_table(columns=["job"]).to_pylist()
    assert {r["job"] for r in jobs} == {"ridge-pier-supply", "dome-workshop-supply"}


def test_the_logbook_is_markdown_and_is_searched(tensimeter, path: Path) -> None:
    code, out, _ = tensimeter("logbook", path)
    assert code == 0
    assert out.startswith("# Ridge pier supply, logbook")
    assert out.count("*reading*") == 3
    only = tensimeter("logbook", path, "--find", "HUB", "--kind", "reading")[1]
    assert only.count("*reading*") == 1
    assert tensimeter("logbook", path, "--kind", "dream")[0] == 2


def test_the_schema_has_a_name_and_describes_everything(tensimeter) -> None:
    told = json.loads(tensimeter("schema")[1])
    assert told["$id"].startswith("urn:tensimeter:job:4.")
    fields = [
        (name, key, field)
        for name, record in told["$defs"].items()
        for key, field in record.get("properties", {}).items()
    ]
    assert len(fields) > 500
    assert [(n, k) for n, k, f in fields if "description" not in f] == []


class Stdin:
    """Standard input with bytes to read."""

    def __init__(self, data: bytes) -> None:
        self.buffer = io.BytesIO(data)


def test_a_dash_is_standard_input_and_output(
    tensimeter, path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    log = "volts,amps\n13.600,0\n13.540,2\n13.480,4\n"
    (tmp_path / "log.csv").write_text(log)
    monkeypatch.setattr(sys, "stdin", Stdin(log.encode()))
    words = ("--nominal", "13.6V", "--meter", "0.05%+3@0.001", "--json")
    told = tensimeter("analyse", "regulation", "-", *words)
    assert told == tensimeter("analyse", "regulation", tmp_path / "log.csv", *words)
    assert told[0] == 0
    # A record of samples is known by how it begins.
    wave = io.BytesIO()
    np.save(wave, 13.6 + 0.01 * np.sin(np.arange(100_000) * 0.04))
    monkeypatch.setattr(sys, "stdin", Stdin(wave.getvalue()))
    assert tensimeter("analyse", "ripple", "-", "--rate", "10M")[0] == 0
    # Where a file goes out, what is answered goes beside it.
    code, out, said = tensimeter("report", path, "-o", "-")
    assert (code, out[:15]) == (0, "<!DOCTYPE html>")
    assert "written" in said
    for table in ("-.csv", "-"):
        front = f"template {path} front --from-design --size 260x110x2 --table {table}"
        code, out, _ = tensimeter(*front.split())
        assert code == 0
        assert out.splitlines()[0].count(",") >= 3
    code, out, said = tensimeter("report", tmp_path / "none.tensi", "-o", "-")
    assert (code, out) == (2, "")
    assert tensimeter("analyse", "regulation", "-", "-")[2].startswith("“-” stands for one file")
    # A figure below zero is a figure.
    assert (
        tensimeter(*["size", "derating", "--curve", "-10=100%", "--curve", "150=0%", "--temperature", "-5"])[
            0
        ]
        == 0
    )


def test_quiet_is_quiet_and_verbose_tells_more(tensimeter, path: Path, tmp_path: Path) -> None:
    assert tensimeter("--quiet", "report", path, "-o", tmp_path / "a.html")[1] == ""
    assert "written" in tensimeter("report", path, "-o", tmp_path / "b.html")[1]
    assert tensimeter("-q", "claims", path)[1] != ""
    assert tensimeter("--verbose", "report", path, "-o", tmp_path / "c.pdf")[0] == 0
    assert tensimeter("-q", "report", tmp_path / "none.tensi", "-o", tmp_path / "a.html")[2] != ""


def test_the_logbook_has_what_was_done_by_whichever_door(tensimeter, tmp_path: Path) -> None:
    path = tmp_path / "j.tensi"
    tensimeter("demo", "ridge-pier", "--file", path)
    assert tensimeter("file", path, "mount 13.58V @4A")[0] == 0
    assert tensimeter("file", path, "changed: other lead")[0] == 0
    assert tensimeter("prove", path, "tolerance", "--stand-ins", "--json")[0] == 0
    assert tensimeter("report", path, "-o", tmp_path / "sheet.html")[0] == 0
    assert tensimeter("export", path, tmp_path / "out")[0] == 0
    assert tensimeter("plate", path, "-o", tmp_path / "plate.svg")[0] == 0
    with JobFile(path) as file:
        told = [(e.kind, e.text) for e in file.logbook()]
        # While a window has the job open, what is written out of it is told all the same.
        assert tensimeter("report", path, "-o", tmp_path / "again.html")[0] == 0
        assert len(file.logbook()) == len(told)
    assert [t for t in told if t[0] == "edit"] == [("edit", "tolerance planned")]
    assert [t for t in told if t[0] == "changed"] == [("changed", "changed: other lead")]
    begun, ended = (text for kind, text in told if kind == "run")
    assert begun == "tolerance begun"
    assert ended.startswith("tolerance complete: ")
    assert [text for kind, text in told if kind == "export"] == [
        "data sheet written to sheet.html", "everything written to out", "plate written to plate.svg"
    ]  # fmt: skip
    assert tensimeter("logbook", path, "--kind", "run")[1].count("tolerance") == 2
