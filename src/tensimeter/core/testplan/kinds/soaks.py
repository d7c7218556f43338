"""Soak and endurance: heat as a first-class measurement, with a forecast, and failure as a result."""

import numpy as np

from tensimeter.core.circuit.load_line import load_line
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.heat_design.fanned import SENSOR_K
from tensimeter.core.heat_design.measuring_points import Scenario, measuring_points, thermometer
from tensimeter.core.heatup.soak_state import SoakState
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.model.heat_tests import Endurance, Soak
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.dissipation import hot_part_of
from tensimeter.core.rating.fan_cooling import resting_speed
from tensimeter.core.testplan.equipment import beside_A, beside_words
from tensimeter.core.testplan.kinds.heat_kind import HeatKind, watchable
from tensimeter.core.testplan.soak.estimation import state_at, state_of
from tensimeter.core.testplan.soak.identified import Shown, shown
from tensimeter.core.testplan.soak.run import (
    FIRST_SCANS,
    SoakRun,
    amps_of,
    described_link,
    place_of,
    soak_runs,
)
from tensimeter.core.testplan.step import Facts, Finding, Plan, Situation, Step, predicted, slug
from tensimeter.core.thermal.derating import allowed_at
from tensimeter.core.thermal.rc_ladder import Fitted

#: A room as warm as a shed in summer, and the share of a sink that a year's dust takes: rules of thumb.
WARM_ROOM_C, DUST = 35.0, 0.2


class SoakKind(HeatKind[Soak]):
    """Held at its load until it is steady."""

    record = Soak
    name = "soak"
    standard = ""
    method = (
        "A part load, then full load held; temperatures are read all along and forecast, until they stand."
    )
    by_time = True

    def fits(self, output: OutputLink) -> bool:
        return True

    def steps(self, s: Situation, test: Soak) -> list[Step]:
        amps = s.amps(test.stages)
        others = (o for o in test.others if o != test.output)
        beside = beside_A(s.job, {o: s.job.output(o).full_load_A for o in others})
        line = load_line(s.job, s.output.id, amps, others=beside) if beside else s.line(amps)
        found = []
        for k, a in enumerate(amps):
            last = k == len(amps) - 1
            hold = test.hold_s if last else test.part_s
            title = f"{show(float(a), 'A', 3)} for {_time(hold)}"
            found.append(
                Step(
                    float(a), predicted(line, k), s.band, title, hold_s=hold, every_s=test.every_s,
                    others=tuple(beside.items()), also=tuple((o, "A") for o in beside),
                )
            )  # fmt: skip
        return found

    def unreachable(self, job: Job, test: Soak) -> list[str]:
        found = []
        for output in (job.output(o) for o in test.others):
            found += beside_words(job, output, output.full_load_A)
        return found

    def findings(self, facts: Facts, test: Soak) -> list[Finding]:
        runs = soak_runs(facts.readings, facts.plan.output.id)
        if not runs:
            return []
        latest = runs[-1]
        state = facts.soak if facts.running else state_at(facts.job, facts.plan, latest)
        found = _failure(facts, latest)
        found += _hottest(facts.job, latest)
        if state is None:
            return [_too_few(facts, latest), *found]
        foretold = _forecast(state, failed=bool(found and found[0].verdict))
        foretold += _derated(facts.job, state, max((s.set_A for s in facts.plan.steps), default=0.0))
        known = None if facts.running else shown(facts.job, facts.plan, latest)
        if known is None:
            return [*foretold, *found]
        cooler, stages = _cooler(known, state), [*_stages(known.fit), *_elsewhere(known)]
        # What cools it matters first where it is too hot.
        after = [*found, *stages, *cooler] if state.call == "stays below" else [*cooler, *found, *stages]
        return [*foretold, *after]

    def planned(self, job: Job, output: OutputLink) -> list[Soak]:
        link = watchable(job, output)
        return [Soak(id="x", output=output.id, link=link)] if link else []

    def blind(self, job: Job, plan: Plan) -> str:
        if described_link(job, plan) is not None:
            return ""
        return " No junction is estimated: give the converter K/W of its switch and sink in Stock."

    def state_words(self, facts: Facts) -> str:
        state = facts.soak if facts.running else state_of(facts)
        return state.sentence if state is not None else ""


class EnduranceKind(SoakKind):
    """Held for hours, with every interruption on record."""

    record = Endurance
    name = "endurance"
    method = "Hours at one load; every interruption and failure stays on record."

    def findings(self, facts: Facts, test: Soak) -> list[Finding]:
        runs = soak_runs(facts.readings, facts.plan.output.id)
        return [*_record(facts, runs), *super().findings(facts, test)]

    def planned(self, job: Job, output: OutputLink) -> list[Soak]:
        return []


def _time(seconds: float) -> str:
    return f"{seconds / 3600:.3g} h" if seconds >= 5400 else f"{seconds / 60:.3g} min"


def _too_few(facts: Facts, run: SoakRun) -> Finding:
    """Before a forecast is possible nothing of the heat is known, whatever the volts are."""
    place = place_of(facts.job, facts.plan, run)
    count = len(run.track(place)[0]) if place is not None else 0
    text = f"{count} of {FIRST_SCANS} readings that a forecast takes"
    return Finding("where_it_ends", "where it ends", text=text, verdict=Verdict.NOT_MEASURED)


def _forecast(state: SoakState, *, failed: bool) -> list[Finding]:
    """Where it ends, whether that is allowed, and how long it takes to know."""
    what = "junction, in the end" if state.on_spot else f"{state.place_name}, in the end"
    band = Band(None, state.limit_C)
    verdict = judge(state.spot.final, band)
    if verdict is Verdict.CONFORMS and not state.proven:
        # A forecast alone proves nothing: the time must have been held too.
        verdict = Verdict.NOT_MEASURED
    if failed:
        verdict = Verdict.NONCONFORMING
    final = state.spot.final
    if not np.isfinite(final.high):
        # What nothing bounds is told in words: a figure would claim an end.
        text = f"{show(final.low, 'C', 3)} or more; the readings know no end yet"
        return [Finding("end", what, text=text, verdict=verdict, allowed=band, worked=_why(state))]
    found = [
        Finding("end", what, "C", final, f"{state.call}, by {state.ground}", verdict, band, _why(state)),
        Finding(
            "end_at_place", f"{state.place_name}, in the end", "C", state.measured.final, worked=_why(state)
        ),
        Finding("slow_time_constant", "slow time constant", "s", state.measured.time_constant),
        Finding(
            "still_to_come",
            "still to come",
            "K",
            state.measured.remaining,
            "steady" if state.steady else "not steady",
        ),
    ]
    minutes = state.minutes_to_limit
    if minutes is not None and state.call != "stays below":
        late = f"{minutes.high:.0f} min" if np.isfinite(minutes.high) else "never"
        middle = f"{minutes.value:.0f} min" if np.isfinite(minutes.value) else "perhaps never"
        found.append(
            Finding("to_the_limit", "to the limit", text=f"{middle}, from {minutes.low:.0f} min to {late}")
        )
    if state.runaway:
        found.append(
            Finding(
                "runs_away",
                "runs away",
                text="its slope grows and keeps growing",
                verdict=Verdict.NONCONFORMING,
            )
        )
    return found if state.on_spot else [found[0], *found[2:]]


def _derated(job: Job, state: SoakState, amps: float) -> list[Finding]:
    """How far into its derating curve the watched part is at its hottest, where its card states one."""
    hot = hot_part_of(job, job.design.link(state.link)) if state.link else None
    final = state.spot.final
    if hot is None or len(hot.derating) < 2 or not state.on_spot:
        return []
    curve, amps = [(point.hot_C, point.amps) for point in hot.derating], amps * hot.current_share
    least, middle, most = allowed_at(curve, np.array([final.high, final.value, final.low])).tolist()
    if least <= 0:
        return [Finding("derating", "derating", text=f"nothing is allowed over {show(curve[-1][0], 'C', 3)}")]
    band, share = Band(None, 1.0), Interval(*(amps / a for a in (middle, most, least)))
    text = f"{show(amps, 'A', 3)} of {show(middle, 'A', 3)}"
    given = (
        Input("I", "the test's largest load", amps, "A"),
        Input("T", "junction in the end, by the forecast", final.value, "C"),
        Input("I_T", "allowed there, by the part's curve", middle, "A"),
    )
    assumed = ("straight between two points of the curve", "the interval is that of T alone")
    worked = Derivation(
        "Share of the derated current",
        "I / I_T",
        given,
        share.value,
        "%",
        assumed,
        "Derating curve of the part's card",
        (share.low, share.high),
    )
    return [Finding("derating_used", "derating, used", "%", share, text, judge(share, band), band, worked)]


def _why(state: SoakState) -> Derivation:
    """Where the forecast comes from."""
    measured, final = state.measured, state.spot.final
    given = (
        Input("T_end", f"{state.place_name} in the end, fitted", measured.final.value, "C"),
        Input("to come", "of it, from now on", measured.remaining.value, "K"),
        Input("τ", "slow time constant", measured.time_constant.value, "s"),
        Input("P·θ", "junction above the place, by the part and its mounting", state.above_K, "K"),
        Input("T_room", "as read", state.room_C, "C"),
    )
    assumed = (
        f"rests on the {state.ground}; time constants by evidence: {measured.order}",
        "the thermometer's offset and how far θ and P stray are in the interval",
        "heat and room stay as they are now",
        *([f"{state.fan}, within {SENSOR_K:.0f} K, as the design says"] if state.fan else []),
    )
    return Derivation(
        "Where it ends",
        "T = T_end + P·θ, T_end from T(t) = T_end − a·e^(−t/τ) − b·e^(−t/τ_fast)",
        given,
        final.value,
        "C",
        assumed,
        "One- and two-exponential heat-up, by Bayesian fit",
        (final.low, final.high) if np.isfinite(final.high) else None,
    )


def _hottest(job: Job, run: SoakRun) -> list[Finding]:
    """The hottest that each place was read."""
    names, found = measuring_points(job), []
    accuracy = thermometer(job).accuracy_K
    for place in run.celsius:
        _, celsius = run.track(place)
        if len(celsius):
            top = float(celsius.max())
            value = Interval(top, top - accuracy, top + accuracy)
            found.append(
                Finding(f"hottest_read:{place}", f"{names.get(place, place)}, hottest read", "C", value)
            )
    return found


def _failure(facts: Facts, run: SoakRun) -> list[Finding]:
    """A run whose output was gone at its end: when, the last readings, what was foretold, suspected."""
    if not run.ended_by_itself or facts.running:
        return []
    names = measuring_points(facts.job)
    minutes = run.time_s[-1] / 60
    ends = {p: v[-1] for p in run.celsius if len(v := run.track(p)[1])}
    last = ", ".join(f"{names.get(p, p)} {show(float(v), 'C', 3)}" for p, v in ends.items())
    at = show(amps_of(facts.plan, run)[-1], "A", 3)
    text = f"after {minutes:.0f} min at {at}; last read: {last}"
    found = [Finding("output_gone", "output gone", text=text, verdict=Verdict.NONCONFORMING)]
    state = state_at(facts.job, facts.plan, run.until(run.time_s[-1] / 5))
    if state is not None:
        share = f"{100 * state.chance:.0f} %"
        found.append(
            Finding(
                "foretold_at_a_fifth",
                "foretold at a fifth",
                text=f"{state.call}: chance {share}, by {state.ground}",
            )
        )
        if state.link is not None:
            suspect = facts.job.design.link(state.link).name
            found.append(Finding("suspected", "suspected", text=f"the switch of {suspect}, or its mounting"))
    return found


def _stages(fit: Fitted) -> list[Finding]:
    """θ and C of the stages as read, beside the design's."""
    found = []
    for place in fit.stages.places:
        # Without a probe at the case nothing was seen of what lies before its sink.
        if place == "case" and place not in fit.read:
            continue
        outwards = {"case": "case to sink", "sink": "sink to air", "air": "air to room"}[place]
        text = f"design {show(fit.design.theta_K_W[place], '', 3)} K/W"
        found.append(Finding(f"theta:{place}", f"θ {outwards}", "K/W", fit.theta(place), text))
        text = f"design {show(fit.design.capacity_J_K[place], '', 3)} J/K"
        found.append(Finding(f"capacity:{place}", f"C of {place}", "J/K", fit.capacity(place), text))
    return found


def _elsewhere(known: Shown) -> list[Finding]:
    """The junction in a warmer room, with dust, its lid open, its fan on: by the fitted stages."""
    here, part = known.room_C, known.part
    asked = [
        (f"in a room of {WARM_ROOM_C:.0f} °C", Scenario(WARM_ROOM_C)),
        (f"with dust, {100 * DUST:.0f} % of the sink lost", Scenario(here, dust=DUST)),
        ("at three quarters of this heat", Scenario(here, 0.75)),
    ]
    if "air" in known.fit.stages.theta_K_W:
        asked.append(("with its lid open", Scenario(here, lid_open=True)))
    sink = part.sink
    if sink is not None and sink.blown_K_W and sink.still_K_W and not resting_speed(known.job):
        blown = sink.blown_K_W / sink.still_K_W
        asked.append(("with its fan at full speed", Scenario(here, sink_share=blown)))
    band = Band(None, known.limit_C)
    ends = [(words, known.junction(scenario)) for words, scenario in asked]
    return [
        Finding(f"junction:{slug(words)}", f"junction {words}", "C", end, judge(end, band).words)
        for words, end in ends
    ]


def _cooler(known: Shown, state: SoakState | None) -> list[Finding]:
    """What would make the junction cooler, ranked by what it buys; from where the forecast sees it end."""
    band = Band(None, known.limit_C)
    found = []
    start = state.spot.final.value if state is not None and state.on_spot else np.nan
    for remedy, spread in known.remedies():
        moved = start - (remedy.hottest_C + remedy.buys_K) if np.isfinite(start) else 0.0
        ends = Interval(*(x + moved for x in (spread.value, spread.low, spread.high)))
        text = f"by {show(remedy.buys_K, 'K', 2)}, {judge(ends, band).words}"
        found.append(Finding(f"cooler:{slug(remedy.what)}", f"cooler with {remedy.what}", "C", ends, text))
    return found


def _record(facts: Facts, runs: list[SoakRun]) -> list[Finding]:
    """Hours at load at which ambient, and what interrupted them."""
    if not runs:
        return []
    hours = sum(float(r.time_s[-1]) for r in runs) / 3600
    rooms = [float(v) for r in runs for v in r.track("ambient")[1]]
    at = f", room {min(rooms):.0f} to {max(rooms):.0f} °C" if rooms else ""
    broken = sum(r.ended_by_itself for r in runs)
    stops = len(runs) - 1
    text = f"{hours:.2f} h at {show(amps_of(facts.plan, runs[-1])[-1], 'A', 3)}{at}"
    kept = f"{stops} interruption{'' if stops == 1 else 's'}, {broken} failure{'' if broken == 1 else 's'}"
    return [Finding("held", "held", text=text), Finding("record", "record", text=kept)]
