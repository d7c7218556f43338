"""What a soak has shown of how heat leaves a part, beside what the design says: a pad, a sink, a fan."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Literal

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.heat_design.measuring_points import MOUNTING_SHARE, chain
from tensimeter.core.measurement.conformity import Accuracy, Interval
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.parts.suspect import SIZES, Suspect, nothing_electrical
from tensimeter.core.rating.fan_cooling import resting_speed
from tensimeter.core.testplan.soak.estimation import fitted_stages
from tensimeter.core.testplan.soak.run import soak_runs
from tensimeter.core.testplan.step import Plan
from tensimeter.core.testplan.taken import taken
from tensimeter.core.tuning.observed import Observation

#: A θ of which a soak leaves the ends of its interval so many times apart tells nothing.
OPEN_TIMES = 4.0
_MARK = "-theta-"
#: How such a figure is told apart from volts and amps.
THETA: Literal["ln K/W"] = "ln K/W"


def heat_figures(
    job: Job, readings: Iterable[Reading], plans: Mapping[str, Plan | None]
) -> list[Observation]:
    """θ of the stages of each part that was soaked, by its latest run, K/W."""
    every = list(readings)
    found: dict[str, Observation] = {}
    for test in job.campaign.tests:
        plan = plans.get(test.id)
        mine = taken(job, plan, every) if test.soaks and plan is not None else []
        if plan is None or not mine:
            continue
        runs = soak_runs(mine, test.output)
        fit = fitted_stages(job, plan, runs[-1]) if runs else None
        if fit is None:
            continue
        link, fitted = fit
        for stage in fitted.stages.places:
            theta = fitted.theta(stage)
            if stage in ("case", "sink") and stage in fitted.read and theta.high < OPEN_TIMES * theta.low:
                found[link + stage] = theta_figure(link, stage, theta)
    return list(found.values())


def theta_figure(link: str, stage: str, theta: Interval) -> Observation:
    """A θ from a stage to the next outwards as a figure that the design foretells: its logarithm.

    How far θ strays is a share of it, whatever has made it larger.
    """
    sd = float(np.log(theta.high / theta.low)) / 2 / 1.96
    # All of it is scatter: none of it is shared with another meter.
    accuracy = Accuracy(of_reading=0.0, resolution=sd, noise_counts=float(np.sqrt(1 - 1 / 12)))
    return Observation(
        f"{link}{_MARK}{stage}", THETA, float(np.log(theta.value)), accuracy, f"soak of {link}", 0
    )


def designed_theta(job: Job, place: str) -> float:
    """Logarithm of θ by the design, K/W; 0 where the design does not say."""
    link, _, stage = place.partition(_MARK)
    stages = chain(job, link)
    return float(np.log(stages.theta_K_W.get(stage, 1.0))) if stages is not None else 0.0


def theta_strays(figures: Sequence[Observation]) -> Iterator[Array]:
    """One standard deviation of each θ by how parts of its kind stray (m,)."""
    for k, f in enumerate(figures):
        if f.quantity == THETA:
            column = np.zeros(len(figures))
            column[k] = MOUNTING_SHARE / 2
            yield column


def heat_suspects(job: Job, figures: Sequence[Observation], base: Array) -> Iterator[tuple[Suspect, Array]]:
    """What may be wrong with how heat leaves a part, with what it changes (g, m)."""
    for k, f in enumerate(figures):
        if f.quantity != THETA:
            continue
        link, _, stage = f.place.partition(_MARK)
        name = job.design.link(link).name
        sizes = np.geomspace(1.3, 12.0, SIZES)
        change = np.zeros((len(sizes), len(figures)))
        change[:, k] = np.log(sizes)
        if stage == "case":
            yield Suspect(
                "pad", link, name, "times", sizes, nothing_electrical,
                f"The pad of {name} lets {{size}} less heat through than it should.",
                "Its screw or clip, its pad or paste, a burr or a crumb under it; mains off and cold.",
            ), change  # fmt: skip
            continue
        yield Suspect(
            "sink", link, name, "times", sizes, nothing_electrical,
            f"The sink of {name} sheds {{size}} less heat than it should.",
            "Air to its fins: covered, lying flat, full of dust, too near a wall.",
        ), change  # fmt: skip
        still = chain(job, link, 0.0)
        if resting_speed(job) > 0 and still is not None:
            off = np.zeros((1, len(figures)))
            off[0, k] = np.log(still.theta_K_W["sink"]) - base[k]
            yield Suspect(
                "fan_off", link, name, "", np.ones(1), nothing_electrical,
                "The fan does not turn.", "Its plug, its volts, something in its blades.", np.ones(1),
            ), off  # fmt: skip
