"""What every test that holds its loads and reads temperatures has in common."""

from typing import TypeVar

import numpy as np

from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import chain, limit_C, measuring_points, watched
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import TestRecord
from tensimeter.core.parts.instrument_part import TemperatureMeter
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.kind import PLACE_C, TestKind
from tensimeter.core.testplan.picture import Line, Picture
from tensimeter.core.testplan.soak.estimation import state_of
from tensimeter.core.testplan.soak.run import soak_runs
from tensimeter.core.testplan.step import Outcome, Plan

T = TypeVar("T", bound=TestRecord)


class HeatKind(TestKind[T]):
    """A test whose readings are temperatures over time."""

    plot = "heat"
    heats = True

    def picture(self, result: Outcome, test: T) -> Picture:
        return heat_picture(result)

    def hottest_C(self, job: Job, test: T) -> float:
        return junction_C(job, test.watched_link, test.output)

    def reader_words(self, job: Job, plan: Plan, test: T) -> str:
        part = job.part(job.campaign.thermometer)
        if not isinstance(part, TemperatureMeter):
            typed = (
                "No thermometer in hand: type temperatures as in “case 47”, volts and amps as in "
                f"“{plan.output.name.casefold()} {plan.output.nominal_V:.4g}V @{plan.most_A:.3g}A” whenever "
                "the load is changed, or take in a log."
            )
            return typed + self.blind(job, plan)
        where = job.campaign.probes or ("sink",)
        names = measuring_points(job)
        at = ", ".join(names.get(p, p) for p in where)
        return f"{part.name} reads {at}, each ± {show(part.accuracy_K, 'K', 2)}.{self.blind(job, plan)}"

    def blind(self, job: Job, plan: Plan) -> str:
        """What it can't say while no part on the way states how it sheds its heat."""
        return ""


def watchable(job: Job, output: OutputLink) -> str | None:
    """The converter that a test of an output's heat may watch; None without one, or without a thermometer."""
    if not isinstance(job.part(job.campaign.thermometer), TemperatureMeter):
        return None
    try:
        return watched(job, output.id)
    except UserError:
        return None


def junction_C(job: Job, link: str | None, output: str) -> float:
    """What the watched part allows its junction, where the design says how it sheds its heat."""
    try:
        on = link or watched(job, output)
        return limit_C(job, on) if chain(job, on) is not None else PLACE_C
    except (UserError, KeyError):
        return PLACE_C


def heat_picture(result: Outcome) -> Picture:
    """Temperatures of the latest run over minutes, where they end, and the limit."""
    facts = result.facts
    runs = soak_runs(facts.readings, facts.plan.output.id) if facts else []
    if facts is None or not runs:
        return Picture("minutes", "°C", ())
    run, names = runs[-1], measuring_points(facts.job)
    lines = []
    for place in run.celsius:
        t, celsius = run.track(place)
        step = max(len(t) // 400, 1)
        if len(t):
            lines.append(Line(names.get(place, place), t[::step] / 60, celsius[::step], "measured"))
    state = facts.soak if facts.running else state_of(facts) if result.plan.test.soaks else None
    end = float(run.time_s[-1]) / 60
    if state is not None:
        ahead = np.linspace(0, 3 * state.measured.time_constant.value, 40)
        _, middle, _ = state.spot.cone(ahead)
        what = "junction" if state.on_spot else state.place_name
        lines.append(Line(f"{what}, forecast", (state.elapsed_s + ahead) / 60, middle))
        end = float(lines[-1].x[-1])
        limit = np.full(2, state.limit_C)
        lines.append(Line(f"limit {show(state.limit_C, 'C')}", np.array([0.0, end]), limit))
    return Picture("minutes", "°C", (), tuple(lines))
