"""What was held at an output: points that hold, those that do not, and for how long.

The one computation behind all that shows a claim: captions, claimed against found, data sheet, plate, card
and command line. It counts the readings of the newest state of the supply alone, all of them: what failed
once in a state has failed, whatever was read after it.
"""

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Flags
from tensimeter.core.heat_design.measuring_points import heats, limit_C, spot_above, spot_spread, thermometer
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.measurement.readings import CLOCK, FAILED_BY, Reading, VoltsAmps, interval_of, pairs
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import open_state
from tensimeter.core.testplan.evaluation import corrected
from tensimeter.core.testplan.soak.run import SoakRun, described_link, loads_beside, place_of, soak_runs
from tensimeter.core.testplan.step import OPEN, Outcome, value_of
from tensimeter.core.testplan.taken import amps_of, is_set_to

#: Volts must have been read so late in a load that is held for good, as a share of its time: a rule of thumb.
LATE = 0.5


class Point(Struct, frozen=True):
    """Volts and amps that were read, each at the end of its interval that claims least; whether they hold."""

    volts: float
    amps: float
    holds: bool
    #: The volts it was set to, where it was set to others than nominal.
    set_V: float | None = None
    #: The amps with their interval, and how they are known: read, said, or set at a load.
    ends: Interval | None = None
    known: str = "read"
    #: Volts are below their band, and not merely uncertain or above it.
    low: bool = False
    #: What the other outputs carried at that moment, A, as far as it is known.
    beside: tuple[tuple[str, float], ...] = ()
    #: The moment that it was read at.
    scan: int = 0


class Loaded(Struct, frozen=True):
    """Amps that flowed all along for so many minutes, with nothing too hot; `steady`: for good."""

    amps: float
    minutes: float
    steady: bool
    #: How its amps are known: read, or only said.
    known: str = "read"
    #: What the other outputs carried all along, A at the least.
    beside: tuple[tuple[str, float], ...] = ()


def real(job: Job, judged: Sequence[Outcome], output: str) -> list[Outcome]:
    """The tests of an output of which something real was read; a demo is simulated as a whole."""
    return [o for o in _real(job, judged) if o.plan.output.id == output]


def _real(job: Job, judged: Sequence[Outcome]) -> list[Outcome]:
    read = [o for o in judged if o.measured or o.extra or (o.facts is not None and o.facts.readings)]
    return [o for o in read if job.demo or not o.pretended]


def points(job: Job, judged: Sequence[Outcome], output: str) -> list[Point]:
    """Every point of an output that has volts to keep to, by whichever test it was read, at any mains.

    What goes past a limit on purpose is none. Where other outputs drew as well, it holds or not all the same.
    """
    if open_state(job) is not None:
        return []
    # A moment is taken by every test that it fits, and is one point all the same.
    return list(dict.fromkeys(p for o in _real(job, judged) for p in points_of(o, output)))


def points_of(o: Outcome, output: str) -> list[Point]:
    """The points of an output by one test, read or pretended."""
    if o.facts is None:
        return []
    own = o.plan.output.id == output
    allowed = o.plan.steps[0].allowed if own and o.plan.steps else OPEN
    # Of what was read beside the steps nobody knows what it was set to, where they differ in that.
    loose = allowed if allowed != OPEN and all(s.trim_V is None for s in o.plan.steps) else OPEN
    found, settings, others = [], o.facts.settings(output), _carried(o, output)
    for pair in pairs(o.facts.readings, output, o.plan.test.id):
        step = o.plan.steps[pair.volts.step] if pair.volts.step is not None else None
        here = own if step is None else step.place == output or (own and not step.place)
        band = loose if step is None else step.allowed
        said_V = settings.get(pair.volts.scan) if step is None else None
        # What counts for its own volts is held against those, and not against what it was set to near them.
        elsewhere = said_V is not None and not is_set_to(said_V, o.plan.output.nominal_V)
        if said_V is not None and elsewhere and own:
            band = Band.around(said_V, o.plan.output.tolerance)
        if not here or band == OPEN or (step is not None and step.past_limits):
            continue
        set_V = step.trim_V if step is not None and not step.phase else said_V if elsewhere else None
        found.append(_point(o, pair, band, set_V, tuple(others.get(pair.volts.scan, ()))))
    return [*found, *_given_way(o, output)]


def _given_way(o: Outcome, output: str) -> Iterator[Point]:
    """Where an output died, tripped or was cut with a load: it failed there, whatever was read before."""
    assert o.facts is not None
    for r in o.facts.readings:
        if r.quantity != "event" or r.place != output or r.range not in FAILED_BY:
            continue
        rows = o.facts.at_scan(r.scan)
        amps, set_V = amps_of(rows, output), value_of(rows, set_of(output), "V")
        own = set_V is None or is_set_to(set_V, o.plan.output.nominal_V)
        read = next((x for x in rows if x.quantity == "A" and x.place == output and x.value == amps), None)
        # With a load that nobody knows it failed at any.
        ends = (interval_of(read) if read is not None else None) or Interval(amps or 0.0, 0.0, amps or 0.0)
        volts = set_V or o.plan.output.nominal_V
        yield Point(volts, max(ends.low, 0.0), False, None if own else set_V, ends, "said", low=True)


def _point(
    o: Outcome, pair: VoltsAmps, band: Band, set_V: float | None, beside: tuple[tuple[str, float], ...]
) -> Point:
    assert o.facts is not None
    volts = corrected(o.facts.job, pair)
    verdict = judge(volts, band)
    amps = interval_of(pair.amps) or Interval(pair.amps.value, pair.amps.value, pair.amps.value)
    # A point that holds claims the least that it may be; one that does not already fails there.
    low_V = volts.low if volts is not None else pair.volts.value
    low = volts is not None and volts.high < band.ends[0]
    holds = verdict is Verdict.CONFORMS
    return Point(low_V, max(amps.low, 0.0), holds, set_V, amps, pair.amps.known, low, beside, pair.volts.scan)


def _carried(o: Outcome, output: str) -> dict[int, list[tuple[str, float]]]:
    """What the outputs beside one carried, A, by scan."""
    assert o.facts is not None
    others = {x.id for x in o.facts.job.design.outputs()} - {output}
    found: dict[int, list[tuple[str, float]]] = {}
    if others:
        for r in o.facts.readings:
            if r.quantity == "A" and r.place in others:
                found.setdefault(r.scan, []).append((r.place, r.value))
    return found


def held_point(found: Sequence[Point]) -> Point | None:
    """The point of most amps at an output's own volts below the first that does not hold; None: none is."""
    own = [p for p in found if p.set_V is None]
    ends = min((p.amps for p in own if not p.holds), default=np.inf)
    kept = [p for p in own if p.holds and p.amps < ends]
    return max(kept, key=lambda p: p.amps, default=None)


def shown_A(result: Outcome) -> float | None:
    """The largest current, A, up to which every point of a test holds, by what was read; None: none does.

    What was read counts, less its interval, not what was planned. Nothing above one that fails counts.
    """
    if result.facts is not None and open_state(result.facts.job) is not None:
        return None
    return held_A(points_of(result, result.plan.output.id))


def is_rated(result: Outcome) -> bool:
    """Whether a test shows that its output holds anything under load, at its own volts or set to others."""
    if result.pretended or result.facts is None or open_state(result.facts.job) is not None:
        return False
    return any(p.holds and p.amps > 0 for p in points_of(result, result.plan.output.id))


def proven_A(result: Outcome) -> float | None:
    """The largest current in A that is proven; None when none is. What was simulated proves nothing."""
    return None if result.pretended else shown_A(result)


def held_A(found: Sequence[Point]) -> float | None:
    """The most amps at an output's own volts below the first point that does not hold; None where none is."""
    point = held_point(found)
    return point.amps if point is not None else None


def loaded(job: Job, judged: Sequence[Outcome], output: str) -> list[Loaded]:
    """How long which loads were held by soaks, each run's last load; most amps first."""
    if open_state(job) is not None:
        return []
    found = [
        one
        for o in real(job, judged, output)
        if o.plan.test.soaks and o.facts is not None
        for run in soak_runs(_timed(o.facts.readings), output)[-1:]
        for one in _held(job, o, run)
    ]
    return sorted(found, key=lambda one: -one.amps)


def _timed(readings: Sequence[Reading]) -> list[Reading]:
    """Those whose time was read or said: when a line was typed tells nothing of how long a load was held."""
    said = {r.scan for r in readings if r.place == CLOCK}
    return [r for r in readings if r.run is not None or r.origin != "typed" or r.scan in said]


def held_rows(job: Job, judged: Sequence[Outcome]) -> list[Reading]:
    """All that was read or said at the moments that claims rest on: of points and soaks that hold."""
    found: list[Reading] = []
    for o in _real(job, judged):
        assert o.facts is not None
        if o.plan.test.soaks:
            holds = o.verdict is Verdict.CONFORMS
            last = soak_runs(o.facts.readings, o.plan.output.id)[-1:] if holds else []
            # Of soaks by hand the last alone: those before it are as far back as it began.
            found += [r for x in last for r in o.facts.readings if r.run == x.run and r.at >= x.at - 1.0]
            continue
        outputs = {o.plan.output.id, *(s.place for s in o.plan.steps if s.place)}
        scans = {p.scan for output in outputs for p in points_of(o, output) if p.holds}
        found += [r for r in o.facts.readings if r.scan in scans]
    return found


def _known(o: Outcome) -> str:
    """How the amps of a soak are known: read, where any of them were."""
    assert o.facts is not None
    known = {r.known for r in o.facts.readings if r.quantity == "A" and r.place == o.plan.output.id}
    return "read" if "read" in known or not known else min(known)


def _held(job: Job, o: Outcome, run: SoakRun) -> Iterator[Loaded]:
    """The last load of a run: for good where the test holds, else until something was too hot or too low."""
    last = run.step == run.step[-1]
    amps = run.amps[last]
    amps = amps[np.isfinite(amps)]
    if not len(amps) or (run.gone[last].all()):
        return
    least, beside = _surely(o, o.plan.output.id, float(amps.min())), _all_along(o, run, last)
    begins, ends = float(run.time_s[last][0]), float(run.time_s[last][-1])
    held_s = _volts_until(run, last) - begins
    if (
        o.verdict is Verdict.CONFORMS
        and o.complete
        and held_s >= LATE * (ends - begins)
        and not _off(o, run, last).any()
    ):
        yield Loaded(least, float("inf"), True, _known(o), beside)
        return
    until = _minutes(job, o, run, last)
    if until >= 1:
        yield Loaded(least, float(np.floor(until)), False, _known(o), beside)


def _all_along(o: Outcome, run: SoakRun, last: Flags) -> tuple[tuple[str, float], ...]:
    """What the other outputs carried at every moment of the last load at which its own amps are known."""
    known, found = last & np.isfinite(run.amps), []
    for place, amps in run.beside.items():
        least = float(np.nan_to_num(amps[known]).min(initial=np.inf))
        if 0 < least < np.inf:
            found.append((place, _surely(o, place, least)))
    return tuple(found)


def _surely(o: Outcome, place: str, amps: float) -> float:
    """The amps that flowed at an output for certain where so many were read."""
    assert o.facts is not None
    read = [r for r in o.facts.readings if r.quantity == "A" and r.place == place]
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
    beside = {other: a[-1:] for other, a in loads_beside(job, run).items()}
    own, _ = heats(job, o.plan.output.id, (amps,), link, beside)
    above = float(own[0]) * spot_above(job, link, place) * (1 + spot_spread(place))
    most = limit_C(job, link, o.plan.output.id, amps, beside) - above - thermometer(job).accuracy_K
    bad = [float(t) for t, c in zip(time_s[here], celsius[here], strict=True) if c > most]
    bad += run.time_s[last][_off(o, run, last)].tolist()
    # Of the time after the last volts nobody knows whether they stood.
    end = _volts_until(run, last)
    good = [t for t in time_s[here].tolist() if t < min(bad, default=np.inf) and t <= end]
    return (max(good) - begins) / 60 if good else 0.0


def _volts_until(run: SoakRun, last: Flags) -> float:
    """When the volts of the last load were read last, s."""
    read = run.time_s[last & np.isfinite(run.volts)]
    return float(read[-1]) if len(read) else -np.inf
