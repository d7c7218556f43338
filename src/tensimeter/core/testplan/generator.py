"""The campaign that a job asks for: tests and points, in an order that never outruns what is shown."""

import numpy as np

from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.reach import Border, load_reach_A, most_A, reach, volts_span
from tensimeter.core.errors import Trouble
from tensimeter.core.heat_design.measuring_points import watched
from tensimeter.core.model.edits import changed, identifier, with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import (
    KINDS_OF_TEST,
    CapacityDown,
    Corner,
    CrossRegulation,
    Efficiency,
    FanTest,
    LineRegulation,
    LoadRegulation,
    MinimumLoad,
    Outlets,
    Overload,
    OverVoltage,
    ReachPoints,
    RealDevice,
    Ripple,
    ShortCircuit,
    Soak,
    StartUp,
    Test,
    Tolerance,
    Transient,
)
from tensimeter.core.parts.roles import LineFeeder, SetLoad, SourcePart, TemperatureMeter, WaveformRecorder
from tensimeter.core.path import FanLink, OutputLink
from tensimeter.core.testplan.expected import limit_A, trip_V
from tensimeter.core.testplan.registry import KINDS, rank

#: Seconds to cool down before a test that goes past a limit: a rule of thumb.
REST_S = 30.0
#: How far inside a limit a point beside it lies, so that the supply's own spread does not cross it.
INSIDE = 0.95


def generated(job: Job) -> Job:
    """The job with every test planned that its outputs, policy and instruments allow, each once.

    Tests that are there stay as they are; all stand in the order in which they may be taken.
    """
    there = {(t.kind, t.output) for t in job.campaign.tests}
    taken = [t.id for t in job.campaign.tests]
    tests = list(job.campaign.tests)
    for test in wanted(job):
        if (test.kind, test.output) in there:
            continue
        name = identifier(test.kind if test.kind not in taken else f"{test.kind}-{test.output}", iter(taken))
        taken.append(name)
        tests.append(changed(test, id=name))
    places = {o.id: k for k, o in enumerate(job.design.outputs())}
    tests.sort(key=lambda t: (rank(t.kind), places.get(t.output, 99)))
    return with_campaign(job, tests=tuple(tests))


def wanted(job: Job) -> list[Test]:
    """Every test that fits the job's outputs and what it is measured with."""
    outputs = list(job.design.outputs())
    found: list[Test] = []
    for output in outputs:
        found += _of_one(job, output)
    if len(outputs) > 1:
        first, rest = outputs[0].id, tuple(o.id for o in outputs[1:])
        found.append(CrossRegulation(id="x", output=first, others=rest))
        found.append(Outlets(id="x", output=first, others=rest))
    if outputs and isinstance(job.part(job.campaign.oscilloscope), WaveformRecorder):
        found.append(StartUp(id="x", output=outputs[0].id, others=tuple(o.id for o in outputs[1:])))
    return found


def _of_one(job: Job, output: OutputLink) -> list[Test]:
    o, campaign = output.id, job.campaign
    path = [job.part(link.part) for link in job.design.path_to(o)]
    found: list[Test] = [Tolerance(id="x", output=o), LoadRegulation(id="x", output=o)]
    if any(isinstance(part, SourcePart) and part.separate_outputs() for part in path):
        found.append(MinimumLoad(id="x", output=o))
    line = job.part(campaign.line_source)
    if isinstance(line, LineFeeder):
        found.append(LineRegulation(id="x", output=o))
        if line.watts is not None:
            found.append(Efficiency(id="x", output=o))
    if output.adjustable:
        points = reach_points(job, o)
        if points:
            found.append(ReachPoints(id="x", output=o, points=points))
    if isinstance(job.part(campaign.oscilloscope), WaveformRecorder):
        found += [Ripple(id="x", output=o), Transient(id="x", output=o)]
    if output.device:
        found.append(RealDevice(id="x", output=o, device=output.device))
    if any(isinstance(part, SourcePart) and part.runs_down for part in path):
        found.append(CapacityDown(id="x", output=o))
    found += _of_heat(job, o)
    if trip_V(job, o) or output.device_max_V:
        found.append(OverVoltage(id="x", output=o, most_V=output.device_max_V))
    if limit_A(job, o):
        found += [Overload(id="x", output=o, rest_s=REST_S), ShortCircuit(id="x", output=o, rest_s=REST_S)]
    return found


def _of_heat(job: Job, output: str) -> list[Test]:
    """A soak where a part says how it sheds its heat and a thermometer is there; its fan where it has one."""
    if not isinstance(job.part(job.campaign.thermometer), TemperatureMeter):
        return []
    try:
        link = watched(job, output)
    except Trouble:
        return []
    found: list[Test] = [Soak(id="x", output=output, link=link)]
    if any(isinstance(x, FanLink) for x in job.design.links):
        found.append(FanTest(id="x", output=output))
    return found


def blank(kind: str, job: Job, output: OutputLink) -> Test:
    """A test of one kind as it is first planned; Trouble where there is no such kind."""
    for cls in KINDS_OF_TEST:
        if cls.model_fields["kind"].default == kind:
            ids = [t.id for t in job.campaign.tests]
            fields: dict[str, object] = {"output": output.id}
            fields["id"] = identifier(kind if kind not in ids else f"{kind}-{output.id}", iter(ids))
            if "others" in cls.model_fields:
                fields["others"] = tuple(o.id for o in job.design.outputs() if o.id != output.id)
            if kind == "reach":
                fields["points"] = reach_points(job, output.id)
            made: Test = cls.model_validate(fields)  # type: ignore[assignment]
            return made
    raise Trouble(f"There is no test “{kind}”; there are {', '.join(KINDS)}.")


def reach_points(job: Job, output: str) -> tuple[Corner, ...]:
    """Corners of the reach, a point just inside each limiter's border, and where most heat is made.

    All within what the policy allows for good and what the load in stock can sink.
    """
    if not has_source(job):
        return ()
    try:
        low, high = volts_span(job, output)
        link = job.output(output)
        # What the device stands bounds what is shown of an output that is made for it.
        low, high = max(low, link.device_min_V or low), min(high, link.device_max_V or high)
        volts = np.linspace(low, high, 61)
        amps = np.linspace(0.0, most_A(job, output), 121)
        found = reach(job, output, volts, amps)
    except Trouble:
        return ()
    borders = [_sunk(job, b) for b in found.border() if np.isfinite(b.amps) and b.amps > 0]
    borders = [b for b in borders if b.amps > 0]
    if not borders:
        return ()
    points = {"lowest volts": borders[0], "highest volts": borders[-1]}
    points["most watts"] = max(borders, key=lambda b: b.volts * b.amps)
    # A linear stage or a buck's low side is hottest where much current meets few volts.
    points["most amps at the lowest volts"] = max(borders, key=lambda b: (round(b.amps, 2), -b.volts))
    for name in dict.fromkeys(b.limiter for b in borders if b.limiter):
        along = [b for b in borders if b.limiter == name]
        points[f"beside {name}"] = along[len(along) // 2]
    seen: dict[tuple[float, float], str] = {}
    for why, b in points.items():
        place = (round(b.volts, 1), np.floor(INSIDE * b.amps * 100) / 100)
        seen[place] = f"{seen[place]}, {why}" if place in seen else why
    # Fewest watts first: nothing is asked that what came before has not shown.
    ordered = sorted(seen, key=lambda p: p[0] * p[1])
    return tuple(Corner(volts=v, amps=float(a), why=seen[v, a][:60]) for v, a in ordered)


def _sunk(job: Job, border: Border) -> Border:
    load = job.part(job.campaign.load)
    able = float(load_reach_A(load, border.volts)) if isinstance(load, SetLoad) else np.inf
    if able >= border.amps:
        return border
    return Border(border.volts, able, "what the load can sink")
