"""Commands that measure: stand-ins, prove, demo."""

import contextlib
import json as json_module
import signal
import sys
import threading
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Annotated, Any, cast

import typer

from tensimeter.bench.clock import SteppedClock, clock_at
from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.setup import Bench, open_bench, open_bench_file
from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json, Require, check_required, known_verdict
from tensimeter.cli.display import has_display
from tensimeter.cli.output import answer, span
from tensimeter.cli.streams import say
from tensimeter.core.correction_line import MOST_TERSE
from tensimeter.core.errors import UserError
from tensimeter.core.held.points import shown_A
from tensimeter.core.measurement.conformity import Interval, worst
from tensimeter.core.measurement.readings import RUN_ENDS, RunEnd, real_ones
from tensimeter.core.model.edits import with_test
from tensimeter.core.model.job import Job, Overrule
from tensimeter.core.model.tests import Test
from tensimeter.core.procedure.notices import must_be_lifted, notices, open_holds
from tensimeter.core.testplan.evaluation import outcome, rates
from tensimeter.core.testplan.generator import blank, generated
from tensimeter.core.testplan.going_on import Ended, gave_way, why_not
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.registry import KINDS
from tensimeter.core.testplan.step import Outcome
from tensimeter.demo.library import demo_job
from tensimeter.demo.library import stand_ins as simulated
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook


@app.command("stand-ins")
def stand_ins(
    job: Annotated[Path | None, typer.Argument()] = None,
    demo: Annotated[str, typer.Option(help="A demo job instead of a file.")] = "",
    output: Annotated[str, typer.Option(help="The output that load and meter sit on.")] = "",
    speed: Annotated[float, typer.Option(min=0.001)] = 1.0,
    seed: int = 1,
    voltmeter_as: Annotated[
        str, typer.Option(help="The voltmeter as a meter of another kind: list, stream, frame, modbus.")
    ] = "",
) -> None:
    """Serve simulated instruments; prints one JSON line with a VISA resource for each role."""
    document = _job_of(job, demo)
    stopped = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopped.set())
    with simulated(
        document, seed=seed, speed=speed, output=output or None, voltmeter_as=voltmeter_as
    ) as bench:
        resources: dict[str, Any] = {**bench.resources, "speed": speed}
        if bench.profiles:
            resources["profiles"] = bench.profiles
        print(json_module.dumps(resources), flush=True)
        stopped.wait()


def _job_of(job: Path | None, demo: str) -> Job:
    if demo:
        return demo_job(demo)
    if job is None:
        raise UserError("Name a job file, or --demo ridge-pier.")
    with JobFile(job, read_only=True) as file:
        return file.job


@app.command()
def prove(
    job: Path,
    test: Annotated[str, typer.Argument(help="A test's id or kind, such as ripple; or all.")],
    use_stand_ins: Annotated[bool, typer.Option("--stand-ins", help="Run on simulated instruments.")] = False,
    bench: Annotated[Path | None, typer.Option(help="A bench file that names instruments.")] = None,
    output: Annotated[str, typer.Option(help="The output, for a test that is not planned yet.")] = "",
    speed: Annotated[
        float, typer.Option(min=0, help="Of the simulated bench; else it is worked out step by step.")
    ] = 0.0,
    seed: int = 1,
    others: Annotated[
        bool, typer.Option("--other-instruments", help="Who answers at a name may be another than before.")
    ] = False,
    present: Annotated[bool, typer.Option("--i-am-present", help="For a load without a watchdog.")] = False,
    go_on: Annotated[bool, typer.Option("--go-on", help="Take only the points that are still open.")] = False,
    overrule: Annotated[str, typer.Option(help="Why open hold points are passed; kept with the job.")] = "",
    already_running: Annotated[
        bool, typer.Option("--already-running", help="The supply was not built with Tensimeter; recorded.")
    ] = False,
    require: Require = "",
    json: Json = False,
) -> None:
    """Run a test of the campaign, or all of it, on instruments and judge it."""
    known_verdict(require)
    if use_stand_ins == (bench is not None):
        raise UserError("Choose one: --stand-ins, or --bench BENCH.toml.")
    with JobFile(job) as file, contextlib.ExitStack() as stack:
        wanted = _planned(file, test, output)
        if bench is not None:
            for one in wanted:
                _pass_holds(file, one.output, overrule, already_running)
            opened = open_bench_file(file.job, bench)
        else:
            clock = clock_at(speed) if speed else SteppedClock()
            served = stack.enter_context(simulated(file.job, seed=seed, clock=clock))
            opened = open_bench(file.job, served.resources, clock=clock)
        stack.callback(opened.close)
        made, there = _Campaign(file, opened), present or bench is None
        run = partial(_run, present=there, quiet=json, go_on=go_on, others_are_meant=others)
        for one in wanted:
            made.run(one, run)
    made.answer(whole=test == "all", json=json)
    if made.failed:
        raise typer.Exit(1)
    check_required(require, worst(found.verdict for found, _ in made.results))


class _Campaign:
    """Tests run one after another; what failed, and what was not run for that."""

    def __init__(self, file: JobFile, bench: Bench) -> None:
        self.file, self.bench, self.book = file, bench, WaveBook(file)
        self.results: list[tuple[Outcome, Event]] = []
        self.failed: list[Ended] = []
        self.left: list[dict[str, str]] = []

    def run(self, test: Test, run: Callable[[JobFile, Test, Bench], Event]) -> None:
        """Run a test, unless one before it ended so that it may not be."""
        why = why_not(test, self.failed)
        if why:
            self.left.append({"test": test.id, "why": why})
            return
        ended = run(self.file, test, self.bench)
        job = self.file.job
        self.results.append((outcome(job, plan(job, test), self.file.readings(), self.book.waves()), ended))
        if ended.kind in RUN_ENDS - {"complete"}:
            facts = self.file.readings()
            newest = max((r.run or 0 for r in facts), default=0)
            gone = gave_way([r for r in facts if r.run == newest], test.output)
            self.failed.append(Ended(test, cast(RunEnd, ended.kind), ended.text, gone))

    def answer(self, *, whole: bool, json: bool) -> None:
        """Say what came of it; of a whole campaign test by test, and what was not run."""
        bodies = [_result(*result, self.bench.simulated) for result in self.results]
        if whole and json:
            answer({"tests": bodies, "not_run": self.left}, json)
        else:
            for body in bodies:
                answer(body, json)
        for one in self.failed:
            print(f"{one.test.id}: {one.text}" if whole else one.text, file=sys.stderr)
        for row in self.left:
            print(f"{row['test']} was not run: {row['why']}.", file=sys.stderr)


def _planned(file: JobFile, name: str, output: str) -> list[Test]:
    """The tests meant: one of the campaign, one of a kind that is planned by this, or every one."""
    job = file.job
    if name == "all":
        job = generated(job)
        if job != file.job:
            file.edit("campaign planned", job)
        return list(job.campaign.tests)
    wanted = job.output(output).id if output else None
    for test in job.campaign.tests:
        if name == test.id or (name == test.kind and wanted in (None, test.output)):
            return [test]
    outputs = list(job.design.outputs())
    if name not in KINDS or not outputs:
        return [job.test(name)]
    test = blank(name, job, job.output(wanted) if wanted else outputs[0])
    file.edit(f"{test.id} planned", with_test(job, test))
    return [test]


def _pass_holds(file: JobFile, output: str, reason: str, already_running: bool) -> None:
    """Overrule the open holds before an output with a reason, or refuse to go on without one.

    Those of Assemble and Wake are passed by the named choice alone, which is recorded.
    """
    job = file.job
    if already_running and not job.assembly.already_running:
        assembly = job.assembly.model_copy(update={"already_running": True})
        job = job.model_copy(update={"assembly": assembly})
        file.edit("said to be built and running already", job)
        file.log("remark", "Taken as already built and running: not assembled or woken with Tensimeter.")
    stopping = open_holds(notices(job, file.readings()), "prove", output)
    if reason and len(reason.strip()) < MOST_TERSE:
        raise UserError("Say in a few words why the holds are passed; it stays with the job.")
    if reason and stopping:
        entries = tuple(Overrule(hold=n.id, reason=reason) for n in stopping)
        job = job.model_copy(update={"overruled": (*job.overruled, *entries)})
        file.edit(f"{len(stopping)} holds overruled: {reason}", job)
    must_be_lifted(file.job, file.readings(), output)


def _run(
    file: JobFile,
    test: Test,
    bench: Bench,
    present: bool,
    quiet: bool,
    go_on: bool,
    others_are_meant: bool = False,
) -> Event:
    # Loaded with the first run: what draws a line in a terminal.
    from tensimeter.cli.watching import Watching

    def ask() -> None:
        threading.Thread(target=_answer_when_entered, args=(engine,), daemon=True).start()

    worked_out = plan(file.job, test)
    # What was simulated is not there for real instruments.
    counted = file.readings() if bench.simulated else real_ones(file.readings())
    done = frozenset(ReadSoFar(file.job, counted).done(worked_out)) if go_on else frozenset[int]()
    watching = Watching(worked_out, ask, quiet=quiet)
    engine = RunEngine(
        file, worked_out, bench, watching.tell, present=present, done=done, others_are_meant=others_are_meant
    )
    with watching, _dropped_by_signals(engine):
        engine.start()
        engine.wait_for_end()
    engine.join()
    assert engine.ended is not None
    return engine.ended


@contextlib.contextmanager
def _dropped_by_signals(engine: RunEngine) -> Iterator[None]:
    """Whatever asks the program to end drops the load, and nothing else: the run then ends by itself."""
    before = {}
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        if signal.getsignal(number) is not signal.SIG_IGN:
            before[number] = signal.signal(number, lambda *_: engine.drop())
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def _answer_when_entered(engine: RunEngine) -> None:
    if sys.stdin.readline():
        engine.answer()


def _result(result: Outcome, ended: Event, simulated: bool) -> dict[str, Any]:
    points = []
    for r in result.steps:
        low, high = r.step.allowed.ends
        points.append(
            {
                "step": r.step.index,
                "title": r.step.title,
                "set_A": r.step.set_A,
                "measured_A": r.pair.amps.value if r.pair else None,
                "predicted_V": span(r.step.predicted_V),
                "measured_V": span(r.volts),
                "allowed_low_V": low,
                "allowed_high_V": high,
                "verdict": r.verdict.value,
                "waveform": r.wave is not None,
            }
        )
    fit = result.regulation
    found: dict[str, Any] = {
        "test": result.plan.test.id,
        "simulated": bool(result.pretended),
        "output": result.plan.output.name,
        "ended": ended.kind,
        "points": points,
    }
    if fit:
        reg = fit.load_regulation
        found |= {
            "no_load_V": fit.no_load_V,
            "full_load_V": fit.full_load_V,
            "full_load_A": fit.full_load_A,
            "load_regulation_percent": Interval(100 * reg.value, 100 * reg.low, 100 * reg.high),
            "output_resistance_ohm": fit.output_resistance_ohm,
            "curved": fit.curved,
            "regulation_verdict": result.regulation_verdict,
        }
    else:
        found["findings"] = {
            f.key: {
                "name": f.name,
                "value": span(f.value, 100 if f.unit == "%" else 1),
                "unit": f.unit,
                "text": f.text,
                "verdict": f.verdict.value if f.verdict else None,
            }
            for f in result.findings
        }
    warnings = [ended.text] if ended.kind != "complete" else []
    if not result.complete:
        warnings.append(f"A part of it only: {result.measured} of {len(result.steps)} points were read.")
    shown = shown_A(result) if rates(result) else None
    if shown is not None:
        # What was simulated proves nothing, and is not called proven.
        found["simulated_A" if result.pretended else "proven_A"] = shown
    if simulated and not result.pretended:
        warnings.append(
            "Something real was read for this test already: what was simulated does not count beside it."
        )
    return {**found, "verdict": result.verdict, "warnings": [*warnings, *result.plan.unreachable]}


@app.command()
def demo(
    name: Annotated[str, typer.Argument()] = "ridge-pier",
    headless: Annotated[bool, typer.Option(help="Play it off screen.")] = False,
    out: Annotated[Path, typer.Option(help="Folder for what is made.")] = Path("demo-out"),
    speed: Annotated[float, typer.Option(min=0, help="Else as fast as it is worked out.")] = 0.0,
    file: Annotated[Path | None, typer.Option("--file", help="Only write its job file there.")] = None,
) -> None:
    """Open a demo job; without a display, play its campaign and leave the results in a folder."""
    made = demo_job(name)
    if file is not None:
        JobFile.create(file, made).close()
        say(f"{file} written.")
        return
    if headless or not has_display():
        from tensimeter.ui.headless import play

        for line in play(name, out, speed):
            print(line, flush=True)
        return
    from tensimeter.demo.library import demo_file
    from tensimeter.ui.app import open_window

    raise typer.Exit(open_window(demo_file(name, out)))
