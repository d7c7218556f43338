"""Readings that people type or bring as a log, filed as facts beside those of instruments."""

import math
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.along_path import OTHER
from tensimeter.core.circuit.sources import below_common
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.plausible import doubts
from tensimeter.core.measurement.readings import AS_SAID, HEARD, Measurand, Origin, Reading
from tensimeter.core.model.compared_places import SET, part_at
from tensimeter.core.model.instruments import accuracy_of, display_of
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.readingline import BEEP_OHM, Understood, at_place
from tensimeter.core.testplan.destination import destination, step_for
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.soak.run import link_of
from tensimeter.core.testplan.step import Plan, displays_of
from tensimeter.core.testplan.taken import by_points
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import keep_wave

if TYPE_CHECKING:
    from tensimeter.core.procedure.practice import Practice
    from tensimeter.store.logs import Log
    from tensimeter.store.waveforms import Waveform


#: Rows of less than this share of the most are no load, whatever their sign.
SINKS = 0.05
#: What is typed as set is taken to be set to this, at the least.
SET_DIGIT = 0.01


def _watched(job: Job, plan: Plan | None, place: str) -> str:
    """What `case` and `sink` mean where a test watches one part: its own."""
    link = link_of(job, plan) if plan is not None and place in ("case", "sink") else None
    return f"{link}-{place}" if link else place


class Moment(Struct, frozen=True):
    """When a line was read and with what: its scan and time, what was said of it, what it is told in."""

    scan: int
    at: float
    conditions: tuple[Reading, ...] = ()


def import_typed(
    file: JobFile,
    line: Understood,
    plan: Plan | None,
    *,
    instrument: str | None = None,
    step: int | None = None,
    origin: Origin = "typed",
    others: Sequence[Plan] = (),
    read: ReadSoFar | None = None,
    moment: Moment | None = None,
) -> list[Reading]:
    """Keep what was typed, or read by an instrument outside a run.

    Volts with a current that was said become a point; of volts alone nobody knows the amps, and none are
    made up. `plan` is the test in hand with its `step`, `others` the tests that the reading may belong to
    instead; `instrument` the meter in hand (the campaign's voltmeter when None); `read` what was read before,
    where that is known already; `moment` is given where more than the line itself was said.
    """
    job = file.job
    meter = instrument or job.campaign.voltmeter
    if line.quantity == "C":
        meter = job.campaign.thermometer or meter
    elif line.quantity == "A" and instrument is None:
        meter = job.campaign.ammeter
    plans = [p for p in (plan, *others) if p is not None]
    where = destination(job, line, plans, read or ReadSoFar(job, file.readings()), step)
    into = where.plan.steps[where.step] if where.plan is not None and where.step is not None else None
    place = (
        _watched(job, where.plan, line.place) if into is not None and into.hold_s is not None else line.place
    )
    moment = moment or Moment(file.next_scan(), time.time())
    scan, now = moment.scan, moment.at
    at = (where.test, where.at_step, line.text)
    beside = [r._replace(test=where.test, step=where.at_step, origin=origin) for r in moment.conditions]
    found = [
        _reading(job, scan, now, place, line.quantity, line.value, meter, line.resolution, *at)._replace(
            origin=origin
        )
    ]
    if line.heard:
        # A tone tells that something conducts, and not how well: no range of a card is meant, and its
        # 95 % interval is all of that range.
        heard = Accuracy(of_reading=0.0, counts=BEEP_OHM / 1.9, resolution=1.0, noise_counts=0.0)
        found[0] = found[0]._replace(accuracy=heard, instrument="", range=HEARD)
    shows = next((o.id for o in job.design.outputs() if place in displays_of(o.id)), None)
    if shows is not None:
        # A display reads for itself; it stands beside what was read at the same moment.
        accuracy, part = display_of(job, shows, line.quantity, line.resolution)
        own = found[0]._replace(accuracy=accuracy, instrument=part or "", range="" if part else "assumed")
        return file.keep([own, *beside])
    subject = part_at(job, line.place)
    if subject is not None:
        # Of what is set no digit is lost to rounding: “4A” is 4.00 A.
        digit = min(line.resolution, SET_DIGIT) if line.place.endswith(SET) else line.resolution
        accuracy, range_ = accuracy_of(job, subject, line.quantity, line.value, digit)
        own = found[0]._replace(instrument=subject, accuracy=accuracy, range=range_, test=None, step=None)
        return file.keep([own])
    if place.endswith(OTHER):
        # Read with another meter than the campaign's: of it nothing is known but its digits.
        accuracy, range_ = accuracy_of(job, instrument, line.quantity, line.value, line.resolution)
        found[0] = found[0]._replace(instrument=instrument or "", accuracy=accuracy, range=range_)
    at_output = line.place.removesuffix(OTHER)
    if line.at_A is not None:
        amps = said_amps(job, moment, at_output, line.at_A, line.at_resolution, line.text)
        found.append(amps._replace(origin=origin, test=where.test, step=where.at_step))
    return file.keep([*found, *(r for r in beside if (r.place, r.quantity) != (found[-1].place, "A"))])


def said_amps(job: Job, moment: Moment, output: str, amps: float, digit: float, text: str) -> Reading:
    """Amps of an output that a person said flow, as a fact beside what was read."""
    meter = job.campaign.ammeter
    of = _reading(job, moment.scan, moment.at, output, "A", amps, meter, digit, None, None, text)
    return of._replace(range=AS_SAID)


def said_fact(moment: Moment, place: str, quantity: Measurand, value: float, text: str) -> Reading:
    """A circumstance that a person said, as a fact beside what was read: nobody read it off anything."""
    return Reading(
        moment.scan, moment.at, place, quantity, value, "", None, "two-wire", "typed", AS_SAID, note=text
    )


def import_practice(
    file: JobFile, practice: "Practice", place: str, name: str, quantity: Measurand, meter: str | None
) -> tuple[list[Reading], str]:
    """Keep what the practice supply reads at a place, marked as practice; the facts, and their words."""
    value = practice.value(place)
    if value is None:
        raise UserError("The practice supply has nothing to read there.")
    text = "OL" if math.isinf(value) else f"{value:.4g}" if quantity == "ohm" else f"{value:.2f}"
    line = replace(at_place(place, name, quantity, text), text="practice")
    kept = import_typed(file, line, None, instrument=meter, origin="practice")
    return kept, f"{line.summary}, practice"


def import_from_meter(file: JobFile, bench_file: Path, place: str, name: str) -> tuple[list[Reading], str]:
    """Keep one reading of the voltmeter that a bench file names; UserError where it gives none."""
    from tensimeter.bench.setup import read_voltmeter

    value, simulated = read_voltmeter(file.job, bench_file)
    line = replace(at_place(place, name, "V", f"{value:.6g}"), text="read by the bench")
    origin: Origin = "simulated" if simulated else "instrument"
    kept = import_typed(file, line, None, instrument=file.job.campaign.voltmeter, origin=origin)
    by = "a simulated voltmeter" if simulated else "the bench's voltmeter"
    return kept, f"{line.summary}, by {by}"


def _reading(
    job: Job,
    scan: int,
    now: float,
    place: str,
    quantity: Measurand,
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


def import_log(
    file: JobFile,
    log: "Log",
    plan: Plan,
    source: str,
    *,
    accept: bool = False,
    conditions: Sequence[Reading] = (),
) -> list[Reading]:
    """Keep every row of a log as a pair of volts and amps of the output under test, with what stands.

    Doubtful where its figures can't be right, unless they are accepted; then nothing was kept.
    """
    job = file.job
    volts, amps = log.need("volts", "amps", over_range=True)
    if below_common(file.job, plan.output.id):
        volts = np.abs(volts)
    must_sink(source, amps, most_A=plan.most_A or 0.0)
    if not accept:
        ask_about(
            source,
            doubts(
                volts=volts,
                amps=amps,
                expected_V=plan.output.nominal_V if kind_of(plan.test).by_current else None,
                most_A=plan.most_A or None,
                steady=kind_of(plan.test).by_current,
            ),
        )
        must_be_new(file, source, {(plan.output.id, "V"): volts, (plan.output.id, "A"): amps})
    first, now = file.next_scan(len(volts)), time.time()
    start = log.columns.get("time", np.arange(len(volts), dtype=float))
    rows: list[Reading] = []
    # Points belong to every test that they fit; what is read past a limit, or over time, to this one.
    test = None if by_points(plan) else plan.test.id
    by_plateau = test is not None and not kind_of(plan.test).past_limits
    done = ReadSoFar(job, file.readings()).done(plan) if by_plateau else set()
    step, previous = None, None
    for k, (v, a) in enumerate(zip(volts.tolist(), amps.tolist(), strict=True)):
        if by_plateau and (previous is None or abs(a - previous) > 0.02 * plan.most_A):
            # A new plateau: the next open step at this current, so that up and down stay apart.
            step = 0 if len(plan.steps) == 1 else step_for(plan, a, done)
            previous = a
        if step is not None:
            done.add(step)
        moment = now + float(start[k] - start[0])
        columns: tuple[tuple[Measurand, float, str | None], ...] = (
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
                    test,
                    step,
                    None,
                    source,
                )
            )
        rows += [
            r._replace(scan=first + k, at=moment, test=test, step=step, origin="file", note=source)
            for r in conditions
        ]
    return file.keep(rows)


def must_sink(source: str, amps: Array, most_A: float) -> None:
    """UserError where what a load sinks is written below zero: taken as it is, it would count as no load."""
    loaded = amps[np.abs(amps) > SINKS * max(float(np.abs(amps).max(initial=0.0)), most_A)]
    if len(loaded) and float(np.median(loaded)) < 0:
        lowest = show(float(amps.min()), "A", 3)
        raise UserError(
            f"{source}: currents are negative (down to {lowest}). If your load logs sink current so, "
            "turn the sign: --map amps=-#2, or “amps the other way round”. If its wires are swapped, take it "
            "again. Nothing was taken."
        )


def must_be_new(file: JobFile, source: str, columns: dict[tuple[str, Measurand], Array]) -> None:
    """Doubtful where a log with the very same figures was taken in before and still counts."""
    told: dict[str, dict[tuple[str, Measurand], list[float]]] = {}
    when: dict[str, float] = {}
    for r in file.readings():
        if r.origin == "file" and (r.place, r.quantity) in columns:
            told.setdefault(r.note, {}).setdefault((r.place, r.quantity), []).append(r.value)
            when.setdefault(r.note, r.at)
    same = {key: values.tolist() for key, values in columns.items()}
    place = " and ".join(dict.fromkeys(where for where, _ in columns))
    for note, earlier in told.items():
        rows = len(next(iter(same.values())))
        known = {key: values[-rows:] for key, values in earlier.items()}
        if rows and known == same:
            began = time.strftime("%Y-%m-%d %H:%M", time.localtime(when[note]))
            raise Doubtful(
                f"{source} has the same {rows} rows at {place} as {note}, which was taken in already "
                f"(it begins {began}). Nothing was taken."
            )


def ask_about(source: str, found: list[str]) -> None:
    """Doubtful with the first thing that can't be right about a log; nothing where all is plausible."""
    if found:
        more = f" ({len(found) - 1} more like it.)" if len(found) > 1 else ""
        raise Doubtful(f"{source}: {found[0]}{more} Nothing was taken.")


def import_waveform(file: JobFile, wave: "Waveform", plan: Plan | None, index: int, source: str) -> int:
    """Keep a waveform from a file under a step that asks for one; UserError where it asks for none."""
    step = plan.steps[index] if plan and index < len(plan.steps) else None
    if plan is None or step is None or step.capture is None:
        raise UserError("The step in hand asks for no waveform; choose one of ripple, transient or start.")
    before = step.capture.before if step.capture.event != "none" else 0.0
    # A file that begins at zero does not say where its event is: it is taken to be where it was asked for.
    start = -before * len(wave.volts) / wave.rate_Hz if wave.start_s == 0 else wave.start_s
    return keep_wave(
        file,
        wave.volts,
        wave.rate_Hz,
        step.place or plan.output.id,
        start_s=start,
        instrument=file.job.campaign.oscilloscope or "",
        origin="file",
        test=plan.test.id,
        step=step.index,
        note=source,
    )
