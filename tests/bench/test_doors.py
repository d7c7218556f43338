"""The same figures by whatever door readings come: by instruments, as a log, typed line by line."""

from pathlib import Path

import numpy as np
import pytest

from tensimeter.app import imported_readings
from tensimeter.app.imported_readings import import_log, import_typed, import_waveform
from tensimeter.app.imported_temperatures import import_temperatures
from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.measurement.readings import Reading, Wave
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LoadRegulation, Overload, Ripple, Soak, Test
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.destination import in_hand_of
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.step import Plan
from tensimeter.demo.library import stand_ins
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_log, read_temperatures
from tensimeter.store.waveforms import Waveform
from tensimeter.store.waves import WaveBook


def figures(file: JobFile, worked_out: Plan) -> dict[str, tuple[object, ...]]:
    """What a test gives: each figure with its interval to six digits, its words, its verdict."""
    found = outcome(file.job, worked_out, file.readings(), WaveBook(file).waves())
    assert found.complete
    rounded = {
        f.key: [float(f"{x:.6g}") for x in (f.value.value, f.value.low, f.value.high)] if f.value else f.text
        for f in found.findings
    }
    return {f.key: (rounded[f.key], f.verdict) for f in found.findings}


def by_instrument(path: Path, job: Job, worked_out: Plan) -> tuple[JobFile, list[Reading], list[Wave]]:
    clock, file = SteppedClock(), JobFile.create(path, job)
    with stand_ins(job, seed=4, clock=clock) as served:
        bench = open_bench(job, served.resources, clock=clock)
        served.connect(worked_out.output.id)
        engine = RunEngine(file, worked_out, bench, lambda event: None)
        engine.start()
        engine.join(300)
        bench.close()
        assert engine.ended.kind == "complete", engine.ended.text
    return file, file.readings(), WaveBook(file).waves()


@pytest.mark.parametrize(
    "test",
    [
        LoadRegulation(id="t", output="mount"),
        Overload(id="t", output="dew"),
        Soak(id="t", output="hub", part_s=120, hold_s=600, every_s=60),
    ],
)
def test_the_same_figures_by_every_door(
    tmp_path: Path, demo: Job, monkeypatch: pytest.MonkeyPatch, test: Test
) -> None:
    job = with_campaign(demo, tests=(test,))
    worked_out = plan(job, test)
    file, facts, _ = by_instrument(tmp_path / "i.tensi", job, worked_out)
    scans: dict[int, dict[tuple[str, str], Reading]] = {}
    for r in facts:
        # A log does not tell that the supply was off in between.
        if not worked_out.steps[r.step or 0].reset:
            scans.setdefault(r.scan, {})[(r.place, r.quantity)] = r
    heat = list(dict.fromkeys(r.place for r in facts if r.quantity == "C")) if test.soaks else []
    columns = [(test.output, "V"), (test.output, "A"), *((place, "C") for place in heat)]
    rows = [[scan[c] for c in columns] for scan in scans.values() if all(c in scan for c in columns)]

    def logged(name: str, rows: list[list[Reading]]) -> JobFile:
        lines = [",".join(["time", "volts", "amps", *(f"{place} [°C]" for place in heat)])]
        lines += [",".join([f"{row[0].at - facts[0].at:.3f}", *(repr(r.value) for r in row)]) for row in rows]
        (tmp_path / "log.csv").write_text("\n".join(lines))
        into = JobFile.create(tmp_path / name, job)
        if heat:
            import_temperatures(into, read_temperatures(tmp_path / "log.csv"), worked_out, "log")
        else:
            import_log(into, read_log(tmp_path / "log.csv"), worked_out, "log", accept=True)
        return into

    # By hand a point is looked at once, and only those that are asked.
    at_step = {row[0].step: row for row in reversed(rows)}
    typed, once = JobFile.create(tmp_path / "t.tensi", job), list[list[Reading]]()

    def asked() -> int:
        return ReadSoFar(job, typed.readings()).next_step(worked_out)

    while (row := rows[len(once)] if heat else at_step.pop(asked(), None)) is not None:
        once.append(row)
        volts, amps, *celsius = row
        monkeypatch.setattr(imported_readings.time, "time", lambda at=volts.at: at)
        said = [f"{volts.value!r}V {amps.value!r}A", *(f"{r.place} {r.value!r}C" for r in celsius)]
        for text in said:
            line = understand(job, text, in_hand_of(worked_out, asked()), seen=heat)
            import_typed(typed, line, worked_out, step=asked())
        if heat and len(once) == len(rows):
            break
    monkeypatch.undo()
    once.sort(key=lambda row: row[0].scan)

    wanted = figures(file, worked_out)
    assert len(wanted) >= 4
    assert figures(logged("f.tensi", rows), worked_out) == wanted
    assert figures(typed, worked_out) == figures(logged("o.tensi", once), worked_out)


def test_a_record_by_instrument_and_by_file_and_what_is_read_off_a_screen(tmp_path: Path, demo: Job) -> None:
    test = Ripple(id="t", output="mount", points=(1.0,), record_s=0.02)
    job = with_campaign(demo, tests=(test,))
    worked_out = plan(job, test)
    file, facts, waves = by_instrument(tmp_path / "i.tensi", job, worked_out)
    wanted = figures(file, worked_out)
    as_file, typed = JobFile.create(tmp_path / "f.tensi", job), JobFile.create(tmp_path / "t.tensi", job)
    for wave, step in zip(waves, worked_out.steps, strict=True):
        amps = next(r.value for r in facts if (r.step, r.quantity) == (step.index, "A"))
        import_waveform(
            as_file, Waveform(wave.volts, wave.rate_Hz, wave.start_s), worked_out, step.index, "w"
        )
        line = understand(
            job, f"{float(np.ptp(wave.volts))!r}Vpp @{amps}", in_hand_of(worked_out, step.index)
        )
        import_typed(typed, line, worked_out, step=step.index)
    found = figures(as_file, worked_out)
    assert found == wanted
    screen = figures(typed, worked_out)
    key = next(k for k in wanted if "p" in k and isinstance(wanted[k][0], list))
    assert screen[key][0][0] == pytest.approx(wanted[key][0][0], rel=1e-3)
