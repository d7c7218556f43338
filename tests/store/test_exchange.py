"""A job as a folder and back; logs in every usual dress, and bad ones."""

import json
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.store.database import TABLES
from tensimeter.store.exchange import export, import_folder
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_log

texts = st.text(st.characters(codec="utf-8", exclude_characters="\x00\r"), max_size=30)


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.tuples(st.floats(allow_nan=False), texts, st.none() | st.integers(0, 99)), min_size=1, max_size=6
    ),
    texts,
)
def test_the_round_trip_loses_nothing(tmp_path_factory, demo: Job, rows: list, remark: str) -> None:
    folder = tmp_path_factory.mktemp("trip")
    with JobFile.create(folder / "a.tensi", demo) as file:
        file.edit("rename", demo.model_copy(update={"name": "Name, “with” signs;"}))
        file.undo()
        run = file.begin_run("load-regulation", {"load": "x"})
        file.run_event(run, "complete", "all, read\nand well")
        file.log("remark", remark)
        file.keep(
            [
                Reading(k, 1.1 * k, "mount", "V", v, "", None, "two-wire", "typed", note=n, step=s, run=run)
                for k, (v, n, s) in enumerate(rows)
            ]
        )
        export(file, folder / "out")
        with import_folder(folder / "out", folder / "b.tensi") as twin:
            for table in TABLES:
                assert twin.rows(table) == file.rows(table)
            assert twin.job == file.job
            assert twin.redo_name() == "rename"
            assert twin.check() == []


def test_an_export_holds_logs_of_each_test(job_file: JobFile, tmp_path: Path) -> None:
    for k, (v, a) in enumerate([(13.6, 0.0), (13.4, 4.0)]):
        pair = [("V", v), ("A", a)]
        job_file.keep(
            [
                Reading(k, float(k), "mount", q, x, "", None, "two-wire", "typed", test="load-regulation")
                for q, x in pair
            ]
        )
    written = export(job_file, tmp_path / "out")
    log = read_log(next(p for p in written if p.parent.name == "readings"))
    assert [c.tolist() for c in log.need("time", "volts", "amps")] == [[0, 1], [13.6, 13.4], [0, 4]]
    assert json.loads((tmp_path / "out" / "job.json").read_text())["name"] == "Ridge pier supply"
    with pytest.raises(UserError, match="not empty"):
        export(job_file, tmp_path / "out")


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("manifest.json", "{", "not an exported job"),
        ("manifest.json", "[1]", "not an exported job"),
        ("manifest.json", '{"tensimeter": "job export", "format": 9}', "newer"),
        ("revision.csv", '"id","parent","at","name","job"\n', "no revision"),
        ("revision.csv", '"id","parent","at","name","job"\n1,,0,"x","{}"\n', "not a job"),
        ("head.csv", '"id","at","revision"\n1,0,77\n', "points nowhere"),
        ("reading.csv", '"id"\n1\n', "other columns"),
        ("log.csv", '"id","at","kind","text"\n1,when,"a","b"\n', "can't be read"),
    ],
)
def test_a_bad_export_makes_no_file(
    job_file: JobFile, tmp_path: Path, name: str, text: str, words: str
) -> None:
    export(job_file, tmp_path / "out")
    (tmp_path / "out" / name).write_text(text)
    with pytest.raises(UserError, match=words):
        import_folder(tmp_path / "out", tmp_path / "b.tensi").close()
    assert not (tmp_path / "b.tensi").exists()


@pytest.mark.parametrize(
    ("text", "volts", "amps"),
    [
        ("time [s],voltage [V],current [A]\n0,13.6,0\n1,13.4,4\n", [13.6, 13.4], [0, 4]),
        ("t;v;i\n0;13,6;0\n1;13,4;4,0\n", [13.6, 13.4], [0, 4]),
        ("Current (A)\tVoltage (V)\tnote\n4\t13.4\thello\n", [13.4], [4]),
        ("\ufeffV,A\n1e1,2e-3\n", [10], [0.002]),
        ("set [A],amps,volts\n5,4.9,12\n", [12], [4.9]),
        ('"i","u"\n1,2\n', [2], [1]),
    ],
)
def test_logs_in_every_usual_dress(tmp_path: Path, text: str, volts: list, amps: list) -> None:
    path = tmp_path / "log.csv"
    path.write_text(text)
    found = read_log(path).need("volts", "amps")
    assert [c.tolist() for c in found] == [volts, amps]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "is empty"),
        ("\n\n", "is empty"),
        ("v,i\n", "no rows"),
        ("v,i\n13.6,0\nlots,4\n", "“lots” in column 1 is not a number"),
        ("v,i\n13.6\n", "no rows of figures"),
        ("v,i\n13.6,\n", "empty cells"),
        ("v,i\n13.6,inf\n", "over the instrument"),
        ("apples,pears\n1,2\n", "no header that is known"),
        ("v,v\n1,2\n", "2 columns of volts"),
        ("13.6,0\n13.4,4\n", "no header that is known"),
    ],
)
def test_bad_logs_are_a_sentence(tmp_path: Path, text: str, words: str) -> None:
    path = tmp_path / "log.csv"
    path.write_text(text)
    with pytest.raises(UserError, match=words):
        read_log(path).need("volts", "amps")


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=200) | st.text("vi,;\t\n0123456789.e-\"' ", max_size=120).map(str.encode))
def test_any_file_is_a_log_or_refused(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "log.csv"
    path.write_bytes(data)
    try:
        log = read_log(path)
    except UserError:
        return
    assert len(log) > 0
    assert all(np.isfinite(c).all() for c in log.columns.values())


def test_columns_by_name_and_missing_ones(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    path.write_text("first,second\n13.6,0\n")
    found = read_log(path, {"volts": "first", "amps": "second"})
    assert found.need("volts")[0].tolist() == [13.6]
    with pytest.raises(UserError, match="no column “third”"):
        read_log(path, {"volts": "third"})
    with pytest.raises(UserError, match="--temp"):
        found.need("temp")
    with pytest.raises(UserError, match="can't be read"):
        read_log(tmp_path / "none.csv")
    assert not math.isnan(len(found))
