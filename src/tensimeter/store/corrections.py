"""Taking back what was kept: readings, runs, logs and waveforms struck or replaced with a reason."""

from tensimeter.core.correction_line import Correction
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.readingline import at_place
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.taken import Sorter
from tensimeter.store.jobfile import JobFile


def correct(file: JobFile, wanted: Correction) -> str:
    """Strike or replace what a correction names; what was done, in a sentence. UserError without one.

    What is struck stays where it is and visible; it enters no figure any more.
    """
    if wanted.to:
        old, (test, step) = named_reading(file, wanted.target), _where_to(file.job, wanted.to)
        _must_be_moved(file.job, old, test)
        return move_reading(file, old, test, step)
    if wanted.figure:
        return replace_reading(file, named_reading(file, wanted.target), wanted.figure, wanted.reason)
    if wanted.what == "wave":
        count = file.strike([_number(wanted)], wanted.reason, "wave")
        return _said(file, count, f"waveform {wanted.target}", wanted.reason)
    if wanted.what == "run":
        return strike_run(file, _number(wanted), wanted.reason)
    if wanted.what == "log":
        rows = [r for r in file.facts() if r.origin == "file" and r.note == wanted.target]
        if not rows:
            raise UserError(f"No log “{wanted.target}” was taken in; nothing was struck.")
        return strike_readings(file, rows, f"log {wanted.target}", wanted.reason)
    found = named_reading(file, wanted.target)
    return strike_readings(file, with_its_pair(file, found), f"reading {found.id}", wanted.reason)


def affected(file: JobFile, wanted: Correction) -> str:
    """Which rows a correction would take back, before it is done; UserError where there is none such."""
    if wanted.what == "wave":
        return ""
    if wanted.what == "run":
        return _named([r for r in file.readings() if r.run == _number(wanted)])
    if wanted.what == "log":
        return _named([r for r in file.readings() if r.origin == "file" and r.note == wanted.target])
    found = named_reading(file, wanted.target)
    return _named([found] if wanted.figure or wanted.to else with_its_pair(file, found))


def _named(rows: list[Reading]) -> str:
    """A few rows by place and figure, many by their number."""
    told = [f"{r.id}: {r.place} {show(r.value, r.quantity, 6)}" for r in rows[:4]]
    return "; ".join(told) + (f" and {len(rows) - 4} more" if len(rows) > 4 else "")


def strike_run(file: JobFile, run: int, reason: str) -> str:
    """Strike everything that a run kept."""
    rows = [r for r in file.facts() if r.run == run]
    waves = [w for w, of in file.pick("wave", "id, run") if of == run]
    if not rows and not waves:
        raise UserError(f"There is no run {run} that kept anything; nothing was struck.")
    count = file.strike([r.id for r in rows if r.id], reason) + file.strike(waves, reason, "wave")
    return _said(file, count, f"run {run}", reason)


def strike_readings(file: JobFile, rows: list[Reading], name: str, reason: str) -> str:
    """Strike some readings together."""
    return _said(file, file.strike([r.id for r in rows if r.id], reason), name, reason)


def replace_reading(file: JobFile, old: Reading, figure: str, reason: str) -> str:
    """Keep another figure in a reading's place: at the same moment, so that its pair stays one."""
    line = at_place(old.place, old.place, old.quantity, figure)
    accuracy, range_ = accuracy_of(
        file.job, old.instrument or None, old.quantity, line.value, line.resolution
    )
    new = old._replace(
        value=line.value,
        accuracy=accuracy,
        range=range_,
        origin="typed",
        note=f"in place of {old.id}: {reason}",
        corrects=old.id,
        id=None,
    )
    (kept,) = file.keep([new])
    said = f"reading {old.id} replaced by {show(kept.value, kept.quantity, 6)} (reading {kept.id}): {reason}"
    file.log("reading", said)
    return said


def move_reading(file: JobFile, old: Reading, test: str | None, step: int | None) -> str:
    """Let a reading, with what was read at the same moment at its place, count elsewhere; as it was read."""
    rows = [r for r in file.readings() if (r.scan, r.place, r.test) == (old.scan, old.place, old.test)]
    moved = [
        r._replace(
            test=test, step=step, note=f"moved from {r.test or 'no test'}: {r.note}", corrects=r.id, id=None
        )
        for r in rows
    ]
    file.keep(moved)
    at = f"{test}{f', step {step + 1}' if step is not None else ''}" if test else "no test"
    said = f"reading {old.id} moved to {at}"
    file.log("reading", said)
    return said


def _must_be_moved(job: Job, old: Reading, test: str | None) -> None:
    """UserError where a move would do nothing: a point belongs to every test that it fits, and no other."""
    known = Sorter(job)
    if known.is_free(old) and (test is None or test in known.by_points):
        raise UserError(
            f"Reading {old.id} is a point: it counts in every test whose conditions it was read under. "
            "Strike it, and type it with its own (@2A, set 12V, mains 207V). Nothing was changed."
        )


def _where_to(job: Job, to: str) -> tuple[str | None, int | None]:
    """The test and the step that a move names; UserError where there is none such."""
    if to.casefold() == "nowhere":
        return None, None
    name, _, number = to.partition(",")
    test = job.test(name.strip())
    count = len(plan(job, test).steps)
    if not number.strip():
        return test.id, None
    if not number.strip().isdecimal() or not 1 <= int(number) <= count:
        raise UserError(f"“{number.strip()}” is no step of {test.id}: it has {count}, from 1 on.")
    return test.id, int(number) - 1


def with_its_pair(file: JobFile, reading: Reading) -> list[Reading]:
    """A typed reading and what was read in the same line; of instruments and logs the one alone.

    What was said of that moment goes with it where nothing else was read of it.
    """
    if reading.origin not in ("typed", "practice"):
        return [reading]
    moment = [r for r in file.readings() if r.scan == reading.scan]
    mine = [r for r in moment if r.id == reading.id or (r.known == "read" and r.note == reading.note)]
    others = [r for r in moment if r.known == "read" and r not in mine]
    return mine if others else moment


def named_reading(file: JobFile, target: str) -> Reading:
    """The reading with a number, or the last one; UserError where there is none that still stands."""
    rows = file.readings()
    if target == "last" and rows:
        # Of what was typed in one line the first is what was meant.
        return next(r for r in rows if r.scan == rows[-1].scan)
    found = next((r for r in rows if str(r.id) == target), None)
    if found is None:
        gone = target != "last" and any(str(r.id) == target for r in file.facts())
        raise UserError(
            f"Reading {target} was taken back already; nothing was changed."
            if gone
            else f"There is no reading {target}; nothing was changed."
        )
    return found


def _number(wanted: Correction) -> int:
    if not wanted.target.isdecimal() or len(wanted.target) > 12:
        raise UserError(f"“{wanted.target}” is no number of a {wanted.what}; nothing was struck.")
    return int(wanted.target)


def _said(file: JobFile, count: int, name: str, reason: str) -> str:
    if not count:
        raise UserError(f"There was nothing left to strike of {name}.")
    rows = "" if count == 1 else f", {count} rows"
    said = f"{name} struck{rows}: {reason}"
    file.log("reading", said)
    return said
