"""What a data sheet says: computed from the job and its readings, before any layout."""

import math
import time
from collections.abc import Sequence
from functools import partial

from msgspec import Struct

from tensimeter.bench.setup import parts_by_role
from tensimeter.core.circuit.network import has_source
from tensimeter.core.guarded import guarded
from tensimeter.core.held.circumstances import mains_hull, room_hull
from tensimeter.core.held.points import shown_A
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import PRETENDED, PRETENDED_WORDS, Reading, Wave
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import states_words
from tensimeter.core.model.tests import Test
from tensimeter.core.notice import Notice
from tensimeter.core.parts.instrument_part import Instrument
from tensimeter.core.parts.registry import Part
from tensimeter.core.path import OutputLink
from tensimeter.core.plate.missing import missing, missing_sentence
from tensimeter.core.plate.rating import Plate
from tensimeter.core.procedure.first_power import power_up_results
from tensimeter.core.procedure.matrix import checked
from tensimeter.core.procedure.notices import notices
from tensimeter.core.quantity import decimals_for, fixed, localised, show, show_at_least, with_uncertainty
from tensimeter.core.testplan.evaluation import extended_words, not_judged, outcome, rates
from tensimeter.core.testplan.plan import as_read, plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.registry import KINDS, kind_of
from tensimeter.core.testplan.step import OPEN, Finding, Outcome, StepResult
from tensimeter.report.annex import changes_made, photos, unfinished_runs
from tensimeter.report.plate import plate_of
from tensimeter.report.tuned import tuned
from tensimeter.store.entries import LogEntry
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook


class Rating(Struct, frozen=True):
    """What has been shown of one output, in a line for the plate."""

    output: str
    nominal: str
    proven: str
    why: str
    verdict: Verdict


class Row(Struct, frozen=True):
    """One point of a test as it is printed."""

    point: str
    amps: str
    predicted: str
    measured: str
    uncertainty: str
    allowed: str
    verdict: Verdict | None
    origin: str


class FigureRow(Struct, frozen=True):
    """One figure that a test gives, as it is printed."""

    name: str
    value: str
    allowed: str
    verdict: Verdict | None


class Section(Struct, frozen=True):
    """One test: how it was done, its points, its figures, its verdict."""

    title: str
    standard: str
    method: str
    conditions: str
    rows: tuple[Row, ...]
    figures: tuple[FigureRow, ...]
    outcome: Outcome
    notes: tuple[str, ...]


class Sheet(Struct, frozen=True):
    """The whole data sheet."""

    job: Job
    printed: str
    path: tuple[tuple[str, str, str], ...]
    instruments: tuple[tuple[str, str, str], ...]
    ratings: tuple[Rating, ...]
    sections: tuple[Section, ...]
    unread: tuple[str, ...]
    holds: tuple[Notice, ...]
    built: tuple[tuple[str, str], ...]
    remarks: tuple[tuple[str, str], ...]
    #: What is stamped across every page; empty where everything is real.
    stamp: str = ""
    #: What was taken back, and why.
    struck: tuple[str, ...] = ()
    #: What was tuned: its name, and what is known of it.
    tuned: tuple[tuple[str, str], ...] = ()
    #: What may stand on the front, why it refers to this sheet, and what is missing for more.
    plate: Plate | None = None
    missing: tuple[str, ...] = ()
    #: Runs that did not end well, what was changed, photos.
    runs: tuple[tuple[str, str, str], ...] = ()
    changes: tuple[tuple[str, str], ...] = ()
    photos: tuple[tuple[str, str], ...] = ()


def stamp_of(job: Job, readings: Sequence[Reading], waves: Sequence[Wave] = ()) -> str:
    """What is stamped across a document of a job: that it is a demo, or holds what is made up."""
    origins = {r.origin for r in readings} | {w.origin for w in waves}
    if job.demo:
        return "DEMO"
    pretended = [word for word in ("simulated", "practice") if word in origins & PRETENDED]
    if not pretended:
        return ""
    return " and ".join(pretended).upper() + ("" if origins <= PRETENDED else " IN PART")


def outcomes(job: Job, readings: list[Reading], waves: Sequence[Wave] = ()) -> list[Outcome]:
    """What was read, and what gives a rating, judged by the readings; a broken path has no tests to judge."""
    read, recorded = ReadSoFar(job, readings), {w.test for w in waves}
    found = []
    further = [t for t in as_read(job) if read.was_read_at(t.output)]
    for test in (*job.campaign.tests, *further):
        if not (read.was_read(test.id) or test.id in recorded) and not kind_of(test).rates(test):
            # What nobody has read needs no plan to be told as open.
            continue
        planned = guarded("This test", partial(plan, job, test), lambda _: None)
        if planned is not None:
            judge = partial(outcome, job, planned, read.taken(planned), waves, are_taken=True)
            found.append(guarded("This test", judge, partial(not_judged, planned)))
    return found


def rating(result: Outcome) -> Rating:
    """The rating shown so far: volts of the band, and the largest current that holds."""
    output, amps = result.plan.output, shown_A(result)
    nominal = f"{show(output.nominal_V, 'V', 4)} ± {localised(f'{output.tolerance * 100:g}')} %"
    if result.facts is not None and (words := states_words(result.facts.job)) and amps is None:
        return Rating(output.name, nominal, "not proven", words, Verdict.NOT_MEASURED)
    if not result.measured and not result.extra:
        return Rating(output.name, nominal, "not proven", "nothing measured", Verdict.NOT_MEASURED)
    if amps is None:
        return Rating(output.name, nominal, "not proven", "the first point fails", result.verdict)
    parts = []
    if not result.complete:
        parts.append(f"{result.measured} of {len(result.steps)} points measured")
    failing = [r for r in result.steps if r.pair and r.verdict is not Verdict.CONFORMS]
    if failing:
        first = min(failing, key=lambda r: r.step.set_A)
        flowed = first.pair.amps.value if first.pair is not None else first.step.set_A
        parts.append(f"{first.verdict.words} at {show(flowed, 'A', 3)}")
    proven = "at no load only" if amps == 0 else f"up to {show_at_least(amps, 'A')}"
    if result.pretended:
        # What is made up may be shown, and never as a rating.
        why = f"{PRETENDED_WORDS[result.pretended]}; it would be {proven}"
        return Rating(output.name, nominal, "not proven", why, Verdict.NOT_MEASURED)
    return Rating(output.name, nominal, proven, "; ".join(parts) or "every point", result.verdict)


def build(file: JobFile, judged: Sequence[Outcome] | None = None) -> Sheet:
    """The data sheet of a job file as it stands; `judged` are its tests where they are judged already."""
    job, readings = file.job, file.readings()
    waves = WaveBook(file).waves()
    results = outcomes(job, readings, waves) if judged is None else judged
    shown = {r.plan.test.id for r in results if _read(r)}
    holds = tuple(
        n for n in notices(job, readings) if n.kind == "hold" and (n.overruled or n.stage not in _COUNTED)
    )
    return Sheet(
        job=job,
        printed=time.strftime("%Y-%m-%d %H:%M"),
        path=_path(job),
        instruments=_instruments(job, file, waves),
        ratings=tuple(rating(r) for r in results if rates(r)),
        sections=tuple(_section(job, r) for r in results if _read(r)),
        unread=tuple(
            f"{_name(test)}, {job.output(test.output).name}"
            for test in job.campaign.tests
            if test.id not in shown
        ),
        holds=holds,
        built=_built(job, readings),
        remarks=tuple(_remark(e) for e in file.logbook() if e.kind == "remark"),
        stamp=stamp_of(job, readings, waves),
        struck=_struck(file),
        plate=guarded("The plate", lambda: plate_of(job, readings, results, time.time()), lambda _: None),
        missing=tuple(missing_sentence(m) for m in missing(job, results)),
        runs=unfinished_runs(file),
        changes=changes_made(file),
        photos=photos(file),
        tuned=guarded("What was tuned", partial(tuned, job, readings), lambda s: (("Tuning", s),)),
    )


def _struck(file: JobFile) -> tuple[str, ...]:
    """Readings that were taken back, each with its reason; many of one reason in one line."""
    by_reason: dict[str, list[Reading]] = {}
    struck, facts = file.struck(), file.facts()
    replaced = {r.corrects: r for r in facts if r.corrects is not None}
    for r in facts:
        if r.id in struck:
            by_reason.setdefault(struck[r.id], []).append(r)
        elif r.id in replaced:
            new = replaced[r.id]
            reason = f"{show(new.value, new.quantity, 6)} {new.note}"
            by_reason.setdefault(reason, []).append(r)
    return tuple(
        f"{r[0].place} {show(r[0].value, r[0].quantity, 6)}"
        + (f" and {len(r) - 1} more" if len(r) > 1 else "")
        + f": {reason}"
        for reason, r in by_reason.items()
    )


#: Stages whose open holds are told as a count; what was overruled is always told in full.
_COUNTED = ("assemble", "wake")


def _built(job: Job, readings: list[Reading]) -> tuple[tuple[str, str], ...]:
    """How it was put together and woken, in counts; or that it was taken as it stood."""
    if not has_source(job):
        return ()
    if job.assembly.already_running:
        return (("Built and woken", "taken as already built and running; not read with Tensimeter"),)
    pairs = [c.verdict for c in checked(job, readings)]
    steps = [w.verdict for w in power_up_results(job, readings) if w.step.band is not None]
    practised = any(r.origin == "practice" for r in readings)
    lines = [
        ("Isolation and continuity", _count(pairs, "pairs")),
        ("First power", _count(steps, "steps")),
        *(
            (s.what, f"{s.value}{f', shown by {s.shown_by}' if s.shown_by else ''}")
            for s in job.assembly.settings
        ),
    ]
    if practised:
        lines.append(("Practice", "some of these readings were taken from the practice supply"))
    return tuple(lines)


def _count(verdicts: list[Verdict], what: str) -> str:
    holds = sum(v is Verdict.CONFORMS for v in verdicts)
    open_ = sum(v is Verdict.NOT_MEASURED for v in verdicts)
    rest = len(verdicts) - holds - open_
    said = f"{holds} of {len(verdicts)} {what} hold"
    if open_:
        said += f", {open_} not read"
    return said + (f", {rest} do not hold" if rest else "")


def _remark(entry: LogEntry) -> tuple[str, str]:
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(entry.at)), entry.text


def _path(job: Job) -> tuple[tuple[str, str, str], ...]:
    rows = []
    for link in job.design.links:
        part = job.part(link.part)
        fed = job.design.link(link.fed_by).name if link.fed_by else "the wall"
        if isinstance(link, OutputLink) and not has_source(job):
            fed = "known by its readings only"
        rows.append((link.name, part.name if part else "output", fed))
    return tuple(rows)


def _instruments(job: Job, file: JobFile, waves: Sequence[Wave]) -> tuple[tuple[str, str, str], ...]:
    used = {r.instrument for r in file.readings()} | {job.campaign.load, job.campaign.voltmeter}
    used |= set(job.campaign.parallel_loads)
    used |= {w.instrument for w in waves}
    answered = {k: v for run in file.runs() for k, v in run.instruments.items()}
    role_of = {part: role for role, part in parts_by_role(job).items() if part}
    rows = []
    for part in job.stock:
        accuracy = _accuracy(part) if part.id in used else ""
        if accuracy:
            rows.append((part.name, answered.get(role_of.get(part.id, ""), "by hand"), localised(accuracy)))
    if any(r.instrument == "" and r.known == "read" for r in file.readings()):
        rows.append(("A meter that is not in the stock", "by hand", "assumed 0.5 % + 2 counts"))
    return tuple(rows)


def _wiring(job: Job, result: Outcome) -> str:
    """How the volts of a test were read: as it was, and as it is set up where nothing is read yet."""
    read = result.facts.readings if result.facts is not None else ()
    used = sorted({r.wiring for r in read if r.quantity == "V" and r.known == "read"}) or [
        job.campaign.wiring
    ]
    return f"{' and '.join(used)} at the terminals"


def _accuracy(part: Part) -> str:
    """An instrument's accuracy in words; empty for what is none."""
    return part.accuracy_text() if isinstance(part, Instrument) else ""


def _read(result: Outcome) -> bool:
    return bool(result.measured or result.extra)


def _name(test: Test) -> str:
    name = KINDS[test.kind].name
    return f"{name[0].upper()}{name[1:]}"


#: So many points of a test are printed at the most; the plot shows them all.
MOST_ROWS = 16


def _section(job: Job, result: Outcome) -> Section:
    kind, output = KINDS[result.plan.test.kind], result.plan.output
    rows = result.facts.readings if result.facts is not None else ()
    mains, room = mains_hull(rows), room_hull(rows)
    conditions = [
        f"room {room.words('C')}" if room is not None else "room not read",
        f"mains {mains.words('V')}" if mains is not None else "mains not read",
        _wiring(job, result),
    ]
    fit = result.regulation
    notes = list(result.plan.unreachable)
    if not result.complete:
        notes.insert(
            0, f"A part of the test only: {result.measured} of {len(result.steps)} points were read."
        )
    notes += [f.text for f in result.findings if f.is_note]
    if fit and fit.extended_from_A is not None:
        notes.append(f"Regulation {extended_words(fit)}: no verdict is given on it.")
    if fit and fit.curved:
        notes.append("The points bend significantly; one resistance does not say it all.")
    if fit and fit.birge > 1:
        notes.append(f"Readings scatter {fit.birge:.1f} times the stated noise; intervals widened.")
    # Points that nothing is asked of are told by the plot; those that are judged are listed.
    judged = [r for r in result.steps if r.step.allowed != OPEN]
    listed = [r for r in judged if r.taken or (r.step.capture is None and not r.step.reset)]
    if len(listed) > MOST_ROWS:
        notes.append(f"{len(listed) - MOST_ROWS} further points are in the job file.")
    made_up = f" ({result.pretended})" if result.pretended else ""
    return Section(
        title=f"{_name(result.plan.test)}, {output.name}{made_up}",
        standard=kind.standard,
        method=kind.method,
        conditions="; ".join(conditions),
        rows=tuple(_row(r) for r in listed[:MOST_ROWS]),
        figures=tuple(_figure_row(f) for f in result.findings if not f.is_note),
        outcome=result,
        notes=tuple(notes),
    )


def _figure_row(f: Finding) -> FigureRow:
    value = with_uncertainty(f.value.value, f.value.half_width, f.unit) if f.value else f.text
    name = f"{f.name}; {f.text}" if f.value and f.text else f.name
    return FigureRow(name, value, f.allowed.words(f.unit) if f.allowed else "", f.verdict)


def _row(r: StepResult) -> Row:
    half = r.volts.half_width if r.volts else math.nan
    places = max(decimals_for(half), 2) if r.volts else 2
    predicted = r.step.predicted_V
    beside = [show(x.value, x.quantity, 4) for _, x in r.also if x.quantity == "W"]
    origin = r.pair.volts.origin if r.pair else ""
    low, high = r.step.allowed.ends
    both = math.isfinite(low) and math.isfinite(high)
    return Row(
        point=r.step.title,
        amps=fixed(r.pair.amps.value if r.pair else r.step.set_A, "A", 3),
        predicted=fixed(predicted.value if predicted else None, "V", 2),
        measured=fixed(r.volts.value if r.volts else None, "V", places),
        uncertainty=f"± {fixed(half, 'V', places)}" if r.volts else "",
        allowed=f"{fixed(low, '', 2)} … {fixed(high, 'V', 2)}" if both else r.step.allowed.words("V"),
        verdict=r.verdict,
        origin=", ".join(x for x in (origin, *beside) if x),
    )
