"""Temperatures that come as a log, filed as facts of a soak."""

import time
from collections.abc import Sequence

import numpy as np

from tensimeter.app.imported_readings import ask_about, import_log, must_be_new
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import measuring_points
from tensimeter.core.measurement.plausible import doubts
from tensimeter.core.measurement.readings import Measurand, Reading
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.readingline import all_places
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import Log, TemperatureLog


def import_temperatures(
    file: JobFile,
    log: TemperatureLog,
    plan: Plan,
    source: str,
    *,
    accept: bool = False,
    conditions: Sequence[Reading] = (),
) -> list[Reading]:
    """Keep every row of a log of temperatures as a run of its own; UserError where it is none of a held load.

    Doubtful where its figures can't be right, or a column is called as no place is, unless that is accepted.
    Columns named as the job's places stand there; one that is called temperature alone is the watched place.
    Where amps are in the log, or stand in its `conditions`, they tell the step, else the last one is meant:
    what flowed is not known then.
    """
    if not kind_of(plan.test).heats:
        raise UserError(
            "Temperatures over time belong to a soak, a fan or a sensor: choose one of them first."
        )
    if (np.diff(log.time_s) < 0).any():
        raise UserError(f"The times of {source} run backwards; nothing was taken.")
    job = file.job
    names, strange = _places(file, log, plan)
    said_A = next((r.value for r in conditions if (r.place, r.quantity) == (plan.output.id, "A")), None)
    if log.amps is not None:
        conditions = [r for r in conditions if (r.place, r.quantity) != (plan.output.id, "A")]
    if not accept:
        _ask_for_places(source, strange)
        _look_through(file, log, plan, source, names)
    first, now = file.next_scan(len(log.time_s)), time.time()
    run = file.begin_run(plan.test.id, {"thermometer": source})
    part = job.campaign.thermometer
    beside = [r._replace(test=plan.test.id) for r in conditions if r.place not in names.values()]
    rows: list[Reading] = []
    for k, at in enumerate(log.time_s.tolist()):
        step = _step(plan, said_A if log.amps is None else float(log.amps[k]))
        values: list[tuple[str, Measurand, float, str | None]] = [
            (place, "C", float(log.celsius[name][k]), part) for name, place in names.items()
        ]
        if log.volts is not None:
            values.append((plan.output.id, "V", float(log.volts[k]), job.campaign.voltmeter))
        if log.amps is not None:
            values.append((plan.output.id, "A", float(log.amps[k]), job.campaign.ammeter))
        for place, quantity, value, meter in values:
            accuracy, range_ = accuracy_of(job, meter, quantity, value, 0.001)
            used = (meter or "") if range_ != "assumed" else ""
            moment = now + at - float(log.time_s[0])
            fact = (first + k, moment, place, quantity, value, used, accuracy, job.campaign.wiring)
            rows.append(Reading(*fact, "file", range_, plan.test.id, step, run, source))
        rows += [
            r._replace(scan=first + k, at=rows[-1].at, step=step, run=run, origin="file", note=source)
            for r in beside
        ]
    kept = file.keep(rows)
    file.run_event(run, "complete", f"{len(log.time_s)} rows from {source}.")
    return kept


def _look_through(file: JobFile, log: TemperatureLog, plan: Plan, source: str, names: dict[str, str]) -> None:
    """Doubtful where its figures can't be right, or were taken in before."""
    found = doubts(volts=log.volts, amps=log.amps, most_A=plan.most_A or None, steady=False)
    for name, celsius in log.celsius.items():
        found += [f"{name}: {doubt}" for doubt in doubts(celsius=celsius)]
    ask_about(source, found)
    must_be_new(file, source, {(place, "C"): log.celsius[name] for name, place in names.items()})


def places_of_heat(file: JobFile, plan: Plan) -> dict[str, str]:
    """The places whose temperature a column may be of, by id, with their names; the watched one first."""
    wished = _watched(plan)
    named = measuring_points(file.job)
    seen = [r.place for r in file.readings() if r.quantity == "C"]
    return {p: named.get(p, p) for p in dict.fromkeys((wished, *named, *seen, "ambient"))}


def _watched(plan: Plan) -> str:
    return getattr(plan.test, "place", None) or "sink"


def is_plain(file: JobFile, log: TemperatureLog, plan: Plan) -> bool:
    """Whether every column of a log is called as a place is that is known."""
    return not _places(file, log, plan)[1]


def _places(file: JobFile, log: TemperatureLog, plan: Plan) -> tuple[dict[str, str], list[str]]:
    """The place of each column of a log, and the columns that are called as no place is."""
    found: dict[str, str] = {}
    strange: list[str] = []
    wished = _watched(plan)
    places = all_places(file.job, [r.place for r in file.readings() if r.quantity == "C"])
    known = {name.replace(" ", "-"): place for name, (place, _) in places.items()}
    for name in log.celsius:
        found[name] = wished if name == "temperature" else known.get(name, name)
        if name not in known and name not in ("temperature", wished, *log.said):
            strange.append(name)
    twice = next((p for p in found.values() if list(found.values()).count(p) > 1), None)
    if twice is not None:
        raise UserError(
            f"Two columns would be {twice}; say of each which place it is: --map case=#2,sink=#3."
        )
    return found, strange


def _ask_for_places(source: str, strange: list[str]) -> None:
    """Doubtful where columns are called as no place is: each would be a place of its own."""
    if strange:
        columns = " and ".join(f"“{name}”" for name in strange)
        what = "is no place that is known" if len(strange) == 1 else "are no places that are known"
        said = "say which, as --map case=#2 for the second column, or take each as a place of its own."
        ask_about(source, [f"{columns} {what}: {said}"])


def _step(plan: Plan, amps: float | None) -> int:
    """The step that a row belongs to: the one whose current is nearest, the last where none was read."""
    if amps is None or not plan.steps:
        return max(len(plan.steps) - 1, 0)
    return min(plan.steps, key=lambda s: (abs(s.set_A - amps), s.index)).index


def import_any_log(
    file: JobFile,
    log: Log | TemperatureLog,
    plan: Plan,
    source: str,
    *,
    accept: bool = False,
    conditions: Sequence[Reading] = (),
) -> list[Reading]:
    """Keep the rows of a log under a test, of the kind that the test takes; UserError where it is none."""
    if kind_of(plan.test).heats:
        if not isinstance(log, TemperatureLog):
            raise UserError(f"{source} has no temperatures; {plan.test.id} reads them over time.")
        return import_temperatures(file, log, plan, source, accept=accept, conditions=conditions)
    if isinstance(log, TemperatureLog):
        raise UserError(f"{source} has temperatures; {plan.test.id} reads volts and amps.")
    return import_log(file, log, plan, source, accept=accept, conditions=conditions)
