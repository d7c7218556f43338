"""Commands that keep readings and take them back without a window: file, strike."""

import contextlib
from pathlib import Path
from typing import Annotated, Any

import typer

from tensimeter.app.imported_readings import Moment, import_log, import_typed
from tensimeter.app.imported_temperatures import import_temperatures
from tensimeter.app.typed_lines import Line, TypedLines, state_summary
from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json, Map
from tensimeter.cli.output import answer
from tensimeter.core.correction_line import Correction, correction
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.procedure.matrix import numbered
from tensimeter.core.readingline import Understood, find_place, understand
from tensimeter.core.testplan.destination import in_hand_of
from tensimeter.core.testplan.evaluation import contradiction_of
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan
from tensimeter.store.corrections import correct
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_log, read_temperatures
from tensimeter.store.untidy import mapping

Accept = Annotated[
    bool, typer.Option("--accept", help="Keep what can't be right, or a new place, all the same.")
]


# A reading may begin with a minus sign, which is no option.
@app.command("file", context_settings={"ignore_unknown_options": True})
def file_command(
    job: Path,
    line: Annotated[
        list[str] | None, typer.Argument(help="A reading as in the reading line: mount 13.58V @4A")
    ] = None,
    log: Annotated[Path | None, typer.Option(help="A log in CSV instead.")] = None,
    test: Annotated[str, typer.Option(help="The test that it belongs to, by id or kind.")] = "",
    step: Annotated[int | None, typer.Option(min=0, help="The step in hand; else the next open one.")] = None,
    map_: Map = "",
    at: Annotated[str, typer.Option(help="What is loaded: 2A, 0A, 10R, 55W.")] = "",
    set_: Annotated[str, typer.Option("--set", help="What the output is set to, as 12V.")] = "",
    mains: Annotated[str, typer.Option(help="What the mains have, as 207V.")] = "",
    room: Annotated[str, typer.Option(help="How warm the room is, as 31C.")] = "",
    changed: Annotated[str, typer.Option(help="What was changed on the supply before it was read.")] = "",
    accept: Accept = False,
    json: Json = False,
) -> None:
    """Keep a typed reading, or every row of a log, as a fact of the job.

    What is said of load, setting, mains and room stands for the lines after it, as in the window: of what
    nobody said nothing is known.
    """
    lines = _lines(line or [])
    if bool(lines) == (log is not None):
        raise UserError("Type a reading, or name a log with --log; one of them.")
    stands = {"@": at, "set ": set_, "mains ": mains, "room ": room}
    with JobFile(job) as file:
        typed = TypedLines(file)
        if changed:
            _take_line(file, typed, f"changed: {changed}", test, step, accept)
        for word, value in stands.items():
            if value:
                typed.stands(_line(file, typed, f"{word}{value}", test, step))
        if log is not None:
            answer(_take_log(file, log, test, accept, mapping(map_), typed), json)
            return
        kept = [_take_line(file, typed, text, test, step, accept) for text in lines]
    answer(kept[0] if len(kept) == 1 else {"kept": sum(k["kept"] for k in kept), "readings": kept}, json)


def _lines(words: list[str]) -> list[str]:
    """Words of one line, or lines that were each given as one."""
    if any(" " in word.strip() for word in words):
        return [word for word in words if word.strip()]
    return [" ".join(words)] if words else []


def _line(file: JobFile, typed: TypedLines, text: str, test: str, step: int | None) -> Line:
    """A line understood as in the window, with the test that it names or the one that reads its output."""

    def read(words: str) -> Understood:
        worked_out = _plan_for(file, test, words)
        return _understood(file, words, worked_out, _step_in_hand(file, worked_out, step))

    worked_out = _plan_for(file, test, text)
    outputs = file.job.design.outputs()
    output = worked_out.output.id if worked_out is not None else outputs[0].id if outputs else None
    return typed.understood(text, output, read)


def _take_line(
    file: JobFile, typed: TypedLines, text: str, test: str, step: int | None, accept: bool
) -> dict[str, Any]:
    taken_back = correction(text)
    if taken_back is not None:
        return {"kept": 0, "said": correct(file, taken_back)}
    line = _line(file, typed, text, test, step)
    if line.question and not accept:
        raise Doubtful(f"{line.question} Nothing was kept; --accept keeps it.")

    def take(reading: Understood, moment: Moment) -> list[Reading]:
        worked_out = _plan_for(file, test, reading.text)
        in_hand = _step_in_hand(file, worked_out, step)
        others = _others(file.job, worked_out)
        return import_typed(file, reading, worked_out, step=in_hand, others=others, moment=moment)

    kept = typed.keep(line, take)
    if line.reading is None:
        said = state_summary(line)
        if kept:
            file.log("reading", said)
        return {"kept": len(kept), "said": said}
    file.log("reading", f"{line.summary}, typed")
    first = kept[0]
    return {
        "kept": len(kept),
        "id": first.id,
        "place": first.place,
        "quantity": first.quantity,
        "value": first.value,
        "amps_A": next((r.value for r in kept[1:] if r.quantity == "A"), None),
        **_counts_in(file, first),
        "contradicts": contradiction_of(file.job, _rating_plans(file.job, first.place), kept),
        "stands": typed.standing.words(line.output) if line.output is not None else "",
    }


def _rating_plans(job: Job, output: str) -> list[Plan]:
    """The plans that an output's rating is proven by."""
    tests = [t for t in job.campaign.tests if t.output == output and kind_of(t).rates(t)]
    found = []
    for one in tests:
        with contextlib.suppress(UserError):
            found.append(plan(job, one))
    return found


def _counts_in(file: JobFile, reading: Reading) -> dict[str, Any]:
    """The test and the point that a reading counts in, those first that its output's rating is proven by."""
    tests = sorted(file.job.campaign.tests, key=lambda t: not kind_of(t).rates(t))
    read = ReadSoFar(file.job, file.readings())
    for one in tests:
        with contextlib.suppress(UserError):
            rows = read.taken(plan(file.job, one)) if read.was_read(one.id) else []
            found = next((r for r in rows if r.id == reading.id), None)
            if found is not None:
                return {"test": found.test, "step": found.step}
    return {"test": None, "step": None}


def _understood(file: JobFile, text: str, worked_out: Plan | None, step: int | None) -> Understood:
    seen = list(dict.fromkeys(r.place for r in file.readings()))
    outputs = file.job.design.outputs()
    in_hand = in_hand_of(worked_out, step, outputs[0].id if outputs else None)
    return understand(file.job, text, in_hand, seen, numbered(file.job))


def _others(job: Job, first: Plan | None) -> list[Plan]:
    """The tests that a reading may belong to beside the one in hand."""
    found = []
    for test in job.campaign.tests:
        if first is None or test.id != first.test.id:
            with contextlib.suppress(UserError):
                found.append(plan(job, test))
    return found


def _plan_for(file: JobFile, test: str, text: str = "") -> Plan | None:
    """The test named; else the first one, of those by current, of the output that a line begins with."""
    job = file.job
    if test:
        return plan(job, job.test(test))
    wanted = None
    for end in range(len(text), 0, -1):
        try:
            place, _, known = find_place(job, text[:end])
        except UserError:
            continue
        if known:
            wanted = place
            break
    tests = [t for t in job.campaign.tests if wanted in (None, t.output)]
    tests.sort(key=lambda t: not kind_of(t).by_current)
    return plan(job, tests[0]) if tests else None


def _step_in_hand(file: JobFile, worked_out: Plan | None, step: int | None) -> int | None:
    if worked_out is None or not worked_out.steps:
        return None
    if step is not None:
        if step >= len(worked_out.steps):
            raise UserError(f"{worked_out.test.id} has {len(worked_out.steps)} steps, from 0 on.")
        return step
    return ReadSoFar(file.job, file.readings()).next_step(worked_out)


def _take_log(
    file: JobFile, log: Path, test: str, accept: bool, named: dict[str, str], typed: TypedLines
) -> dict[str, Any]:
    worked_out = _plan_for(file, test)
    if worked_out is None:
        raise UserError("This job has no test yet that a log could belong to; plan one first.")
    kept: list[Reading]
    said: tuple[str, ...] = ()
    try:
        if kind_of(worked_out.test).heats:
            temperatures = read_temperatures(log, named=named)
            stands = typed.of_log(worked_out.output.id, loaded=True)
            kept = import_temperatures(
                file, temperatures, worked_out, log.name, accept=accept, conditions=stands
            )
        else:
            read = read_log(log, named)
            stands = typed.of_log(worked_out.output.id)
            kept = import_log(file, read, worked_out, log.name, accept=accept, conditions=stands)
            said = read.said
    except Doubtful as doubtful:
        raise Doubtful(f"{doubtful} --accept takes it all the same.") from doubtful
    rows = len({r.scan for r in kept})
    file.log("reading", f"{rows} rows from {log.name}")
    result = {"kept": len(kept), "rows": rows, "place": worked_out.output.id, "test": worked_out.test.id}
    return result | ({"said": list(said)} if said else {})


@app.command("strike")
def strike(
    job: Path,
    target: Annotated[
        list[str], typer.Argument(help="A reading's number, last, or run N, wave N, log NAME.")
    ],
    reason: Annotated[str, typer.Option(help="Why; it stays beside what is struck.")],
    by: Annotated[str, typer.Option(help="The figure that takes a reading's place.")] = "",
    json: Json = False,
) -> None:
    """Take back a reading, a run, a waveform or a log; it stays visible, and enters no figure any more."""
    words = " ".join(target).split() or [""]
    what = words[0] if words[0] in ("run", "wave", "log") and len(words) > 1 else "reading"
    name = " ".join(words if what == "reading" else words[1:])
    if len(reason.strip()) < 3:
        raise UserError("Say in a few words why; it stays beside what is struck.")
    if by and what != "reading":
        raise UserError("Only a reading can be replaced by a figure.")
    with JobFile(job) as file:
        before = set(file.struck()) | set(file.struck("wave"))
        said = correct(file, Correction(what, name, reason.strip()[:200], by))
        struck = sorted((set(file.struck()) | set(file.struck("wave"))) - before)
    answer({"struck": struck, "reason": reason.strip(), "said": said}, json)
