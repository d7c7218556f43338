"""What is brought from outside: units in headers, files that wait, link or lie, rows that are none."""

import io
import os
import re
import shutil
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from tensimeter.core.correction_line import Correction
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.plain_text import as_cell, as_kept, as_shown_cell
from tensimeter.report.logbook import as_markdown
from tensimeter.store.attachments import attach
from tensimeter.store.corrections import correct
from tensimeter.store.entries import LogEntry
from tensimeter.store.exchange import export, import_folder
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_load_cases, read_log, read_temperatures
from tensimeter.store.waveforms import read_waveform

#: A header, a figure under it, and what that is in V, A, s or °C, worked out by hand.
UNITS = [
    ("Voltage (mV)", "13602", "volts", 13.602),
    ("Voltage [mV]", "13602", "volts", 13.602),
    ("Voltage(mV)", "13602", "volts", 13.602),
    ("voltage (mv)", "13602", "volts", 13.602),
    ("Voltage (V)", "13.602", "volts", 13.602),
    ("voltage [kV]", "0.013602", "volts", 13.602),
    ("Voltage (µV)", "13602000", "volts", 13.602),
    ("Voltage (uV)", "13602000", "volts", 13.602),
    ("Voltage (millivolts)", "13602", "volts", 13.602),
    ("Voltage (volts)", "13.6", "volts", 13.6),
    ("U/mV", "13602", "volts", 13.602),
    ("U / V", "13.602", "volts", 13.602),
    ("u [mV]", "13602", "volts", 13.602),
    ("v_mV", "13602", "volts", 13.602),
    ("vout_V", "13.602", "volts", 13.602),
    ("voltage mV", "13602", "volts", 13.602),
    ("Voltage in mV", "13602", "volts", 13.602),
    ("mV", "13602", "volts", 13.602),
    ("Volts", "13.602", "volts", 13.602),
    ("V", "13.602", "volts", 13.602),
    ("Ch 1 (mV)", "13602", "volts", 13.602),
    ("v_meas", "13.602", "volts", 13.602),
    ("Current (mA)", "4000", "amps", 4.0),
    ("Current [mA]", "4000", "amps", 4.0),
    ("current (ma)", "4000", "amps", 4.0),
    ("Current (A)", "4", "amps", 4.0),
    ("Current (uA)", "4000000", "amps", 4.0),
    ("Current (µA)", "4000000", "amps", 4.0),
    ("Current (kA)", "0.004", "amps", 4.0),
    ("Current (milliamps)", "4000", "amps", 4.0),
    ("I/mA", "4000", "amps", 4.0),
    ("i_mA", "4000", "amps", 4.0),
    ("current mA", "4000", "amps", 4.0),
    ("Iout", "4", "amps", 4.0),
    ("mA", "4000", "amps", 4.0),
    ("Amps", "4", "amps", 4.0),
    ("Ch 2 (mA)", "4000", "amps", 4.0),
    ("set [mA]", "4000", "set", 4.0),
    ("Time (s)", "90", "time", 90.0),
    ("Time (ms)", "90000", "time", 90.0),
    ("Time (us)", "90000000", "time", 90.0),
    ("Time (min)", "1.5", "time", 90.0),
    ("Time (minutes)", "1.5", "time", 90.0),
    ("Time (h)", "0.025", "time", 90.0),
    ("Time (hours)", "0.025", "time", 90.0),
    ("Time (hr)", "0.025", "time", 90.0),
    ("Time (d)", "0.0625", "time", 5400.0),
    ("Elapsed (sec)", "90", "time", 90.0),
    ("elapsed [Min]", "1.5", "time", 90.0),
    ("t/ms", "90000", "time", 90.0),
    ("time_min", "1.5", "time", 90.0),
    ("seconds", "90", "time", 90.0),
    ("minutes", "1.5", "time", 90.0),
    ("ms", "90000", "time", 90.0),
    ("temp (°C)", "64", "temp", 64.0),
    ("temp (C)", "64", "temp", 64.0),
    ("Temperature (°F)", "147.2", "temp", 64.0),
    ("temp (F)", "147.2", "temp", 64.0),
    ("temperature [K]", "337.15", "temp", 64.0),
    ("T_K", "337.15", "temp", 64.0),
    ("T (degF)", "147.2", "temp", 64.0),
    ("temp sink [degC]", "64", "temp", 64.0),
]


@pytest.mark.parametrize(("header", "written", "quantity", "value"), UNITS)
def test_the_unit_in_a_header_counts(
    tmp_path: Path, header: str, written: str, quantity: str, value: float
) -> None:
    path = tmp_path / "log.csv"
    path.write_text(f"{header};note\n{written};x\n", encoding="utf-8")
    log = read_log(path)
    assert list(log.columns) == [quantity]
    assert log.columns[quantity][0] == pytest.approx(value, rel=1e-12)
    if quantity == "temp":
        path.write_text(f"time (min);{header}\n1;{written}\n2;{written}\n", encoding="utf-8")
        heat = read_temperatures(path)
        assert heat.time_s.tolist() == [60, 120]
        assert next(iter(heat.celsius.values()))[0] == pytest.approx(value, abs=1e-9)


@pytest.mark.parametrize(
    ("header", "unit"),
    [
        ("Voltage (xV)", "xV"),
        ("Voltage (MV)", "MV"),
        ("Voltage (mA)", "mA"),
        ("Current (MA)", "MA"),
        ("Time (fortnight)", "fortnight"),
        ("Time (MS)", "MS"),
        ("temp (°R)", "°R"),
        ("Current (V)", "V"),
    ],
)
def test_a_unit_that_is_not_known_is_refused_by_name(tmp_path: Path, header: str, unit: str) -> None:
    path = tmp_path / "log.csv"
    path.write_text(f"{header},note\n1,2\n", encoding="utf-8")
    with pytest.raises(UserError, match=f"“{unit}” is no unit") as refused:
        read_log(path)
    assert header in str(refused.value)


def test_rails_are_scaled_too_and_over_range_is_no_figure(tmp_path: Path) -> None:
    path = tmp_path / "cases.csv"
    path.write_text("v 12 V [mV],i 12 V (mA),v 5 V,i 5 V\n12050,1500,5.02,2\n")
    rails, volts, amps = read_load_cases(path)
    assert rails == ("12 V", "5 V")
    assert (volts.tolist(), amps.tolist()) == ([[12.05, 5.02]], [[1.5, 2.0]])
    log = tmp_path / "log.csv"
    log.write_text("v,i\n13.6,0\n9.9E37,4\n")
    with pytest.raises(UserError, match="1 of 2 rows of volts are over the instrument's range"):
        read_log(log).need("volts")
    assert np.isinf(read_log(log).need("volts", over_range=True)[0]).tolist() == [False, True]
    log.write_text("v,i\n13.6,0\n1e309,4\n")
    with pytest.raises(UserError, match="not finite"):
        read_log(log)


def test_a_character_may_lie_across_the_end_of_what_is_looked_at(tmp_path: Path) -> None:
    path = tmp_path / "log.csv"
    head = "v,i,note\n13.6,0,"
    path.write_bytes((head + "x" * (65_535 - len(head))).encode() + "µ\n13.5,1,y\n".encode())
    assert read_log(path).need("volts")[0].tolist() == [13.6, 13.5]


# -- files that are something else ------------------------------------------------------------------


def test_pipes_devices_and_names_that_are_none_end_in_a_sentence(tmp_path: Path, job_file: JobFile) -> None:
    pipe = tmp_path / "pipe.csv"
    os.mkfifo(pipe)
    for path in (pipe, Path("/dev/null"), tmp_path, Path("x\0y")):
        for read in (
            read_log,
            read_temperatures,
            read_waveform,
            lambda p: attach(job_file, "job", p),
            JobFile,
        ):
            with pytest.raises(UserError):
                read(path)


@pytest.mark.parametrize(
    ("shape", "words"),
    [
        ("(2000000000,)", "cut short"),
        ("(10000000000000000000000,)", "cut short|no NumPy"),
        ("(-1,)", "cut short"),
    ],
)
def test_a_small_file_cannot_ask_for_all_memory(tmp_path: Path, shape: str, words: str) -> None:
    data = io.BytesIO()
    np.save(data, np.ones(8))
    path = tmp_path / "w.npy"
    head = f"{{'descr': '<f8', 'fortran_order': False, 'shape': {shape}, }}"
    raw = data.getvalue()
    path.write_bytes(raw[:10] + head.ljust(len(raw) - 64 - 11).encode() + b"\n" + raw[-64:])
    with pytest.raises(UserError, match=words):
        read_waveform(path, 1e3)


def exported(job_file: JobFile, tmp_path: Path) -> Path:
    job_file.add_attachment("job", "photo", "image/png", b"\x89PNG\r\n\x1a\n")
    export(job_file, tmp_path / "out")
    return tmp_path / "out"


def test_an_import_follows_no_link_and_leaves_nothing_behind(job_file: JobFile, tmp_path: Path) -> None:
    folder, made = exported(job_file, tmp_path), tmp_path / "made.tensi"
    secret = tmp_path / "secret"
    secret.write_text("not yours")
    photo = folder / "attachments" / "1.png"
    for victim in (photo, folder / "revision.csv", folder / "manifest.json"):
        kept = victim.read_bytes()
        victim.unlink()
        victim.symlink_to(secret)
        with pytest.raises(UserError):
            import_folder(folder, made)
        victim.unlink()
        victim.write_bytes(kept)
    inside = folder / "attachments"
    shutil.move(inside, tmp_path / "elsewhere")
    inside.symlink_to(tmp_path / "elsewhere")
    with pytest.raises(UserError, match="not a folder of its own"):
        import_folder(folder, made)
    inside.unlink()
    shutil.move(tmp_path / "elsewhere", inside)
    (folder / "reading.csv").write_text((folder / "reading.csv").read_text() + "1,2\n")
    with pytest.raises(UserError):
        import_folder(folder, made)
    assert not [p.name for p in tmp_path.iterdir() if "made" in p.name]


def test_no_cell_of_an_export_is_a_formula_and_all_come_back(job_file: JobFile, tmp_path: Path) -> None:
    texts = ["=1+1", "+1", "-1", "@x", "'=x", "''=x", "'", "plain", "\tx"]
    for text in texts:
        job_file.log("remark", text)
    folder = exported(job_file, tmp_path)
    cells = [line.split(",")[-1].strip('"') for line in (folder / "log.csv").read_text().splitlines()[1:]]
    assert not [cell for cell in cells if cell.startswith(("=", "+", "-", "@", "\t"))]
    with import_folder(folder, tmp_path / "b.tensi") as back:
        assert [entry.text for entry in back.logbook()] == texts


def test_what_was_read_in_each_run_is_exported_with_its_temperatures(
    job_file: JobFile, tmp_path: Path
) -> None:
    for run in (job_file.begin_run("soak", {}), job_file.begin_run("soak", {})):
        for k in range(2):
            shared = ("", None, "two-wire", "instrument", "", "soak", 0, run)
            rows = (("mount", "V", 13.4), ("mount", "A", 8.0), ("front-end-case", "C", 40.0 + run + k))
            job_file.keep([Reading(10 * run + k, 60.0 * k, place, q, v, *shared) for place, q, v in rows])
    job_file.edit("soak", job_file.job.model_copy(update={"campaign": job_file.job.campaign}))
    export(job_file, tmp_path / "out")
    logs = sorted((tmp_path / "out" / "readings").glob("soak*.csv"))
    assert [p.name for p in logs] == ["soak-run-1.csv", "soak-run-2.csv"]
    heat = read_temperatures(logs[1])
    assert heat.time_s.tolist() == [0, 60]
    assert heat.celsius["front-end-case"].tolist() == [42.0, 43.0]
    assert heat.volts is not None
    assert heat.volts.tolist() == [13.4, 13.4]


# -- the job file itself ----------------------------------------------------------------------------


def pair(scan: int, volts: float, **more: object) -> list[Reading]:
    shared = ("", None, "two-wire", "typed", "", "load-regulation", 0)
    return [Reading(scan, 1.0, "mount", q, v, *shared) for q, v in (("V", volts), ("A", 4.0))]


def test_a_file_is_held_by_itself_not_by_its_name(tmp_path: Path, demo: Job) -> None:
    path = tmp_path / "a.tensi"
    other, hard = tmp_path / "link.tensi", tmp_path / "hard.tensi"
    with JobFile.create(path, demo):
        other.symlink_to(path)
        os.link(path, hard)
        for name in (other, hard, path):
            with pytest.raises(UserError, match="open in another"):
                JobFile(name)
    JobFile(hard).close()


def test_a_file_that_is_moved_or_removed_loses_nothing(tmp_path: Path, demo: Job) -> None:
    path, moved = tmp_path / "a.tensi", tmp_path / "b.tensi"
    with JobFile.create(path, demo) as file:
        file.keep(pair(1, 13.6))
        path.rename(moved)
        with pytest.raises(UserError, match="moved or renamed"):
            file.keep(pair(2, 13.5))
    with JobFile(moved) as file:
        assert [r.value for r in file.readings()] == [13.6, 4.0]
        file.keep(pair(2, 13.5))
        moved.unlink()
        with pytest.raises(UserError, match="removed while it is open") as said:
            file.keep(pair(3, 13.4))
    assert "b-rescued.tensi" in str(said.value)
    with JobFile(tmp_path / "b-rescued.tensi") as file:
        assert [r.value for r in file.readings()] == [13.6, 4.0, 13.5, 4.0]
        assert file.check() == []


def test_a_plain_copy_of_an_open_file_is_whole_and_reading_leaves_nothing_beside(
    tmp_path: Path, demo: Job
) -> None:
    path = tmp_path / "a.tensi"
    with JobFile.create(path, demo) as file:
        file.keep(pair(1, 13.6))
        file.settle()
        shutil.copy(path, tmp_path / "copy.tensi")
    with JobFile(tmp_path / "copy.tensi", read_only=True) as copy:
        assert [r.value for r in copy.readings()] == [13.6, 4.0]
    assert sorted(p.name for p in tmp_path.glob("*.tensi*")) == ["a.tensi", "copy.tensi"]


@pytest.mark.parametrize(
    ("table", "column", "value"),
    [
        ("reading", "accuracy", '{"of_reading": 7}'),
        ("reading", "quantity", "apples"),
        ("reading", "value", "much"),
        ("reading", "scan", b"\xff"),
        ("reading", "origin", "hearsay"),
        ("run", "instruments", "[1]"),
        ("run", "instruments", "[" * 3000),
        ("head", "revision", float("inf")),
        ("log", "text", b"\xff\xfe"),
        ("revision", "job", "{" * 5000),
    ],
)
def test_a_row_that_is_none_is_told_and_never_raises(
    tmp_path: Path, demo: Job, table: str, column: str, value: object
) -> None:
    path = tmp_path / "a.tensi"
    with JobFile.create(path, demo) as file:
        file.begin_run("load-regulation", {"load": "x"})
        file.keep(pair(1, 13.6))
        file.log("remark", "x")
    db = sqlite3.connect(path)
    db.execute(f"DROP TRIGGER {table}_no_update")
    db.execute(f"UPDATE {table} SET {column} = ?", (value,))
    db.commit()
    db.close()
    try:
        with JobFile(path) as file:
            found = file.check()
    except UserError as trouble:
        found = [str(trouble)]
    assert found


@pytest.mark.parametrize("harm", ["deep", "loop", "many", "twice", "nested", "huge figure"])
def test_a_job_is_bounded_when_it_is_read(demo: Job, harm: str) -> None:
    import json

    data = json.loads(demo.model_dump_json())
    links = data["design"]["links"]
    lead = next(link for link in links if link["kind"] == "lead")
    if harm in ("deep", "many"):
        chain = [
            {**lead, "id": f"x{k}", "fed_by": f"x{k - 1}" if k and harm == "deep" else None}
            for k in range(400)
        ]
        data["design"]["links"] = chain[: 150 if harm == "deep" else 400]
    elif harm == "loop":
        links[0]["fed_by"] = links[-1]["id"]
        links[-1]["fed_by"] = links[0]["id"]
    elif harm == "twice":
        data["stock"].append(data["stock"][0])
    elif harm == "huge figure":
        data["settings"]["mains_V"] = 1e300
    text = json.dumps(data) if harm != "nested" else '{"stock":' + "[" * 100_000
    with pytest.raises(UserError):
        read_job(text)


def test_what_is_struck_enters_nothing_and_stays(job_file: JobFile) -> None:
    job_file.keep(pair(1, 13602.0))
    job_file.keep(pair(2, 13.5))
    correct(job_file, Correction("reading", "1", "a slip"))
    assert [r.value for r in job_file.readings()] == [13.5, 4.0]
    assert job_file.struck() == {1: "a slip", 2: "a slip"}
    assert len(job_file.facts()) == 4
    correct(job_file, Correction("reading", "3", "misread", "13.52 V"))
    standing = {r.quantity: r for r in job_file.readings()}
    assert (standing["V"].value, standing["V"].scan, standing["V"].corrects) == (13.52, 2, 3)
    for target, words in (("1", "taken back already"), ("99", "no reading 99")):
        with pytest.raises(UserError, match=words):
            correct(job_file, Correction("reading", target, "again"))
    job_file.strike([1, 2], "")
    assert len(job_file.readings()) == 4
    again = JobFile(job_file.path, read_only=True)
    assert again.struck() == {}
    again.close()


def test_text_of_a_job_stays_text_in_every_table_and_document() -> None:
    for text in ("=1+1", "@SUM(A1)", "+cmd|' /C calc'!A0", "-2+3", "\tx", "'x", "- donor"):
        assert as_cell(text) == f"'{text}"
        assert as_kept(as_cell(text)) == text
    for figure in ("-3.2 V", "+5", "-1.5e-3", "−3"):
        assert as_shown_cell(figure) == figure
    entry = LogEntry(0.0, "remark", "x\r# head <img src=a> ![p](http://b) [l](c) \x1b[31mred\x1b[0m `code`")
    line = as_markdown("<b>Pier</b>", [entry]).splitlines()[-1]
    assert "\x1b" not in line
    assert "\r" not in line
    assert not re.search(r"(?<!\\)[<>\[\]`#!]", line)


@pytest.mark.parametrize("name", ["j\x1b[31m.tensi", "=j.tensi", "j\udcff.tensi"])
def test_a_name_that_a_terminal_would_act_on_is_told_as_text(tmp_path: Path, name: str) -> None:
    with pytest.raises(UserError) as told:
        JobFile(tmp_path / name)
    assert str(told.value).isprintable()
