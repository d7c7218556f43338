"""First power: the steps that a design implies, in the order in which a mistake does least damage.

Each step says where to probe, what to expect, when to pull the plug, and keeps its reading at a place of
its own. What a wrong value usually means is told by `core.procedure.causes`.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from types import MappingProxyType

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.analysis.leakage import LIMIT_A, Leakage, leakage
from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build
from tensimeter.core.circuit.sources import bonded, outputs_by_common
from tensimeter.core.design.bands import trim
from tensimeter.core.electrical.feedback import per_turn_V
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.conformity import Band, Verdict, judge, worst
from tensimeter.core.measurement.readings import Reading, counting, interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.path_part import InlineMeter
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.parts.steps import STOP, UNIT_BAND, Alone, PowerUpStep
from tensimeter.core.path import ConverterLink, FanLink, Link, MeterLink, OutputLink, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.remembered import remembered

#: What each kind of limit before first power can and can't do.
LIMITERS = {
    "bench_limiter": "a bench supply or limiter: holds the current exactly, but on the DC side only",
    "lamp": "a lamp in series with the mains: glows at a short; it does not isolate, and a large reservoir "
    "lights it for a moment",
    "variable_transformer": "a variable transformer: brings the mains up slowly; it neither isolates nor "
    "limits, and a switching unit starts hard at low mains",
    "none": "nothing: a mistake shows as smoke; only for what has run before",
}
#: How far a trim may stray at first, as a fraction.
TRIM_BAND = 0.02
#: Ω of the meter and of the resistor with which volts to earth are read.
METER_OHM, SHUNT_OHM = 10e6, 100e3
#: At the end of a place that is read with the mains plug the other way round.
TURNED = "-turned"
#: Seconds a bare power part stands its loss before its sink is on: J/K of its own, K that it may rise.
BARE_J_K, BARE_RISE_K = 1.5, 60.0


class PowerUpResult(Struct, frozen=True):
    """A step with its latest reading; `earlier` says that it was measured against another expectation."""

    step: PowerUpStep
    reading: Reading | None
    verdict: Verdict
    earlier: bool = False


@remembered(kept=8)
def power_up_steps(job: Job) -> list[PowerUpStep]:
    """The steps of a design, in order; empty for a path that does not join up or has no source."""
    if problems(job.design, job.stock):
        return []
    if not any(isinstance(x, UnitLink) for x in job.design.links):
        return _of_a_finished_one(job)
    try:
        idle = solve(build(job), {o.id: 0.0 for o in job.design.outputs()}, as_set=True)
    except UserError:
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


def _of_a_finished_one(job: Job) -> list[PowerUpStep]:
    """Volts to earth of a supply that is known by its readings; before a load only where it was worked on."""
    if job.nameplate is None:
        return []
    worked_on = job.nameplate.made != "bought"
    return [replace(step, hold=step.hold and worked_on) for step in _to_earth(job)]


def power_up_results(
    job: Job, readings: Sequence[Reading], job_of: Callable[[Reading], Job | None] | None = None
) -> list[PowerUpResult]:
    """Every step judged by its latest reading.

    `job_of` tells the job as it stood when a reading was taken: where its step expected something else
    then, the reading is marked as measured against an earlier design. It stays a fact, judged anew here.
    """
    live, steps = counting(readings), power_up_steps(job)
    wanted = {(step.place, step.quantity) for step in steps}
    # Of all that was read only the latest of a step's own place tells.
    latest = {at: r for r in live if (at := (r.place, r.quantity)) in wanted}
    before: dict[int, dict[str, PowerUpStep]] = {}
    found = []
    for step in steps:
        if step.band is None:
            done = step.id in job.assembly.looked_over
            found.append(PowerUpResult(step, None, Verdict.CONFORMS if done else Verdict.NOT_MEASURED))
            continue
        reading, earlier = latest.get((step.place, step.quantity)), False
        if reading is None:
            found.append(PowerUpResult(step, None, Verdict.NOT_MEASURED))
            continue
        then = job_of(reading) if job_of else None
        if then is not None and then is not job:
            known = before.setdefault(id(then), {s.id: s for s in power_up_steps(then)})
            earlier = step.id not in known or known[step.id].band != step.band
        found.append(PowerUpResult(step, reading, _verdict_of(job, live, step, reading, step.band), earlier))
    return found


def _verdict_of(
    job: Job, live: Sequence[Reading], step: PowerUpStep, reading: Reading, band: Band
) -> Verdict:
    """The verdict on a step's latest reading; what can't be worked out from it lifts no hold."""

    def judged() -> Verdict:
        verdict = judge(interval_of(reading), band)
        return _touch_verdict(job, live, step, verdict) if step.id.startswith("earth-loaded") else verdict

    return guarded(step.title, judged, lambda _: Verdict.TOO_CLOSE)


def touches(job: Job, readings: Sequence[Reading]) -> list[Leakage]:
    """The touch current of every pair of readings to earth, open and loaded, in the order taken.

    Both positions of the plug count. Two pairs compare: with and without a filter's capacitor, or before and
    after a bond; the newest of its place decides.
    """
    live = counting(readings)
    found = [leak for place in _pair_places(job) for leak in _pairs(job, live, place)]
    return [leak for leak in found if leak is not None]


def newest_touches(job: Job, readings: Sequence[Reading]) -> list[Leakage | None]:
    """The touch current of the newest pair at each place and plug position; None for one that can't be."""
    live = counting(readings)
    return [found[-1] for place in _pair_places(job) if (found := _pairs(job, live, place))]


def _pair_places(job: Job) -> list[str]:
    return [f"wake-{o.id}-earth-{{}}{turned}" for o in job.design.outputs() for turned in ("", TURNED)]


def touch_class(job: Job) -> str:
    """Which limit of touch current holds: of earthed equipment, or of double-insulated (the smaller).

    Anything of metal that is earthed makes it the former: a case of a source, or the box.
    """
    sources = [job.part(x.part) for x in job.design.links if isinstance(x, UnitLink)]
    cased = any(isinstance(p, SourcePart) and (p.metal_case or p.common_earthed) for p in sources)
    metal = job.settings.box is not None and job.settings.box.metal
    return "earthed" if cased or metal else "class II"


def _pairs(job: Job, live: Sequence[Reading], place: str) -> list[Leakage | None]:
    """Touch currents of the pairs at one place; None for a pair that can't be one."""
    limit, mains_Hz = LIMIT_A[touch_class(job)], job.settings.mains_Hz
    found: list[Leakage | None] = []
    for a, b in _open_and_loaded(live, place):
        ends = [interval_of(r) for r in (a, b)]
        known = tuple(e.half_width for e in ends if e is not None)
        widths = known if len(known) == len(ends) else None
        made = partial(leakage, a.value, METER_OHM, b.value, SHUNT_OHM, mains_Hz, limit, half_widths=widths)
        found.append(guarded("The touch current", made, lambda _: None))
    return found


def _open_and_loaded(live: Sequence[Reading], place: str) -> list[tuple[Reading, Reading]]:
    """Each loaded reading with the open one that was taken last before it, or first behind it."""
    names = {place.format("open"): "open", place.format("loaded"): "loaded"}
    pairs: list[tuple[Reading, Reading]] = []
    opened: Reading | None = None
    alone: Reading | None = None
    for r in live:
        kind = names.get(r.place) if r.quantity == "V" else None
        if kind == "open":
            opened = r
            if alone is not None:
                pairs.append((r, alone))
                alone = None
        elif kind == "loaded" and opened is not None:
            pairs.append((opened, r))
        elif kind == "loaded":
            alone = r
    return pairs


def _touch_verdict(job: Job, live: Sequence[Reading], step: PowerUpStep, otherwise: Verdict) -> Verdict:
    """That of the newest pair at a step; a loaded reading that is not below its open one is a miss."""
    found = _pairs(job, live, step.place.replace("loaded", "{}"))
    if not found:
        return otherwise
    return worst([otherwise, Verdict.NONCONFORMING if found[-1] is None else found[-1].verdict])


def _look_over(job: Job) -> PowerUpStep:
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
    return PowerUpStep(
        "look", "Look it over", "Unplugged: " + "; ".join(looks) + ".", "everywhere", "", "V", None, None,
        "Anything that you are not sure of.",
    )  # fmt: skip


def _sources(job: Job) -> Iterator[PowerUpStep]:
    """Each source alone, nothing behind it joined."""
    enabled = set[str]()
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(link, UnitLink) or not isinstance(part, SourcePart):
            continue
        alone = part.alone(link) or _as_solved(job, link, part)
        do = "Everything behind it disconnected. "
        do += f"First power: {stands_before(job, part)} {_switched_on(job, link, alone)}"
        if part.id not in enabled:
            yield from part.enabling(link)
            enabled.add(part.id)
        yield PowerUpStep(
            f"alone-{link.id}", f"{link.name} alone", do, f"{link.name} + to −",
            f"wake-{link.id}", "V", Band.around(alone.volts, alone.share), alone.volts, STOP, link.id, True,
        )  # fmt: skip


def _switched_on(job: Job, link: UnitLink, alone: Alone) -> str:
    """How a source is switched on alone: by what holds its enable line, where that is named."""
    held = job.part(link.enable)
    return f"Its enable line held by {held.name}, to its own common only." if held else alone.switched_on


def stands_before(job: Job, part: SourcePart) -> str:
    """What stands before a source at first power, as far as it can: a bench supply feeds no mains side."""
    limiter = job.assembly.limiter
    if not part.wired_to_mains:
        return "it has no mains side of yours; a limiter stands behind it, before what it feeds."
    if limiter == "bench_limiter":
        return (
            "a bench supply can't stand before its mains side; a lamp in series can. Without one, only "
            "behind a residual-current device, at arm's length, with nothing behind it."
        )
    return f"with {LIMITERS[limiter].partition(':')[0]} before it."


def _as_solved(job: Job, link: UnitLink, part: SourcePart) -> Alone:
    """What a source gives alone by the network."""
    idle = solve(build(job), {}, as_set=True)[link.id]
    return Alone(float(idle.V), part.strays, "Switch on; a reservoir stays charged afterwards.")


def _stack_steps(job: Job, idle: Solution) -> Iterator[PowerUpStep]:
    for link in job.design.links:
        if not isinstance(link, UnitLink) or not link.fed_by:
            continue
        bottom = job.design.path_to(link.id)[0]
        volts = float(idle[link.id].V)
        yield PowerUpStep(
            f"stack-{link.id}", f"Stack up to {link.name}",
            f"{link.name} joined onto {job.design.link(link.fed_by).name}, still nothing behind.",
            f"{bottom.name} − to {link.name} +", f"wake-stack-{link.id}", "V",
            Band.around(volts, UNIT_BAND), volts,
            "One unit's volts only: a unit is off, shorted or its joint is open. Switch off.", link.id, True,
        )  # fmt: skip


def _converters(job: Job, idle: Solution) -> Iterator[PowerUpStep]:
    """Each converter with its outputs disconnected; its trim is set before anything is connected."""
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(link, ConverterLink) or not isinstance(part, ConverterPart):
            continue
        volts = float(np.nan_to_num(idle[link.id].V_in))
        yield PowerUpStep(
            f"in-{link.id}", f"{link.name}: its input", "Its input joined, its output free.",
            f"{link.name} in + to in −", f"wake-in-{link.id}", "V",
            Band.around(volts, _source_band(job, link)), volts,
            f"Above {show(part.in_max_V, 'V')}, or below zero: switch off at once.", link.id, True,
        )  # fmt: skip
        aim, why = _aimed(job, link)
        turn = _turn(part)
        yield PowerUpStep(
            f"trim-{link.id}", f"{link.name}: its trim", f"Turn it to {show(aim, 'V', 4)}{why}.{turn}",
            f"{link.name} out + to out −, nothing connected", f"wake-trim-{link.id}", "V",
            Band.around(aim, TRIM_BAND), aim,
            "It does not follow, or stands at its input's volts: nothing may be connected. Switch off.",
            link.id, True,
        )  # fmt: skip


def _source_band(job: Job, link: Link) -> float:
    """How far the volts that feed a link may stray: a mains transformer's follow the mains."""
    feeders = [job.part(x.part) for x in job.design.path_to(link.id)[:-1]]
    if any(isinstance(p, ConverterPart) for p in feeders):
        return UNIT_BAND
    return max((p.strays for p in feeders if isinstance(p, SourcePart)), default=UNIT_BAND)


def _aimed(job: Job, link: ConverterLink) -> tuple[float, str]:
    """What a converter is trimmed to: as set, or raised where its output is aimed at the far end."""
    for output in job.design.outputs():
        if output.aim == "far_end" and (found := trim(job, output)) and found.converter == link.id:
            most = connected(job, output).highest_V
            over = most is not None and found.no_load_V > most
            harm = f"; {output.name}'s device stands {show(most, 'V')} only" if over else ""
            return found.set_V, f", raised for the drop to the far end of {output.name} at full load{harm}"
    return link.set_V, ""


def _turn(part: ConverterPart) -> str:
    """Which way a trim turns and how far, where its divider is known."""
    if part.feedback is None or not part.feedback.pot_ohm:
        return " Try a quarter turn first: see which way is up."
    turn = per_turn_V(part.feedback.span())
    return f" A ten-turn trim moves it about {show(turn, 'V', 2)} a turn."


def _outlets(job: Job, idle: Solution) -> Iterator[PowerUpStep]:
    for output in job.design.outputs():
        volts = float(np.nan_to_num(idle[output.id].V))
        device = connected(job, output)
        low, high = Band.around(volts, max(output.tolerance, TRIM_BAND)).ends
        high = min(high, device.highest_V or high)
        yield PowerUpStep(
            f"outlet-{output.id}", f"{output.name}: its outlet",
            "All joined, nothing plugged in. Red probe where the plus of the plug will be.",
            f"{output.name} + to −", f"wake-{output.id}", "V", Band(low, high), volts,
            "Below zero: crossed. Above its device's volts: don't plug it in.", output.id, True,
        )  # fmt: skip


def _meters_and_fans(job: Job, idle: Solution) -> Iterator[PowerUpStep]:
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(link, MeterLink) and isinstance(part, InlineMeter):
            volts = float(np.nan_to_num(idle[link.id].V))
            half = part.volts.half_width(volts) + 0.01 * volts
            yield PowerUpStep(
                f"meter-{link.id}", f"{link.name}: what it shows", "Read its display beside your own meter.",
                f"display of {link.name}", f"wake-{link.id}", "V", Band(volts - half, volts + half), volts,
                "Dark, or jumping: its supply or its common is wrong.", link.id,
            )  # fmt: skip
        if isinstance(link, FanLink) and link.control != "always":
            yield PowerUpStep(
                f"fan-{link.id}", f"{link.name}: it comes on", "Warm its sensor by hand or a hair dryer.",
                "sensor, when the fan starts", f"wake-{link.id}", "C",
                Band(link.on_C - 5, link.on_C + 5), link.on_C, "It does not start: don't load the supply.",
                link.id,
            )  # fmt: skip


def _to_earth(job: Job) -> Iterator[PowerUpStep]:
    """Volts to earth of each floating common: open, then across a resistor of 100 kΩ."""
    groups = outputs_by_common(job) or [[o] for o in job.design.outputs()]
    floating = [group[0] for group in groups if not bonded(job, group[0].id)]
    for k, output in enumerate(floating):
        yield from _output_to_earth(job, output, "" if k == 0 else f"-{output.id}")


def _output_to_earth(job: Job, output: OutputLink, own: str) -> Iterator[PowerUpStep]:
    several = sum(x.kind == "unit" for x in job.design.links) > 1
    every = "every unit plugged in" if several else "plugged in"
    of = f", {output.name}" if own else ""
    for turned, title, do in (
        ("", "", f"AC range, meter alone, {every}: leaks add up."),
        (
            TURNED,
            ", plug turned",
            "The mains plug the other way round; where it goes in one way only, again.",
        ),
    ):
        yield PowerUpStep(
            f"earth-open{own}{turned}", f"Volts to earth, open{of}{title}", do,
            f"{output.name} − to earth pin, AC", f"wake-{output.id}-earth-open{turned}", "V",
            Band(0.0, job.settings.mains_V * 0.6), None, "Close to the mains: treat it as live.", output.id,
        )  # fmt: skip
        yield PowerUpStep(
            f"earth-loaded{own}{turned}", f"Volts to earth, loaded{of}{title}",
            "The same with 100 kΩ across the meter.",
            f"{output.name} − to earth pin, 100 kΩ, AC", f"wake-{output.id}-earth-loaded{turned}", "V",
            Band(0.0, job.settings.mains_V * 0.1), None,
            "As high as open: not a filter's leak but a connection. Unplug.", output.id, True,
        )  # fmt: skip


@remembered("design", "stock", "policy", "settings", kept=8)
def bare_seconds(job: Job) -> Mapping[str, float]:
    """Seconds that each converter may run at full load before its sink is on, by link id: a rule of thumb."""
    try:
        solution = solve(build(job), full_load(job), as_set=True)
    except UserError:
        return {}
    found = {}
    for link in job.design.links:
        if isinstance(link, ConverterLink):
            loss = float(np.nan_to_num(solution[link.id].loss))
            if loss > 0.2:
                found[link.id] = BARE_J_K * BARE_RISE_K / loss
    return MappingProxyType(found)
