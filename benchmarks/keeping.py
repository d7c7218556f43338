"""Keeping a scan for good, and a whole query-to-reading, against bare SQLite and bare PyVISA."""

import sqlite3
import tempfile
import time
from pathlib import Path

import pyvisa

from benchmarks.measure import Row, in_turns
from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job, hidden_parameters
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile

CHANNELS = 8


def _bare(folder: Path) -> sqlite3.Connection:
    """A table as wide as ours, with the same durability and nothing else."""
    db = sqlite3.connect(folder / "bare.db", isolation_level=None)
    db.execute("PRAGMA journal_mode = WAL")
    db.execute("PRAGMA synchronous = FULL")
    db.execute(f"CREATE TABLE reading (id INTEGER PRIMARY KEY, {', '.join(f'c{k}' for k in range(16))})")
    return db


_INSERT = f"INSERT INTO reading ({', '.join(f'c{k}' for k in range(16))}) VALUES ({', '.join('?' * 16)})"


def _row(value: float) -> tuple[object, ...]:
    accuracy = '{"of_reading":0.0005,"counts":3.0,"resolution":0.001,"noise_counts":0.5}'
    texts = ("meter", "60 V", accuracy, "four-wire", "instrument", "load-regulation")
    return (1, time.time(), "mount", "V", value, *texts, 1, 1, "", None, 1)


def keep_rows(count: int) -> Row:
    """`count` scans of eight channels, each committed by itself."""
    accuracy = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
    with tempfile.TemporaryDirectory() as scratch:
        file = JobFile.create(Path(scratch) / "job.tensi", demo_job("ridge-pier"))
        db = _bare(Path(scratch))

        def ours() -> None:
            for _ in range(count):
                scan, now = file.next_scan(), time.time()
                file.keep(
                    [
                        Reading(scan, now, f"place-{k}", "V", 13.5 + k, "bench-meter", accuracy,
                                "four-wire", "instrument", "60 V", "load-regulation", 1)
                        for k in range(CHANNELS)
                    ]
                )  # fmt: skip

        def floor() -> None:
            for _ in range(count):
                db.execute("BEGIN IMMEDIATE")
                for k in range(CHANNELS):
                    db.execute(_INSERT, _row(13.5 + k))
                db.execute("COMMIT")

        times = in_turns(ours, floor)
        file.close()
        db.close()
    return Row("keeping one 8-channel scan for good", f"{count} scans", *(t / count for t in times), 1.5)


def engine_rows(count: int) -> Row:
    """`count` scans of volts, amps and heat: the engine's; bare queries with a bare commit."""
    job = demo_job("ridge-pier")
    with (
        tempfile.TemporaryDirectory() as scratch,
        SimulatedBench(job, truths=hidden_parameters("ridge-pier"), speed=60) as served,
        JobFile.create(Path(scratch) / "job.tensi", job) as file,
    ):
        bench = open_bench(job, served.resources, speed=60)
        worked_out = plan(job, job.campaign.tests[0])
        engine = RunEngine(file, worked_out, bench, lambda event: None)
        step = worked_out.steps[0]
        db, manager = _bare(Path(scratch)), pyvisa.ResourceManager("@py")
        links = {
            role: manager.open_resource(resource, read_termination="\n", write_termination="\n")
            for role, resource in served.resources.items()
        }
        heat = f"MEAS:TEMP? (@1:{len(job.campaign.probes)})"
        asked = (("load", "MEAS:CURR?"), ("voltmeter", "MEAS:VOLT:DC?"), ("thermometer", heat))

        def ours() -> None:
            for _ in range(count):
                engine.scan(step)

        def floor() -> None:
            for _ in range(count):
                answers = [links[role].query(command) for role, command in asked]
                values = [float(one) for answer in answers for one in answer.split(",")]
                db.execute("BEGIN IMMEDIATE")
                for value in values:
                    db.execute(_INSERT, _row(value))
                db.execute("COMMIT")

        times = in_turns(ours, floor)
        for link in links.values():
            link.close()
        bench.close()
        db.close()
    size = f"{count} scans"
    return Row("run engine, query to stored reading", size, *(t / count for t in times), 0.8, rate=True)


def rows() -> list[Row]:
    return [keep_rows(50), keep_rows(200), engine_rows(20), engine_rows(80)]
