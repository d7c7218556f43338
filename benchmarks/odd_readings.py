"""Random jobs with random readings: does every finding say something, and does every job open?

Designs are put together by chance from the parts that ship and those of the demos; readings take any place,
quantity and value, out of order, one or many. Each job follows from its number, so that it can be repeated.

    python -m benchmarks.odd_readings [TOTAL] [--windows N] [--from NUMBER]
"""

import argparse
import contextlib
import os
import random
import tempfile
import time
import traceback
import warnings
from collections import Counter
from collections.abc import Callable, Iterator
from functools import cache
from multiprocessing import get_context
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, new_link, with_campaign, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.parts.registry import Part
from tensimeter.core.procedure.notices import notices
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.generator import generated
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan
from tensimeter.demo.library import demo_job, demo_names
from tensimeter.store.jobfile import JobFile
from tensimeter.store.library import shipped_parts

ODD = (0.0, -0.0, 1.0, -1.0, 1e-9, 1e9, -1e9, float("inf"), 0.5, 8.0, 12.0, 13.59, 25.0, 60.0, 1e4, -40.0)
QUANTITIES = ("V", "A", "C", "W", "ohm", "dB", "Vpp", "s")
LOADS = (0.01, 0.5, 2.0, 5.0, 10.0)


@cache
def known_parts() -> tuple[Part, ...]:
    demos = (p for name in demo_names() for p in demo_job(name).stock)
    return tuple({p.name: p for p in [*demos, *shipped_parts()]}.values())


def random_job(chance: random.Random) -> Job:
    """A demo, or a path of parts by chance with its campaign."""
    if chance.random() < 0.2:
        return generated(demo_job(chance.choice(demo_names())))
    stock = {p.id: p for p in chance.sample(known_parts(), chance.randint(6, 30))}
    job = Job(name="by chance", stock=tuple(stock.values()))
    names = [p.name for p in stock.values()]
    for k in range(chance.randint(1, 3)):
        for name in [
            *chance.sample(names, min(chance.randint(1, 5), len(names))),
            f"output OUT{k} {chance.choice((3.3, 12, 13.6, 24))}V {chance.choice(LOADS)}A",
        ]:
            after = chance.choice([None, *(x.id for x in job.design.links)])
            with contextlib.suppress(UserError):
                job = new_link(job, ("or " if chance.random() < 0.05 else "") + name, after)
    for output in job.design.outputs():
        job = with_link(job, changed(output, adjustable=chance.random() < 0.3))
    roles = {"load": "load", "voltmeter": "meter", "thermometer": "thermometer"}
    chosen = {r: next((p.id for p in job.stock if p.kind == kind), None) for r, kind in roles.items()}
    job = with_campaign(
        job, **{r: p for r, p in chosen.items() if p and r in type(job.campaign).model_fields}
    )
    with contextlib.suppress(UserError):
        job = generated(job)
    return job


def random_readings(worked_out: Plan, chance: random.Random) -> Iterator[Reading]:
    at, number = 0.0, 0
    for k in range(chance.choice((1, 1, 2, 3, 5, 12, 40))):
        at += chance.choice((0.0, 1.0, 10.0, 60.0, 60.0, -5.0))
        step = chance.choice([None, *worked_out.steps])
        for quantity in chance.sample(QUANTITIES, chance.choice((1, 2, 3))):
            asked = [where for where, what in (step.also if step else ()) if what == quantity]
            near = [worked_out.output.id, "front-end-case", "front-end-sink", "ambient", "wall", "fan"]
            value = chance.choice(ODD) if chance.random() < 0.5 else chance.gauss(12, 5)
            row = (k, at, chance.choice([*asked, *near]), quantity, value, "hand-meter", None)
            how = (chance.choice(("two-wire", "four-wire")), chance.choice(("typed", "instrument")), "")
            of = (worked_out.test.id, None if step is None else step.index, chance.choice((1, 1, 2, None)))
            number += 1
            yield Reading(*row, *how, *of, id=number)  # type: ignore[arg-type]


def _place(wrong: Exception) -> str:
    last = traceback.extract_tb(wrong.__traceback__)[-1]
    return f"{type(wrong).__name__} at {Path(last.filename).name}:{last.lineno}"


def tried(number: int) -> list[str]:
    """What fails of one job and its readings; empty where all of it says something."""
    chance, failed = random.Random(number), []

    def call(what: str, make: Callable[[], object], *, may_refuse: bool = False) -> object:
        try:
            return make()
        except UserError as refused:
            if not may_refuse:
                failed.append(f"{what}: refused, {refused}")
        except Exception as wrong:
            failed.append(f"{what}: {_place(wrong)}: {str(wrong)[:60]}")
        return None

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        job = random_job(chance)
        call("notices", lambda: notices(job))
        for test in chance.sample(job.campaign.tests, min(2, len(job.campaign.tests))):
            worked_out = call("plan", lambda test=test: plan(job, test), may_refuse=True)
            if not isinstance(worked_out, Plan):
                continue
            readings = list(random_readings(worked_out, chance))
            result = call("outcome", lambda p=worked_out, r=readings: outcome(job, p, r))
            if result is None:
                continue
            failed += [
                f"{test.kind}: {f.text}"
                for f in result.findings
                if f.key.startswith("failed:")  # type: ignore[attr-defined]
            ]
            call("picture", lambda t=test, r=result: kind_of(t).picture(r, t))
            call("notices", lambda r=readings: notices(job, r))
    return failed


def opened(number: int) -> list[str]:
    """What fails where such a job is opened in a window and every stage is gone to."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    import sys

    from tensimeter.ui.app import make_application
    from tensimeter.ui.empty_stage import EmptyStage
    from tensimeter.ui.pictures import settle
    from tensimeter.ui.session import Session
    from tensimeter.ui.window import MainWindow

    chance, failed = random.Random(number), []
    with tempfile.TemporaryDirectory() as scratch, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        os.environ["HOME"] = os.environ["XDG_DATA_HOME"] = scratch
        make_application()
        sys.excepthook = lambda kind, wrong, _: failed.append(f"shown: {kind.__name__}: {wrong}")
        file = JobFile.create(Path(scratch) / "odd.tensi", random_job(chance))
        for test in file.job.campaign.tests[:3]:
            with contextlib.suppress(UserError):
                for r in random_readings(plan(file.job, test), chance):
                    with contextlib.suppress(UserError):
                        file.keep([r._replace(id=None)])
        try:
            window = MainWindow(Session(file))
            window.show()
            for k, stage in enumerate(window.rail.buttons):
                window.go_to(k)
                settle(2)
                made = window.stages.currentWidget()
                if isinstance(made, EmptyStage) and not stage.stage.will_hold:
                    failed.append(f"{stage.stage.id} could not be shown")
            window.close()
        except Exception as wrong:
            last = traceback.extract_tb(wrong.__traceback__)[-1]
            failed.append(
                f"open: {type(wrong).__name__} at {Path(last.filename).name}:{last.lineno}: {wrong}"
            )
        sys.excepthook = sys.__excepthook__
    return failed


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("total", type=int, nargs="?", default=1000)
    parser.add_argument("--windows", type=int, default=0)
    parser.add_argument("--from", dest="first", type=int, default=0)
    asked = parser.parse_args()
    for words, work, count in (("findings", tried, asked.total), ("windows", opened, asked.windows)):
        if not count:
            continue
        start, wrong, example = time.perf_counter(), Counter[str](), dict[str, int]()
        numbers = range(asked.first, asked.first + count)
        with get_context("spawn").Pool(2, maxtasksperchild=None if work is tried else 10) as pool:
            for number, failed in zip(numbers, pool.imap(work, numbers, 4), strict=True):
                for line in failed:
                    wrong[line[:150]] += 1
                    example.setdefault(line[:150], number)
                if (number + 1) % 1000 == 0:
                    print(f"{words}: {number + 1} so far, {sum(wrong.values())} failures", flush=True)
        seconds = time.perf_counter() - start
        print(f"{words}: {count} jobs, {sum(wrong.values())} failures, {seconds:.0f} s")
        for line, n in wrong.most_common(30):
            print(f"  {n:4} × {line} (first at {example[line]})")


if __name__ == "__main__":
    main()
