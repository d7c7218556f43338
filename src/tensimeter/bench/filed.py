"""Readings that people type or bring as a log, filed as facts beside those of instruments."""

import time
from typing import TYPE_CHECKING

import numpy as np

from tensimeter.core.campaign import Plan, step_for
from tensimeter.core.errors import Trouble
from tensimeter.core.job.document import Job
from tensimeter.core.readingline import Understood
from tensimeter.core.verify.readings import Origin, Quantity, Reading, accuracy_of, standing
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.store.logs import Log


def done_steps(plan: Plan, readings: list[Reading]) -> set[int]:
    """Steps of a plan that have volts already."""
    return {
        r.step
        for r in standing(readings)
        if r.test == plan.test.id and r.step is not None and r.quantity in ("V", "Vpp")
    }


def file_typed(
    file: JobFile,
    line: Understood,
    plan: Plan | None,
    *,
    instrument: str | None = None,
    step: int | None = None,
    origin: Origin = "typed",
) -> list[Reading]:
    """Keep what was typed, or read by an instrument outside a run.

    Volts with a current become a pair, filed under the test's step.

    `instrument` is the meter in hand (the campaign's voltmeter when None); without `@ current` a
    reading of the output under test is taken at the current of `step`, as set.
    """
    job = file.job
    meter = instrument or job.campaign.voltmeter
    at_test = plan is not None and line.place == plan.output.id and line.quantity == "V"
    amps, amps_step = line.at_A, line.at_resolution
    if at_test and plan is not None and amps is None and step is not None:
        amps, amps_step = plan.steps[step].set_A, 0.001
    scan, now = file.next_scan(), time.time()
    test = plan.test.id if at_test and plan else None
    filed: int | None = None
    if at_test and plan is not None and amps is not None:
        filed = step_for(plan, amps, done_steps(plan, file.readings()))
    found = [
        _reading(
            job,
            scan,
            now,
            line.place,
            line.quantity,
            line.value,
            meter,
            line.resolution,
            test,
            filed,
            line.text,
        )._replace(origin=origin)
    ]
    if amps is not None:
        ammeter = job.campaign.ammeter
        found.append(
            _reading(job, scan, now, line.place, "A", amps, ammeter, amps_step, test, filed, line.text)
        )
    return file.keep(found)


def _reading(
    job: Job,
    scan: int,
    now: float,
    place: str,
    quantity: Quantity,
    value: float,
    instrument: str | None,
    resolution: float,
    test: str | None,
    step: int | None,
    text: str,
) -> Reading:
    accuracy, range_ = accuracy_of(job, instrument, quantity, value, resolution)
    used = instrument if range_ != "assumed" else ""
    return Reading(
        scan,
        now,
        place,
        quantity,
        value,
        used or "",
        accuracy,
        job.campaign.wiring,
        "typed",
        range_,
        test,
        step,
        None,
        text,
    )


def file_log(file: JobFile, log: "Log", plan: Plan, source: str) -> list[Reading]:
    """Keep every row of a log as a pair of volts and amps of the output under test."""
    job = file.job
    volts, amps = log.need("volts", "amps")
    if np.any(amps < -0.02 * plan.most_A):
        raise Trouble(f"{source} has currents below zero. Are the load's wires swapped? Nothing was taken.")
    first, now = file.next_scan(), time.time()
    start = log.columns.get("time", np.arange(len(volts), dtype=float))
    done = done_steps(plan, file.readings())
    rows: list[Reading] = []
    step, previous = None, None
    for k, (v, a) in enumerate(zip(volts.tolist(), amps.tolist(), strict=True)):
        if previous is None or abs(a - previous) > 0.02 * plan.most_A:
            # A new plateau: the next open step at this current, so that up and down stay apart.
            step = step_for(plan, a, done)
            previous = a
        if step is not None:
            done.add(step)
        moment = now + float(start[k] - start[0])
        columns: tuple[tuple[Quantity, float, str | None], ...] = (
            ("V", v, job.campaign.voltmeter),
            ("A", a, job.campaign.ammeter),
        )
        for quantity, value, meter in columns:
            accuracy, range_ = accuracy_of(job, meter, quantity, value, 0.001)
            used = (meter or "") if range_ != "assumed" else ""
            rows.append(
                Reading(
                    first + k,
                    moment,
                    plan.output.id,
                    quantity,
                    value,
                    used,
                    accuracy,
                    job.campaign.wiring,
                    "file",
                    range_,
                    plan.test.id,
                    step,
                    None,
                    source,
                )
            )
    return file.keep(rows)
