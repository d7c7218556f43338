"""What goes out: readings as Parquet, the logbook as Markdown, the schema with its name."""

import json
from pathlib import Path

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
    assert told["$id"].startswith("urn:tensimeter:job:3.")
    fields = [
        (name, key, field)
        for name, record in told["$defs"].items()
        for key, field in record.get("properties", {}).items()
    ]
    assert len(fields) > 500
    assert [(n, k) for n, k, f in fields if "description" not in f] == []
