"""Tests of what keeps a supply cool and what saves it: fan, sensor, protection against heat."""

import numpy as np

from tensimeter.core.analysis.calibration import calibrated, hottest
from tensimeter.core.arrays import Array
from tensimeter.core.design.reach import adjustable, volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.fanned import seen_turns
from tensimeter.core.heat_design.measuring_points import measuring_points, thermometer
from tensimeter.core.heatup.turning_points import Acted, acted, acted_at, swinging, thresholds
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.model.heat_tests import FanTest, OverTemperature, SensorCheck
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.path import FanLink, OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.equipment import sunk_A
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.kinds.heat_kind import HeatKind, watchable
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.soak.run import SoakRun, place_of, soak_runs
from tensimeter.core.testplan.step import FAN, OPEN, Facts, Finding, Outcome, Situation, Step, predicted

#: Volts above which it runs.
RUNS_V = 1.0
#: How far two readings of one thermometer soon after one another differ by: a share of its accuracy.
SAME_THERMOMETER = 0.25


class FanKind(HeatKind[FanTest]):
    """When the fan comes on, goes off, and what it takes away."""

    record = FanTest
    name = "fan"
    standard = ""
    method = "Idle, half and full load held while sink and fan are read; loudness is typed, as fan 34dB."

    def steps(self, s: Situation, test: FanTest) -> list[Step]:
        amps = s.amps(test.stages)
        line = s.line(amps)
        found = [
            Step(
                float(a),
                predicted(line, k),
                s.band,
                f"{show(float(a), 'A', 3)} held" if a else "idle",
                hold_s=test.hold_s,
                every_s=test.every_s,
                also=((FAN, "dB"),),
            )
            for k, a in enumerate(amps)
        ]
        return [*found, *_worst_place(s, test)]

    def findings(self, facts: Facts, test: FanTest) -> list[Finding]:
        runs = soak_runs(facts.readings, facts.plan.output.id)
        found = _loudness(facts, test)
        if not runs:
            return found
        run, accuracy = runs[-1], thermometer(facts.job).accuracy_K
        place = _sink_of(facts, run)
        if place is None:
            return found
        t, celsius = run.track(place)
        if not len(t):
            return found
        swings = swinging(t, celsius)
        running = _running(facts, run, t)
        seen, how = _by_turns(*seen_turns(t, celsius, run.steps_s), accuracy), "by the sink's turns"
        if running is not None:
            by_fan = thresholds(celsius, running > RUNS_V, accuracy)
            seen, how = (by_fan.on_C, by_fan.off_C), "by its volts"
        link = next((x for x in facts.job.design.links if isinstance(x, FanLink)), None)
        for key, value, name, set_C in (
            ("on", seen[0], "comes on at", link.on_C if link else None),
            ("off", seen[1], "goes off at", link.off_C if link else None),
        ):
            said = f"{how}; design {set_C:.0f} °C" if set_C is not None else how
            if value is not None:
                found.append(Finding(key, name, "C", value, said))
        if swings.hunts:
            text = f"up and down every {show(swings.period_s or 0, 's', 3)}, {len(swings.tops_s)} times"
            found.append(Finding("hunts", "hunts", text=text, verdict=Verdict.NONCONFORMING))
        elif len(t) > 20:
            found.append(Finding("hunts", "hunts", text="no", verdict=Verdict.CONFORMS))
        return found + _in_time(test, seen[0], float(celsius.max()), accuracy)

    def planned(self, job: Job, output: OutputLink) -> list[FanTest]:
        fitted = any(isinstance(x, FanLink) for x in job.design.links)
        return [FanTest(id="x", output=output.id)] if fitted and watchable(job, output) else []

    def heat_mark(self, test: FanTest) -> tuple[float, str] | None:
        return (test.on_by_C, "sink, fan on by") if test.on_by_C else None


def _sink_of(facts: Facts, run: SoakRun) -> str | None:
    """The place that a fan's sensor feels: the watched part's sink, else the place that is read."""
    place = place_of(facts.job, facts.plan, run)
    sinks = [f"{place.removesuffix('-case')}-sink" if place else "", "sink"]
    return next((p for p in sinks if len(run.track(p)[0])), place)


def _in_time(test: FanTest, on: Interval | None, hottest_C: float, accuracy_K: float) -> list[Finding]:
    """Whether the fan came on by the temperature that is asked."""
    if test.on_by_C is None:
        return []
    band = Band(None, test.on_by_C)
    if on is not None:
        return [Finding("on_in_time", "on in time", "C", on, "", judge(on, band), band)]
    missed = hottest_C - accuracy_K > test.on_by_C
    text = f"not seen to come on up to {hottest_C:.0f} °C"
    verdict = Verdict.NONCONFORMING if missed else Verdict.NOT_MEASURED
    return [Finding("on_in_time", "on in time", text=text, verdict=verdict, allowed=band)]


def _worst_place(s: Situation, test: FanTest) -> list[Step]:
    """Low volts at full current, where a linear stage loses most."""
    try:
        link = adjustable(s.job, s.output.id)
        low, _ = volts_span(s.job, s.output.id)
    except UserError:
        return []
    part = s.job.part(link.part)
    if not isinstance(part, ConverterPart) or part.topology != "linear" or not s.output.adjustable:
        return []
    return [
        Step(
            sunk_A(s.job, s.output, s.most_A, low),
            None,
            Band.around(low, s.output.tolerance),
            f"{show(low, 'V', 3)}, where most is lost",
            trim_V=low,
            hold_s=test.hold_s,
            every_s=test.every_s,
            also=((FAN, "dB"),),
        )
    ]


def _running(facts: Facts, run: SoakRun, t: Array) -> Array | None:
    """The fan's volts at times of a run, held from one reading to the next; None where they were not read."""
    read = [(r.at - run.at, r.value) for r in facts.readings if r.place == FAN and r.quantity == "V"]
    if len(read) < 2:
        return None
    at, volts = np.array(sorted(read)).T
    return np.asarray(volts[np.clip(np.searchsorted(at, t, side="right") - 1, 0, len(at) - 1)])


def _by_turns(tops: Array, bottoms: Array, accuracy: float) -> tuple[Interval | None, Interval | None]:
    def around(x: Array) -> Interval | None:
        if not len(x):
            return None
        return Interval(float(np.median(x)), float(x.min()) - accuracy, float(x.max()) + accuracy)

    return around(tops), around(bottoms)


def _loudness(facts: Facts, test: FanTest) -> list[Finding]:
    found = []
    for step in facts.plan.steps:
        loud = facts.interval(step.index, "dB", FAN)
        if loud is None:
            continue
        band = Band(None, test.quiet_dB) if step.set_A == 0 and test.quiet_dB else None
        verdict = judge(loud, band) if band else None
        found.append(
            Finding(f"loudness:{step.index}", f"loudness, {step.title}", "dB", loud, "", verdict, band)
        )
    return found


class OverTemperatureKind(HeatKind[OverTemperature]):
    """At what heat it switches off, and back on."""

    record = OverTemperature
    name = "over-temperature"
    standard = "over-temperature protection"
    method = "Full load held until the supply's own protection acts; then what it does by itself."

    def steps(self, s: Situation, test: OverTemperature) -> list[Step]:
        title = f"{show(s.most_A, 'A', 3)} until it acts"
        return [Step(s.most_A, None, OPEN, title, hold_s=test.hold_s, every_s=test.every_s, may_trip=True)]

    def findings(self, facts: Facts, test: OverTemperature) -> list[Finding]:
        runs = soak_runs(facts.readings, facts.plan.output.id)
        if not runs:
            return []
        run = runs[-1]
        what = acted(run.time_s, run.gone)
        place = place_of(facts.job, facts.plan, run)
        if what is None:
            return [_did_not_act(facts, test, run, place)]
        found = []
        between = ""
        if place is not None:
            t, celsius = run.track(place)
            since = celsius[t >= what.at_s]
            if len(since):
                between = f" between {since.min():.0f} and {since.max():.0f} °C"
            probe = thermometer(facts.job)
            of_probe = (probe.accuracy_K, probe.lag_s)
            acts = acted_at(t, celsius, what.at_s, float(t[0]), *of_probe, rising=True)
            band = Band(None, test.below_C) if test.below_C else None
            name = measuring_points(facts.job).get(place, place)
            verdict = judge(acts, band) if acts and band else None
            text = "" if acts else "read too seldom before it acted"
            found.append(Finding("acts", f"acts, {name} at", "C", acts, text, verdict, band))
            if what.back_s is not None:
                back_at = what.at_s + what.back_s
                back = acted_at(t, celsius, back_at, what.at_s, *of_probe, rising=False)
                found += [Finding("comes_back_at", "comes back at", "C", back)] if back else []
        return [*found, _afterwards(facts, what, between)]

    def planned(self, job: Job, output: OutputLink) -> list[OverTemperature]:
        return []

    def hottest_C(self, job: Job, test: OverTemperature) -> float:
        return test.most_C

    def heat_mark(self, test: OverTemperature) -> tuple[float, str] | None:
        return (test.below_C, "must have acted by") if test.below_C else None


def _did_not_act(facts: Facts, test: OverTemperature, run: SoakRun, place: str | None) -> Finding:
    """A protection that was never seen: it misses once the place was surely past its mark."""
    top = float(run.track(place)[1].max(initial=-np.inf)) if place is not None else -np.inf
    most = min(test.below_C or np.inf, test.most_C)
    if top - thermometer(facts.job).accuracy_K > most:
        return Finding("acts", "acts", text=f"not up to {top:.0f} °C", verdict=Verdict.NONCONFORMING)
    return Finding("acts", "acts", text=f"not in {run.time_s[-1] / 60:.0f} min", verdict=Verdict.NOT_MEASURED)


def _afterwards(facts: Facts, what: Acted, between: str) -> Finding:
    """What the protection does after it has acted, against the job's school."""
    wanted = facts.job.policy.after_heat
    if what.back_s is None:
        text, fits = "stays off until it is reset", wanted == "stay_off"
    elif what.cycles:
        text, fits = f"cycles: off {what.times} times{between}", False
    else:
        text, fits = f"restarts by itself after {show(what.back_s, 's', 3)}", wanted == "restart"
    return Finding(
        "afterwards", "afterwards", text=text, verdict=Verdict.CONFORMS if fits else Verdict.NONCONFORMING
    )


class SensorKind(TestKind[SensorCheck]):
    """A temperature sensor against one that is trusted."""

    record = SensorCheck
    heats = True
    name = "temperature sensor"
    standard = ""
    method = (
        "Sensor and reference read at the same moment, cool and warm; several places to find the hottest."
    )

    def steps(self, s: Situation, test: SensorCheck) -> list[Step]:
        also = ((test.sensor, "C"), (test.reference, "C"))
        return [
            Step(float(a), None, OPEN, "cool" if a == 0 else f"warm, {show(float(a), 'A', 3)}", also=also)  # type: ignore[arg-type]
            for k, a in enumerate(s.amps(test.points))
        ]

    def findings(self, facts: Facts, test: SensorCheck) -> list[Finding]:
        accuracy = thermometer(facts.job).accuracy_K
        pairs, found = sensor_pairs(facts, test), list[Finding]()
        if pairs:
            sensor_C, reference_C = np.array(pairs).T
            fit = calibrated(sensor_C, reference_C, accuracy / np.sqrt(3))
            worst = float((sensor_C - reference_C)[np.argmax(np.abs(sensor_C - reference_C))])
            value = Interval(worst, worst - accuracy, worst + accuracy)
            band = Band(-test.allowed_K, test.allowed_K)
            found.append(
                Finding(
                    "sensor_is_off_by",
                    "sensor is off by",
                    "K",
                    value,
                    f"at most, of {len(pairs)}",
                    judge(value, band),
                    band,
                )
            )
            if fit.gain is not None:
                found.append(Finding("its_gain_to_put_right", "its gain, to put right", "", fit.gain))
            text = f"then off by {fit.worst_after_K:.1f} K at most"
            found.append(
                Finding("its_offset_to_put_right", "its offset, to put right", "K", fit.offset_K, text)
            )
        return found + _hottest_place(facts)

    def picture(self, result: Outcome, test: SensorCheck) -> Picture:
        """How far a sensor is off its reference, and the straight line that puts it right."""
        facts = result.facts
        pairs = sensor_pairs(facts, test) if facts else []
        half = thermometer(facts.job).accuracy_K if facts else 0.0
        band = Band(-test.allowed_K, test.allowed_K)
        spots = [
            Spot(
                reference, off := sensor - reference, half, judge(Interval(off, off - half, off + half), band)
            )
            for sensor, reference in pairs
        ]
        lines = []
        if len(pairs) > 1:
            sensor_C, reference_C = np.array(pairs).T
            fit = calibrated(sensor_C, reference_C, half / np.sqrt(3))
            ends = np.array([sensor_C.min(), sensor_C.max()])
            meant = np.array([fit.right(c) for c in ends])
            lines.append(Line("what puts it right", meant, ends - meant, "measured"))
        return Picture("°C of the reference", "K, sensor above it", tuple(spots), tuple(lines), band.ends)

    def planned(self, job: Job, output: OutputLink) -> list[SensorCheck]:
        return []


def sensor_pairs(facts: Facts, test: SensorCheck) -> list[tuple[float, float]]:
    """°C of sensor and reference at each step where both were read."""
    found = []
    for step in facts.plan.steps:
        sensor = facts.last(step.index, "C", test.sensor)
        reference = facts.last(step.index, "C", test.reference)
        if sensor is not None and reference is not None:
            found.append((sensor.value, reference.value))
    return found


def _hottest_place(facts: Facts) -> list[Finding]:
    """Which of the places read at the last step is hottest: where a sensor belongs."""
    for step in reversed(facts.plan.steps):
        read = {r.place: r.value for r in facts.readings if r.quantity == "C" and r.step == step.index}
        read.pop("ambient", None)
        if len(read) < 2:
            continue
        found = hottest(read, SAME_THERMOMETER * thermometer(facts.job).accuracy_K)
        name = measuring_points(facts.job).get(found.place, found.place)
        sure = "the sensor belongs there" if found.sure else "too near the next to tell"
        return [
            Finding("hottest_place", f"hottest: {name}, above the next by", "K", found.above_next_K, sure)
        ]
    return []
