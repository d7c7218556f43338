"""What was held at an output, by its judged tests: points that hold, those that do not, and for how long."""

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Flags
from tensimeter.core.heat_design.measuring_points import heats, limit_C, spot_above, spot_spread, thermometer
from tensimeter.core.measurement.conformity import Verdict, judge
from tensimeter.core.measurement.readings import VoltsAmps, interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.evaluation import corrected
from tensimeter.core.testplan.soak.run import SoakRun, described_link, place_of, soak_runs
from tensimeter.core.testplan.step import OPEN, Outcome


class Point(Struct, frozen=True):
    """Volts and amps that were read, each at the end of its interval that claims least; whether they hold."""

    volts: float
    amps: float
    holds: bool
    #: The volts it was set to, where it was set to others than nominal.
    set_V: float | None = None


class Loaded(Struct, frozen=True):
    """Amps that flowed all along for so many minutes, with nothing too hot; `steady`: for good."""

    amps: float
    minutes: float
    steady: bool


def real(job: Job, judged: Sequence[Outcome], output: str) -> list[Outcome]:
    """The tests of an output of which something real was read; a demo is simulated as a whole."""
    return [o for o in _real(job, judged) if o.plan.output.id == output]


def _real(job: Job, judged: Sequence[Outcome]) -> list[Outcome]:
    return [o for o in judged if (o.measured or o.extra) and (job.demo or not o.pretended)]


def points(job: Job, judged: Sequence[Outcome], output: str) -> list[Point]:
    """Every point of an output that has volts to keep to, by whichever test it was read, at any mains.

    What goes past a limit on purpose is none. Where other outputs drew as well, it holds or not all the same.
    """
    found = []
    for o in _real(job, judged):
        own = o.plan.output.id == output
        for r in o.steps:
            s = r.step
            here = s.place == output or (own and not s.place)
            if r.pair is None or not here or s.allowed == OPEN or s.past_limits:
                continue
            set_V = s.trim_V if not s.phase else None
            found.append(_point(job, r.pair, r.verdict is Verdict.CONFORMS, set_V))
        allowed = o.plan.steps[0].allowed if own and o.plan.steps else OPEN
        # Of what was read beside the steps nobody knows what it was set to, where they differ in that.
        if allowed != OPEN and all(s.trim_V is None for s in o.plan.steps):
            for pair in (p for p in o.extra if p.volts.place == output):
                holds = judge(corrected(job, pair), allowed) is Verdict.CONFORMS
                found.append(_point(job, pair, holds, None))
    return found


def _point(job: Job, pair: VoltsAmps, holds: bool, set_V: float | None) -> Point:
    amps, volts = interval_of(pair.amps), corrected(job, pair)
    # A point that holds claims the least that it may be; one that does not already fails there.
    low_A = max(amps.low, 0.0) if amps is not None else pair.amps.value
    low_V = volts.low if volts is not None else pair.volts.value
    return Point(low_V, low_A, holds, set_V)


def held_A(found: Sequence[Point]) -> float | None:
    """The most amps at an output's own volts below the first point that does not hold; None where none is."""
    own = [p for p in found if p.set_V is None]
    ends = min((p.amps for p in own if not p.holds), default=np.inf)
    return max((p.amps for p in own if p.holds and p.amps < ends), default=None)


def loaded(job: Job, judged: Sequence[Outcome], output: str) -> list[Loaded]:
    """How long which loads were held by soaks, each run's last load; most amps first."""
    found = [
        one
        for o in real(job, judged, output)
        if o.plan.test.soaks and o.facts is not None
        for run in soak_runs(o.facts.readings)[-1:]
        for one in _held(job, o, run)
    ]
    return sorted(found, key=lambda one: -one.amps)


def _held(job: Job, o: Outcome, run: SoakRun) -> Iterator[Loaded]:
    """The last load of a run: for good where the test holds, else until something was too hot or too low."""
    last = run.step == run.step[-1]
    amps = run.amps[last]
    amps = amps[np.isfinite(amps)]
    if not len(amps) or (run.gone[last].all()):
        return
    least = _surely(o, float(amps.min()))
    if o.verdict is Verdict.CONFORMS and o.complete and not _off(o, run, last).any():
        yield Loaded(least, float("inf"), True)
        return
    until = _minutes(job, o, run, last)
    if until >= 1:
        yield Loaded(least, float(np.floor(until)), False)


def _surely(o: Outcome, amps: float) -> float:
    """The amps that flowed for certain where so many were read."""
    assert o.facts is not None
    read = [r for r in o.facts.readings if r.quantity == "A" and r.place == o.plan.output.id]
    near = min(read, key=lambda r: abs(r.value - amps), default=None)
    ends = interval_of(near) if near is not None else None
    return max(ends.low if ends is not None else amps, 0.0)


def _off(o: Outcome, run: SoakRun, last: Flags) -> Flags:
    """Where in the last load the volts may have been outside what is allowed, with their interval."""
    assert o.facts is not None
    low, high = o.plan.steps[-1].allowed.ends
    volts = run.volts[last]
    read = [r for r in o.facts.readings if r.quantity == "V" and r.place == o.plan.output.id]
    half = max((i.half_width for r in read if (i := interval_of(r)) is not None), default=0.0)
    return np.asarray(np.isfinite(volts) & ((volts - half < low) | (volts + half > high)))


def _minutes(job: Job, o: Outcome, run: SoakRun, last: Flags) -> float:
    """Minutes of the last load during which volts held and nothing was too hot; 0 where that is not known."""
    place, link = place_of(job, o.plan, run), described_link(job, o.plan)
    if place is None or link is None:
        return 0.0
    begins = float(run.time_s[last][0])
    time_s, celsius = run.track(place)
    here = time_s >= begins
    if not here.any():
        return 0.0
    amps = float(np.nanmax(run.amps[last]))
    own, _ = heats(job, o.plan.output.id, (amps,), link)
    above = float(own[0]) * spot_above(job, link, place) * (1 + spot_spread(place))
    most = limit_C(job, link, o.plan.output.id, amps) - above - thermometer(job).accuracy_K
    bad = [float(t) for t, c in zip(time_s[here], celsius[here], strict=True) if c > most]
    bad += run.time_s[last][_off(o, run, last)].tolist()
    good = [t for t in time_s[here].tolist() if t < min(bad, default=np.inf)]
    return (max(good) - begins) / 60 if good else 0.0
