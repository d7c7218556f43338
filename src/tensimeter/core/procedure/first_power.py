"""First power: the steps that a design implies, in the order in which a mistake does least damage.

Each step says where to probe, what to expect, when to pull the plug, and keeps its reading at a place of
its own. What a wrong value usually means is told by `core.procedure.causes`.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from tensimeter.core.analysis.leakage import LIMIT_A, Leakage, leakage
from tensimeter.core.design.bands import trim
from tensimeter.core.design.connected import connected
from tensimeter.core.design.load_line import full_load
from tensimeter.core.design.network import build
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import Trouble
from tensimeter.core.measurement.conformity import Band, Verdict, judge
from tensimeter.core.measurement.readings import Quantity, Reading, counting, interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.kinds import Converter, Donor, PanelMeter, RailSupply
from tensimeter.core.path import ConverterLink, FanLink, Link, MeterLink, UnitLink
from tensimeter.core.quantity import show

#: What each kind of limit before first power can and can't do.
LIMITERS = {
    "bench_limiter": "a bench supply or limiter: holds the current exactly, but on the DC side only",
    "lamp": "a lamp in series with the mains: glows at a short; it does not isolate, and a large reservoir "
    "lights it for a moment",
    "variable_transformer": "a variable transformer: brings the mains up slowly; it neither isolates nor "
    "limits, and a switching unit starts hard at low mains",
    "none": "nothing: a mistake shows as smoke; only for what has run before",
}
#: How far a donor, a rail, a trim may stray at first, as fractions, beyond its own tolerance.
UNIT_BAND, TRIM_BAND = 0.05, 0.02
#: Ω of the meter and of the resistor with which volts to earth are read.
METER_OHM, SHUNT_OHM = 10e6, 100e3
#: Seconds a bare power part stands its loss before its sink is on: J/K of its own, K that it may rise.
BARE_J_K, BARE_RISE_K = 1.5, 60.0


@dataclass(frozen=True)
class Step:
    """One step of first power. Without a band it is looked at, not read."""

    id: str
    title: str
    do: str
    probe: str
    place: str
    quantity: Quantity
    band: Band | None
    expected: float | None
    stop: str
    link: str | None = None
    hold: bool = False


@dataclass(frozen=True)
class Woken:
    """A step with its latest reading; `earlier` says that it was measured against another expectation."""

    step: Step
    reading: Reading | None
    verdict: Verdict
    earlier: bool = False


def wake_steps(job: Job) -> list[Step]:
    """The steps of a design, in order; empty for a path that does not join up or has no source."""
    if problems(job.design, job.stock) or not any(isinstance(x, UnitLink) for x in job.design.links):
        return []
    try:
        idle = solve(build(job), {o.id: 0.0 for o in job.design.outputs()}, as_set=True)
    except Trouble:
        return []
    return [
        _look_over(job),
        *_sources(job),
        *_stack_steps(job, idle),
        *_converters(job, idle),
        *_outlets(job, idle),
        *_meters_and_fans(job, idle),
        *_to_earth(job),
    ]


def woken(
    job: Job, readings: Sequence[Reading], job_of: Callable[[Reading], Job | None] | None = None
) -> list[Woken]:
    """Every step judged by its latest reading.

    `job_of` tells the job as it stood when a reading was taken: where its step expected something else
    then, the reading is marked as measured against an earlier design. It stays a fact, judged anew here.
    """
    live = counting(readings)
    before: dict[int, dict[str, Step]] = {}
    found = []
    for step in wake_steps(job):
        if step.band is None:
            done = step.id in job.assembly.looked_over
            found.append(Woken(step, None, Verdict.HOLDS if done else Verdict.NOT_MEASURED))
            continue
        own = [r for r in live if r.place == step.place and r.quantity == step.quantity]
        if not own:
            found.append(Woken(step, None, Verdict.NOT_MEASURED))
            continue
        reading, earlier = own[-1], False
        then = job_of(reading) if job_of else None
        if then is not None and then is not job:
            steps = before.setdefault(id(then), {s.id: s for s in wake_steps(then)})
            earlier = step.id not in steps or steps[step.id].band != step.band
        verdict = judge(interval_of(reading), step.band)
        if step.id == "earth-loaded":
            verdict = _touch_verdict(job, live, verdict)
        found.append(Woken(step, reading, verdict, earlier))
    return found


def touches(job: Job, readings: Sequence[Reading]) -> list[Leakage]:
    """The touch current of every pair of readings to earth, open and loaded, in the order taken.

    Two pairs compare: with and without a filter's capacitor, or before and after a bond.
    """
    live = counting(readings)
    found = []
    for output in job.design.outputs():
        opened, loaded = (
            [r.value for r in live if r.place == f"wake-{output.id}-earth-{kind}" and r.quantity == "V"]
            for kind in ("open", "loaded")
        )
        for a, b in zip(opened, loaded, strict=False):
            try:
                limit, mains_Hz = LIMIT_A["earthed"], job.settings.mains_Hz
                found.append(leakage(a, METER_OHM, b, SHUNT_OHM, mains_Hz, limit))
            except Trouble:
                continue
    return found


def _touch_verdict(job: Job, readings: Sequence[Reading], otherwise: Verdict) -> Verdict:
    found = touches(job, readings)
    return found[-1].verdict if found else otherwise


def _look_over(job: Job) -> Step:
    trims = [x.name for x in job.design.links if isinstance(x, ConverterLink)]
    stacked = any(x.kind == "unit" and x.fed_by for x in job.design.links)
    looks = [
        "nothing is plugged into any outlet",
        "no swarf, strand or tool is left inside",
        "electrolytics and diodes sit the right way round",
        *(["a reverse diode sits across every unit of the stack"] if stacked else []),
        *([f"trims are turned down: {', '.join(trims)}"] if trims else []),
        "no meter is left in its amps socket",
        "an earthed oscilloscope clip or a computer's earth touches nothing of the stack"
        if stacked
        else "an earthed oscilloscope clip touches common only",
    ]
    return Step(
        "look", "Look it over", "Unplugged: " + "; ".join(looks) + ".", "everywhere", "", "V", None, None,
        "Anything that you are not sure of.",
    )  # fmt: skip


_STOP = "A lamp that stays bright, a limit that holds, a smell, a hum: pull the plug."


def _sources(job: Job) -> Iterator[Step]:
    """Each source alone, nothing behind it joined."""
    first, enabled = True, False
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(link, UnitLink) or part is None:
            continue
        volts, share, what = _alone(job, link)
        do = "Everything behind it disconnected. "
        if first:
            do += f"First power, with {LIMITERS[job.assembly.limiter].partition(':')[0]} before it. "
            first = False
        if isinstance(part, RailSupply) and not enabled:
            yield Step(
                "standby", f"{part.name}: standby", "Plugged in, enable open.", "violet wire to a black one",
                f"wake-{part.id}-standby", "V", Band.around(5.0, 0.05), 5.0, _STOP, link.id,
            )  # fmt: skip
            yield Step(
                f"sense-{part.id}", f"{part.name}: a rail, not a signal",
                "Enable joined to a black wire, a small lamp of some tens of milliamperes on the wire you "
                "mean to use. A rail stands up to it, a signal falls.",
                f"{link.rail} wire to a black one, lamp on", f"wake-{link.id}-lamp", "V",
                Band.around(volts, share), volts, "It falls below a volt: that is a signal wire.", link.id,
                True,
            )  # fmt: skip
            enabled = True
        yield Step(
            f"alone-{link.id}", f"{link.name} alone", do + what, f"{link.name} + to −",
            f"wake-{link.id}", "V", Band.around(volts, share), volts, _STOP, link.id, True,
        )  # fmt: skip


def _alone(job: Job, link: UnitLink) -> tuple[float, float, str]:
    """What a source gives alone: volts, how far it may stray, a word on how to switch it on."""
    part = job.part(link.part)
    if isinstance(part, Donor):
        enable = "Pull its enable pin to common." if part.family == "server" else "Switch on."
        return part.no_load_V, max(part.tolerance, UNIT_BAND), enable
    if isinstance(part, RailSupply):
        rail = part.rail(link.rail)
        assert rail is not None
        return rail.volts, rail.tolerance, "Enable joined to common, its least load on."
    idle = solve(build(job), {}, as_set=True)[link.id]
    spread = _FREE_BAND.get(part.kind, UNIT_BAND) if part else UNIT_BAND
    return float(idle.V), spread, "Switch on; a reservoir stays charged afterwards."


def _stack_steps(job: Job, idle: Solution) -> Iterator[Step]:
    for link in job.design.links:
        if not isinstance(link, UnitLink) or not link.fed_by:
            continue
        bottom = job.design.path_to(link.id)[0]
        volts = float(idle[link.id].V)
        yield Step(
            f"stack-{link.id}", f"Stack up to {link.name}",
            f"{link.name} joined onto {job.design.link(link.fed_by).name}, still nothing behind.",
            f"{bottom.name} − to {link.name} +", f"wake-stack-{link.id}", "V",
            Band.around(volts, UNIT_BAND), volts,
            "One unit's volts only: a unit is off, shorted or its joint is open. Switch off.", link.id, True,
        )  # fmt: skip


def _converters(job: Job, idle: Solution) -> Iterator[Step]:
    """Each converter with its outputs disconnected; its trim is set before anything is connected."""
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(link, ConverterLink) or not isinstance(part, Converter):
            continue
        volts = float(np.nan_to_num(idle[link.id].V_in))
        yield Step(
            f"in-{link.id}", f"{link.name}: its input", "Its input joined, its output free.",
            f"{link.name} in + to in −", f"wake-in-{link.id}", "V",
            Band.around(volts, _source_band(job, link)), volts,
            f"Above {show(part.in_max_V, 'V')}, or below zero: switch off at once.", link.id, True,
        )  # fmt: skip
        aim, why = _aimed(job, link)
        turn = _turn(part)
        yield Step(
            f"trim-{link.id}", f"{link.name}: its trim", f"Turn it to {show(aim, 'V', 4)}{why}.{turn}",
            f"{link.name} out + to out −, nothing connected", f"wake-trim-{link.id}", "V",
            Band.around(aim, TRIM_BAND), aim,
            "It does not follow, or stands at its input's volts: nothing may be connected. Switch off.",
            link.id, True,
        )  # fmt: skip


def _source_band(job: Job, link: Link) -> float:
    """How far the volts that feed a link may stray: a mains transformer's follow the mains."""
    feeders = [job.part(x.part) for x in job.design.path_to(link.id)[:-1]]
    if any(isinstance(p, Converter) for p in feeders):
        return UNIT_BAND
    return max((_FREE_BAND.get(p.kind, UNIT_BAND) for p in feeders if p is not None), default=UNIT_BAND)


#: Sources whose volts are not held: by the mains, or by the state of charge.
_FREE_BAND = {"transformer": 0.12, "battery": 0.15}


def _aimed(job: Job, link: ConverterLink) -> tuple[float, str]:
    """What a converter is trimmed to: as set, or raised where its output is aimed at the far end."""
    for output in job.design.outputs():
        if output.aim == "far_end" and (found := trim(job, output)) and found.converter == link.id:
            most = connected(job, output).highest_V
            over = most is not None and found.no_load_V > most
            harm = f"; {output.name}'s device stands {show(most, 'V')} only" if over else ""
            return found.set_V, f", raised for the drop to the far end of {output.name} at full load{harm}"
    return link.set_V, ""


def _turn(part: Converter) -> str:
    """Which way a trim turns and how far, where its divider is known."""
    if part.feedback is None or not part.feedback.pot_ohm:
        return " Try a quarter turn first: see which way is up."
    f = part.feedback
    turns = f.reference_V * f.pot_ohm / f.lower_ohm / 10
    return f" A ten-turn trim moves it about {show(turns, 'V', 2)} a turn."


def _outlets(job: Job, idle: Solution) -> Iterator[Step]:
    for output in job.design.outputs():
        volts = float(np.nan_to_num(idle[output.id].V))
        device = connected(job, output)
        low, high = Band.around(volts, max(output.tolerance, TRIM_BAND)).ends
        high = min(high, device.highest_V or high)
        yield Step(
            f"outlet-{output.id}", f"{output.name}: its outlet",
            "All joined, nothing plugged in. Red probe where the plus of the plug will be.",
            f"{output.name} + to −", f"wake-{output.id}", "V", Band(low, high), volts,
            "Below zero: crossed. Above its device's volts: don't plug it in.", output.id, True,
        )  # fmt: skip


def _meters_and_fans(job: Job, idle: Solution) -> Iterator[Step]:
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(link, MeterLink) and isinstance(part, PanelMeter):
            volts = float(np.nan_to_num(idle[link.id].V))
            half = part.volts.half_width(volts) + 0.01 * volts
            yield Step(
                f"meter-{link.id}", f"{link.name}: what it shows", "Read its display beside your own meter.",
                f"display of {link.name}", f"wake-{link.id}", "V", Band(volts - half, volts + half), volts,
                "Dark, or jumping: its supply or its common is wrong.", link.id,
            )  # fmt: skip
        if isinstance(link, FanLink) and link.control != "always":
            yield Step(
                f"fan-{link.id}", f"{link.name}: it comes on", "Warm its sensor by hand or a hair dryer.",
                "sensor, when the fan starts", f"wake-{link.id}", "C",
                Band(link.on_C - 5, link.on_C + 5), link.on_C, "It does not start: don't load the supply.",
                link.id,
            )  # fmt: skip


def _to_earth(job: Job) -> Iterator[Step]:
    """Volts to earth of a floating output: open, then across a resistor of 100 kΩ."""
    if job.policy.reference != "floating" or any(
        isinstance(job.part(x.part), RailSupply) for x in job.design.links
    ):
        return
    outputs = job.design.outputs()
    if not outputs:
        return
    output = outputs[0]
    yield Step(
        "earth-open", "Volts to earth, open", "AC range, meter alone; the larger of both plug positions.",
        f"{output.name} − to earth pin, AC", f"wake-{output.id}-earth-open", "V",
        Band(0.0, job.settings.mains_V * 0.6), None, "Close to the mains: treat it as live.", output.id,
    )  # fmt: skip
    yield Step(
        "earth-loaded", "Volts to earth, loaded", "The same with 100 kΩ across the meter.",
        f"{output.name} − to earth pin, 100 kΩ, AC", f"wake-{output.id}-earth-loaded", "V",
        Band(0.0, job.settings.mains_V * 0.1), None,
        "As high as open: not a filter's leak but a connection. Unplug.", output.id, True,
    )  # fmt: skip


def bare_seconds(job: Job) -> dict[str, float]:
    """Seconds that each converter may run at full load before its sink is on, by link id: a rule of thumb."""
    try:
        solution = solve(build(job), full_load(job), as_set=True)
    except Trouble:
        return {}
    found = {}
    for link in job.design.links:
        if isinstance(link, ConverterLink):
            loss = float(np.nan_to_num(solution[link.id].loss))
            if loss > 0.2:
                found[link.id] = BARE_J_K * BARE_RISE_K / loss
    return found
