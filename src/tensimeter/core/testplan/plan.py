"""A test worked out: its steps within the design's reach and the load's."""

import numpy as np
from msgspec.structs import replace

from tensimeter.core.circuit.load_line import LoadLine
from tensimeter.core.circuit.network import build, has_source
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import identifier
from tensimeter.core.model.job import Job
from tensimeter.core.model.joined import joined
from tensimeter.core.model.tests import LoadRegulation, Test
from tensimeter.core.path import LoadLink
from tensimeter.core.rating.ladder import continuous_full_load
from tensimeter.core.testplan.equipment import loads_words, sinks_A, would_reach
from tensimeter.core.testplan.plain_loads import points
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan, Situation, Step, predicted


def plan(job: Job, test: Test) -> Plan:
    """The steps of a test within the design's reach and the load's."""
    job = joined(job, test.output)
    output = job.output(test.output)
    full = continuous_full_load(job, output.id)
    able_A = sinks_A(job, output.nominal_V)
    most, unreachable = full.amps, []
    if full.amps < output.full_load_A:
        unreachable.append(
            f"{output.full_load_A:.3g} A was wanted; {full.reason} stops it at {full.amps:.3g} A."
        )
    if able_A is not None:
        sinks = float(able_A)
        if sinks < most:
            unreachable.append(
                f"{most:.3g} A at {output.nominal_V:g} V needs {most * output.nominal_V:.0f} W; "
                f"{loads_words(job)} sinks {sinks:.3g} A there. {would_reach(most - sinks, output.nominal_V)}"
            )
            most = sinks
    kind = kind_of(test)
    unreachable += kind.unreachable(job, test)
    network = build(job) if has_source(job) else None
    situation = Situation(job, output, full, most, network)
    made = kind.steps(situation, test)
    if kind.rates(test):
        made = _by_plain_loads(situation, unreachable) or made
    steps = tuple(replace(s, index=k) for k, s in enumerate(made))
    line = _line(situation, test, steps)
    return Plan(test, output, full, steps, tuple(unreachable), line, kind.hottest_C(job, test))


def as_read(job: Job) -> list[LoadRegulation]:
    """A load regulation for each output whose campaign has none: what was read is judged all the same.

    No campaign asks for its points: so a test that is taken out takes no reading out of what holds.
    """
    proven = {t.output for t in job.campaign.tests if kind_of(t).by_current and kind_of(t).rates(t)}
    outputs = [o for o in job.design.outputs() if o.id not in proven and not isinstance(o, LoadLink)]
    taken = {t.id for t in job.campaign.tests}
    return [LoadRegulation(id=identifier(f"as-read-{o.id}", taken), output=o.id) for o in outputs]


def plans_of(job: Job) -> dict[str, Plan | None]:
    """The plan of every test of a campaign, by its id; None where there is no path to plan it on."""
    found: dict[str, Plan | None] = {}
    for test in job.campaign.tests:
        try:
            found[test.id] = plan(job, test)
        except UserError:
            found[test.id] = None
    return found


def _by_plain_loads(s: Situation, unreachable: list[str]) -> list[Step]:
    """The points of a test whose loads can't be set: what there is, alone and together."""
    loads, refused = points(s.job, s.output.nominal_V, s.most_A)
    unreachable += refused
    line = s.line(np.array([load.amps for load in loads])) if loads else None
    return [
        Step(load.amps, predicted(line, k), s.band, load.words, hand=f"Join {load.words}.")
        for k, load in enumerate(loads)
    ]


def _line(s: Situation, test: Test, steps: tuple[Step, ...]) -> LoadLine | None:
    """The predicted load line that belongs to the plot of a test of one output's load."""
    if not steps or not kind_of(test).rates(test):
        return None
    return s.line(np.array([step.set_A for step in steps]))
