"""The demo jobs by name, and the file in which one is tried out."""

from collections.abc import Callable
from pathlib import Path

from tensimeter.bench.clock import Clock
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.procedure.practice import Mistake, Practice
from tensimeter.demo import dome_workshop, finishers_bench, ridge_pier, test_load
from tensimeter.demo.names import TITLES
from tensimeter.simulation.hand import HiddenTuning, SimulatedHand
from tensimeter.simulation.server import SimulatedBench
from tensimeter.simulation.warmth import HiddenHeat
from tensimeter.store.jobfile import JobFile

_JOBS: dict[str, tuple[Callable[[], Job], dict[tuple[str, str], float]]] = {
    "ridge-pier": (ridge_pier.job, ridge_pier.TRUTHS),
    "dome-workshop": (dome_workshop.job, dome_workshop.TRUTHS),
    "finishers-bench": (finishers_bench.job, finishers_bench.TRUTHS),
    "test-load": (test_load.job, test_load.TRUTHS),
}


def demo_names() -> list[str]:
    return list(_JOBS)


def demo_job(name: str) -> Job:
    """A demo job by name; UserError names those there are."""
    if name not in _JOBS:
        raise UserError(f"There is no demo “{name}”; there is {', '.join(_JOBS)}.")
    return _JOBS[name][0]()


#: What the outputs of a demo's simulated supply do past their steady volts, by its short name.
_BEHAVIOURS = {"ridge-pier": ridge_pier.BEHAVIOURS}


def stand_ins(
    job: Job,
    *,
    seed: int = 1,
    speed: float = 1.0,
    output: str | None = None,
    clock: Clock | None = None,
    voltmeter_as: str = "",
) -> SimulatedBench:
    """The simulated bench of a job, with what is hidden in it where it is a demo."""
    behaviours = next((b for short, b in _BEHAVIOURS.items() if TITLES[short] == job.name), {})
    return SimulatedBench(
        job,
        truths=hidden_parameters(job.name),
        seed=seed,
        speed=speed,
        output=output,
        behaviours=behaviours,
        heat=_hidden_heat(job),
        clock=clock,
        voltmeter_as=voltmeter_as,
    )


#: How a demo's own displays err, and what its screws move, by its short name.
_TUNING = {"ridge-pier": ridge_pier.TUNING, "finishers-bench": finishers_bench.TUNING}


def demo_hand(job: Job) -> SimulatedHand | None:
    """A hand with a meter at a demo's simulated supply; None for another job, or one without a path."""
    short = next((s for s, title in TITLES.items() if title == job.name), None)
    if not job.demo or short is None:
        return None
    try:
        return SimulatedHand(job, hidden_parameters(short), _TUNING.get(short, HiddenTuning()))
    except UserError:
        return None


def _of_pier(job: Job) -> HiddenHeat:
    """A change that its builder wrote down on the weak part mends it."""
    changes = [c for t in job.campaign.tests for c in t.changes_made]
    return ridge_pier.RESEATED if any(c.link == "front-end" for c in changes) else ridge_pier.HEAT


#: What is hidden of a demo's heat, by its short name.
_HEAT: dict[str, Callable[[Job], HiddenHeat]] = {
    "ridge-pier": _of_pier,
    "finishers-bench": lambda job: finishers_bench.HEAT,
}


def _hidden_heat(job: Job) -> HiddenHeat | None:
    return next((heat(job) for short, heat in _HEAT.items() if TITLES[short] == job.name), None)


def hidden_parameters(name: str) -> dict[tuple[str, str], float]:
    """What is hidden in a demo job, by its short or its full name; nothing for another job."""
    for short, (_, truths) in _JOBS.items():
        if name in (short, TITLES[short]):
            return dict(truths)
    return {}


#: What a demo's simulated supply was put together wrongly with, for practice; by its short name.
_MISTAKES: dict[str, tuple[Mistake, tuple[str, ...]]] = {
    "ridge-pier": ("negative_on_chassis", ("donor-b",)),
    "dome-workshop": ("swapped_rails", ("rail-12", "rail-5")),
    "finishers-bench": ("trim_at_top", ("regulator",)),
}


def demo_mistakes(job: Job) -> list[Practice]:
    """The mistake that ships with a demo job; none for another job, or where its links are gone."""
    links = {link.id for link in job.design.links}
    return [
        Practice(job, mistake, at, hidden_parameters(job.name))
        for short, (mistake, at) in _MISTAKES.items()
        if TITLES[short] == job.name and set(at) <= links
    ]


def demo_file(name: str, folder: Path) -> Path:
    """The demo's job file in a folder; made when it is not there, kept when it is."""
    path = folder / f"{name}.tensi"
    if not path.exists():
        JobFile.create(path, demo_job(name)).close()
    return path
