"""Soak, endurance, fan, sensor and over-temperature judged by readings whose truth is known."""

import numpy as np
import pytest
from scipy.linalg import expm

from tensimeter.core.heat_design.by_design import heat_by_design
from tensimeter.core.heat_design.fanned import seen_turns
from tensimeter.core.heat_design.measuring_points import as_fitted, chain, heats
from tensimeter.core.measurement.conformity import Accuracy, Band, Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, with_campaign, with_test
from tensimeter.core.model.heat_tests import Endurance, FanTest, OverTemperature, SensorCheck, Soak
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.model.test_record import Changed
from tensimeter.core.model.tests import Test
from tensimeter.core.testplan.advice import outcome_sentence, settle_sentence
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.generator import wanted
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.soak.growing import GrowingRun
from tensimeter.core.testplan.soak.run import run_name, soak_runs
from tensimeter.core.testplan.step import FAN, Outcome
from tensimeter.core.thermal.rc_ladder import CauerLadder
from tensimeter.demo.library import demo_job

METER = Accuracy(of_reading=0.0002, counts=1, resolution=0.001)
PROBE = Accuracy(of_reading=0, counts=11, resolution=0.1)
HOUR, LAG_S = 3600.0, 5.0


class Log:
    """Readings of a test put down scan by scan: °C by place, volts, amps."""

    def __init__(self, job: Job, test: Test) -> None:
        self.job, self.test = with_test(job, test), test
        self.plan = plan(self.job, test)
        self.readings: list[Reading] = []
        self._scan = 0

    def put(self, at: float, step: int, *, run: int | None = 1, **values: float) -> None:
        self._scan += 1
        for key, value in values.items():
            quantity = key if key in ("V", "A", "dB") else "C"
            place = (
                self.plan.output.id if key in ("V", "A") else FAN if key == "dB" else key.replace("_", "-")
            )
            if key == "fan_V":
                place, quantity = FAN, "V"
            accuracy = METER if key in ("V", "A") else PROBE
            row = (self._scan, at, place, quantity, float(value), "probe-k", accuracy, "four-wire")
            number = len(self.readings) + 1
            self.readings.append(Reading(*row, "instrument", "", self.test.id, step, run, id=number))

    def judged(self) -> Outcome:
        return outcome(self.job, self.plan, self.readings)


def finding(result: Outcome, name: str):
    return next(f for f in result.findings if f.name.startswith(name))


@pytest.fixture
def ridge() -> Job:
    return demo_job("ridge-pier")


def soaked(log: Log, hours: float, theta=(2.0, 6.0), *, begin=0.0, run=1, dies_at=None, every=30.0) -> None:
    """8 A on the front end: 8.18 W into 12 and 220 J/K behind these K/W, a room at 20 °C, probes 5 s late."""
    a, b = 1 / theta[0], 1 / theta[1]
    rates = np.array([[-a / 12, a / 12], [a / 220, -(a + b) / 220]])
    step, ends = expm(rates * every), np.array([8.18 * sum(theta), 8.18 * theta[1]])
    late = ends - expm(rates * (every - LAG_S)) @ ends
    rise = np.zeros(2)
    for k, t in enumerate(np.arange(0, hours * HOUR, every)):
        gone = dies_at is not None and t >= dies_at
        noise = 0.05 * np.sin(1.7 * k)
        log.put(
            begin + t,
            0,
            run=run,
            V=0.0 if gone else 13.4,
            A=0.0 if gone else 8.0,
            front_end_case=round(20 + rise[0] + noise, 1),
            front_end_sink=round(20 + rise[1] - noise, 1),
            ambient=20.0,
        )
        if gone:
            return
        rise = late if k == 0 else ends + step @ (rise - ends)


def test_a_soak_that_is_settled_holds_and_tells_its_stages(ridge: Job) -> None:
    log = Log(ridge, Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 0.25)
    early = log.judged()
    # A forecast alone proves nothing: the time must have been held as well.
    assert finding(early, "junction").verdict in (Verdict.NOT_MEASURED, Verdict.TOO_CLOSE)
    log = Log(ridge, Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 2.0)
    result = log.judged()
    junction = finding(result, "junction")
    assert junction.verdict is Verdict.CONFORMS
    assert junction.value.low < 20 + 8.18 * 8.9 < junction.value.high
    assert finding(result, "slow time constant").value.value == pytest.approx(1320 * 1.06, rel=0.06)
    assert finding(result, "still to come").text == "steady"
    worked = junction.worked
    assert worked.value == junction.value.value
    given = {g.symbol: g.value for g in worked.given}
    assert given["T_end"] + given["P·θ"] == pytest.approx(worked.value, abs=0.2)
    assert given["P·θ"] == pytest.approx(8.18 * 0.9, rel=0.01)
    assert "readings" in worked.assumptions[0]
    # 92.8 °C on a curve from 16 A at 60 °C to 11 A at 105 °C.
    assert finding(result, "derating").value.value == pytest.approx(8 / 12.36, rel=0.02)
    assert finding(result, "derating").text.startswith("8 A of 12.")
    theta = finding(result, "θ case to sink").value
    assert theta.low < 2.0 < theta.high
    # By the fitted stages: 15 K more room, a sink that lost a fifth, three quarters of the heat.
    for words, ends in (("in a room of 35", 107.8), ("with dust", 105.1), ("at three quarters", 74.6)):
        elsewhere = finding(result, f"junction {words}").value
        assert elsewhere.low < ends < elsewhere.high
    assert finding(result, "junction in a room").text != "holds"
    assert "prove" in outcome_sentence(early) or "Can't tell" in outcome_sentence(early)
    assert "Steady" in outcome_sentence(result)
    assert "Front end case" in settle_sentence(log.job, log.plan)


def test_a_probe_at_the_sink_alone_says_nothing_of_what_lies_before_it(ridge: Job) -> None:
    log = Log(ridge, Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 2.0)
    log.readings = [r for r in log.readings if r.place != "front-end-case"]
    result = log.judged()
    assert finding(result, "θ sink to air").value.low < 6.0 < finding(result, "θ sink to air").value.high
    names = [f.name for f in result.findings]
    assert not [n for n in names if n.startswith(("θ case", "C of case", "cooler with its mounting"))]
    # What a remedy buys starts from the end that is shown.
    end, cooler = finding(result, "junction"), finding(result, "cooler with a fan step")
    bought = float(cooler.text.split()[1])
    assert cooler.value.value == pytest.approx(end.value.value - bought, abs=0.05 * bought + 0.1)


def test_a_badly_seated_pad_is_foretold_and_its_failure_is_a_result(ridge: Job) -> None:
    test = Soak(id="hot", output="mount", stages=(1.0,), hold_s=7200)
    log = Log(ridge, test)
    soaked(log, 1.0, (5.6, 6.2), dies_at=2400.0, every=20.0)
    result = log.judged()
    assert result.verdict is Verdict.NONCONFORMING
    gone = finding(result, "output gone")
    assert "after 40 min at 8 A" in gone.text
    assert "Front end case" in gone.text
    told = finding(result, "foretold at a fifth").text
    assert told.startswith(("likely to cross", "will cross"))
    assert "Front end" in finding(result, "suspected").text
    assert "gone" in outcome_sentence(result)
    # 8.17 W through 3.6 K/W that the mounting has too many: what buys most.
    best = finding(result, "cooler with its mounting as designed")
    assert float(best.text.split()[1]) == pytest.approx(8.17 * 3.6, rel=0.1)
    assert best.text.endswith("K, holds")
    assert best.value.low < 20 + 8.17 * 9.1 < best.value.high
    mended = changed(test, changes=(Changed(link="front-end", what="pad reseated", after_run=1),))
    log.job, log.plan = with_test(log.job, mended), plan(log.job, mended)
    soaked(log, 2.0, (1.8, 6.2), begin=90_000.0, run=2)
    runs = soak_runs(log.readings, log.plan.output.id)
    assert [run_name(log.plan, r, k) for k, r in enumerate(runs)] == ["run 1", "run 2, pad reseated"]
    assert log.judged().verdict is Verdict.CONFORMS


def test_part_load_tells_what_full_load_will_do(ridge: Job) -> None:
    log = Log(ridge, Soak(id="hot", output="mount"))
    for k, t in enumerate(np.arange(0, 600, 10.0)):
        # 3.86 W at 4 A through 5.6 and 6.2 K/W.
        case, sink = 3.86 * 5.6 * (1 - np.exp(-t / 73)), 3.86 * 6.2 * (1 - np.exp(-t / 1440))
        read = round(20 + case + sink + 0.05 * np.sin(2.1 * k), 1)
        log.put(t, 0, V=13.4, A=4.0, front_end_case=read, ambient=20.0)
    text = outcome_sentence(log.judged())
    assert "at 8 A the junction" in text
    assert text.startswith(("Will cross", "Likely to cross"))
    assert log.judged().plan.duration_s > 7200


@pytest.fixture
def cooled() -> Job:
    """A regulator whose sink is too small in still air but not in its fan's, on at 60 and off at 48 °C."""
    job = demo_job("finishers-bench")
    sink = {"sink_K_W": 2.6, "sink_blown_K_W": 1.0, "hot_limit_C": 105.0, "junction_K_W": 0.3}
    job = with_part(job, changed(job.part("linear"), **sink))
    return changed(job, settings=changed(job.settings, box_K_W=0.0, lid_off=True))


def blown(log: Log, minutes: float, on_C: float, blown_K_W: float = 1.0) -> None:
    """1.5 A on the regulator: 27.3 W into 12 and 420 J/K behind 0.8 and 2.6 K/W, a fan from `on_C` on."""
    watts, dt, case, sink, running = 27.3, 1.0, 0.0, 0.0, False
    for k in range(round(minutes * 60)):
        running = sink + 22 >= on_C or (running and sink + 22 > 48.0)
        into = (case - sink) / 0.8
        case += dt * (watts - into) / 12
        sink += dt * (into - sink / (blown_K_W if running else 2.6)) / 420
        if k % 15 == 0:
            noise = 0.05 * np.sin(1.7 * k)
            case_C, sink_C = round(22 + case + noise, 1), round(22 + sink - noise, 1)
            log.put(k, 0, V=11.9, A=1.5, regulator_case=case_C, regulator_sink=sink_C, ambient=22.0)


def test_a_fan_that_comes_on_is_counted_on_until_it_does_not(cooled: Job) -> None:
    test = Soak(id="hot", output="bath", link="regulator", stages=(1.0,))

    def after(minutes: float, job: Job = cooled, **fan: float) -> Outcome:
        log = Log(job, test)
        blown(log, minutes, **fan)
        return log.judged()

    early = after(9, on_C=60.0)
    said = outcome_sentence(early)
    assert said.startswith("Stays below 105 °C")
    assert "with its fan, which comes on at 60 °C of its sink" in said
    # The top is where the fan comes on; what lies above the sink, 27.3 W · 1.1 K/W, comes on top of that.
    top = finding(early, "junction").value
    assert top.low < 60 + 27.3 * 1.1 < top.high
    without = changed(cooled.design, links=tuple(x for x in cooled.design.links if x.kind != "fan"))
    assert "cross" in outcome_sentence(after(9, changed(cooled, design=without), on_C=60.0))
    # Its sensor is a little off; the sink's own bend tells that it runs, and where it ends.
    settled = after(45, on_C=58.5)
    theta = finding(settled, "θ sink to air").value
    assert theta.low < 2.6 < theta.high
    late = finding(settled, "junction").value
    assert late.low < 22 + 27.3 * 2.1 < late.high
    dead = outcome_sentence(after(21, on_C=999.0))
    assert dead.startswith(("Will cross", "Likely to cross"))
    assert "with its fan" not in dead
    # One that cools below its own end goes on and off: what it swings up to counts.
    swung = finding(after(40, on_C=60.0, blown_K_W=0.45), "junction").value
    assert swung.low < 60 + 27.3 * 1.1 < swung.high


def test_what_the_design_expects_before_anything_is_read(cooled: Job, ridge: Job) -> None:
    own = float(heats(cooled, "bath", (1.5,), "regulator")[0][0])
    found = heat_by_design(cooled, "bath", "regulator", [(0.0, 600.0), (1.5, 7200.0)], 22.0)
    # Its fan comes on at 60 °C and it ends lower than that, in the fan's air.
    assert found.sink_C.max() == pytest.approx(60.0, abs=0.6)
    assert found.sink_C[-1] == pytest.approx(22 + own * 1.0, abs=0.1)
    assert found.junction_C[-1] - found.case_C[-1] == pytest.approx(0.3 * own)
    assert found.junction_C[0] == pytest.approx(22.0, abs=0.2)
    # Without a fan, as the two-node network by a matrix exponential.
    times, log = np.arange(0.0, 3600.0, 300.0), Log(ridge, Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 1.0, every=300.0)
    still = heat_by_design(ridge, "mount", "front-end", [(8.0, 3600.0)], 20.0)
    read = [r.value for r in log.readings if r.place == "front-end-sink"]
    late = np.interp(times - LAG_S, still.time_s, still.sink_C)
    assert late[1:] == pytest.approx(read[1:], abs=0.2)
    assert heat_by_design(ridge, "mount", "mount-fuse", [(8.0, 3600.0)], 20.0) is None


def test_a_fan_that_always_runs_is_in_what_the_design_expects(cooled: Job) -> None:
    links = [changed(x, control="always") if x.kind == "fan" else x for x in cooled.design.links]
    always = changed(cooled, design=changed(cooled.design, links=tuple(links)))
    still, running = chain(cooled, "regulator"), chain(always, "regulator")
    assert (still.theta_K_W["sink"], running.theta_K_W["sink"]) == (2.6, 1.0)
    better = CauerLadder({**running.theta_K_W, "sink": 0.8}, running.capacity_J_K)
    fitted = as_fitted(always, "regulator", better)
    assert chain(fitted, "regulator").theta_K_W["sink"] == pytest.approx(0.8)
    assert chain(fitted, "regulator", 0.0).theta_K_W["sink"] == pytest.approx(2.6 * 0.8)


def test_endurance_keeps_hours_interruptions_and_failures(ridge: Job) -> None:
    log = Log(ridge, Endurance(id="long", output="mount", hold_s=4 * HOUR))
    soaked(log, 0.5, run=1, dies_at=1500.0, every=60)
    soaked(log, 1.5, begin=20_000.0, run=2, every=60)
    result = log.judged()
    assert "1 interruption, 1 failure" in finding(result, "record").text
    assert "h at 8 A, room 20 to 20 °C" in finding(result, "held").text
    # 1 500 s and 5 340 s between first and last reading.
    assert finding(result, "held").text.startswith("1.90 h")


def test_a_fan_that_hunts_is_loud_or_late_is_found(ridge: Job) -> None:
    log = Log(ridge, FanTest(id="fan", output="mount", quiet_dB=32.0, on_by_C=45.0))
    for t in np.arange(0, 2400, 10.0):
        turn = (t / 200) % 2
        on = turn > 1
        log.put(
            t, 1, front_end_sink=round(40 + 10 * (turn if not on else 2 - turn), 1), fan_V=12.0 if on else 0.0
        )
    log.put(2500, 0, dB=30.0)
    result = log.judged()
    assert finding(result, "hunts").verdict is Verdict.NONCONFORMING
    # On at 50 °C and off at 40 °C, each between two samples of half a kelvin.
    assert finding(result, "comes on").value.value == pytest.approx(49.8, abs=0.5)
    assert finding(result, "goes off").value.value == pytest.approx(40.2, abs=0.5)
    assert "by its volts" in finding(result, "comes on").text
    assert finding(result, "on in time").verdict is Verdict.NONCONFORMING
    # What is typed afterwards, outside the run, takes none of it away.
    log.put(9e5, 0, run=None, dB=29.0)
    assert finding(log.judged(), "on in time").verdict is Verdict.NONCONFORMING
    assert finding(result, "loudness, idle").verdict in (Verdict.CONFORMS, Verdict.TOO_CLOSE)
    # By its sink alone: it comes on between two loads, which make the sink turn as well.
    t = np.arange(0.0, 4800.0, 10.0)
    heat = np.select([t < 1200, t < 2400, t < 3600], [0.0, 1.0, 0.0], 0.7)
    fan, sink, read = False, 0.0, []
    for watts in heat:
        fan = 22 + sink >= 60 or (fan and 22 + sink > 48)
        sink += 10 * (48 * watts - sink * (1.9 if fan else 1.0)) / 500
        read.append(round(22 + sink, 1))
    on, off = seen_turns(t, np.array(read), (0.0, 1200.0, 2400.0, 3600.0))
    assert on == pytest.approx(60.0, abs=1.0)
    assert len(on) == 1
    assert len(off) <= 1
    bench = demo_job("finishers-bench")
    output = bench.design.outputs()[0]
    steps = plan(bench, FanTest(id="fan", output=output.id)).steps
    assert steps[-1].trim_V is not None
    assert "most is lost" in steps[-1].title


def test_over_temperature_acts_comes_back_or_cycles(ridge: Job) -> None:
    test = OverTemperature(id="otp", output="mount", below_C=90.0)

    def after(volts) -> Outcome:
        log = Log(ridge, test)
        for t in np.arange(0, 3000, 10.0):
            log.put(t, 0, V=volts(t), A=8.0, front_end_case=round(30 + min(t, 1500) / 30, 1))
        return log.judged()

    latched = after(lambda t: 13.2 if t < 1200 else 0.0)
    assert finding(latched, "acts, Front end case").verdict is Verdict.CONFORMS
    acts = finding(latched, "acts, Front end case").value
    assert acts.low < 70.0 < acts.high < acts.low + 2 * (1.1 + 0.4)
    assert finding(latched, "afterwards").verdict is Verdict.CONFORMS
    back = after(lambda t: 0.0 if 1200 <= t < 1500 else 13.2)
    assert "restarts by itself after 300 s" in finding(back, "afterwards").text
    assert finding(back, "afterwards").verdict is Verdict.NONCONFORMING
    comes = finding(back, "comes back at").value
    assert comes.low < 80.0 < comes.high
    assert not [f for f in latched.findings if f.name == "comes back at"]
    cycling = after(lambda t: 0.0 if t > 1200 and (t // 50) % 2 else 13.2)
    assert "cycles" in finding(cycling, "afterwards").text
    assert finding(after(lambda t: 13.2), "acts").verdict is Verdict.NOT_MEASURED
    test = changed(test, below_C=70.0)
    assert finding(after(lambda t: 13.2), "acts").text == "not up to 80 °C"
    assert finding(after(lambda t: 13.2), "acts").verdict is Verdict.NONCONFORMING


def test_a_sensor_against_a_reference_and_the_hottest_place(ridge: Job) -> None:
    log = Log(ridge, SensorCheck(id="ntc", output="mount", sensor="ntc", reference="front-end-sink"))
    for step, (sensor, reference) in enumerate(((21.0, 20.4), (44.0, 47.1), (66.0, 72.0))):
        log.put(60.0 * step, step, ntc=sensor, front_end_sink=reference, front_end_case=reference + 9)
    result = log.judged()
    assert finding(result, "sensor is off by").verdict is Verdict.NONCONFORMING
    assert finding(result, "its gain").value.value == pytest.approx(51.6 / 45, rel=0.02)
    assert "Front end case" in finding(result, "hottest").name
    assert finding(result, "hottest").text == "the sensor belongs there"
    # No volts are needed: the points are taken, and their picture is error over reference.
    assert result.complete
    assert outcome_sentence(result).startswith("sensor is off by")
    drawn = kind_of(result.plan.test).picture(result, result.plan.test)
    assert [(s.x, round(s.y, 1)) for s in drawn.spots] == [(20.4, 0.6), (47.1, -3.1), (72.0, -6.0)]
    assert drawn.lines[0].y[-1] == pytest.approx(-6.0, abs=0.3)
    assert drawn.band == (-3.0, 3.0)


def test_a_campaign_plans_heat_where_a_part_says_how_it_sheds_it(ridge: Job) -> None:
    kinds = [(t.kind, t.output) for t in wanted(ridge)]
    assert ("soak", "mount") in kinds
    assert ("soak", "hub") not in kinds
    assert "soak" not in [t.kind for t in wanted(with_campaign(ridge, thermometer=None))]


def test_without_a_thermometer_or_a_thermal_card_it_says_what_to_do(ridge: Job) -> None:
    blind = with_campaign(ridge, thermometer=None)
    log = Log(blind, Soak(id="hot", output="mount"))
    assert "type temperatures" in settle_sentence(log.job, log.plan)
    assert "Nothing read yet" in outcome_sentence(log.judged())
    # The hub's module says nothing of its heat: its temperature is forecast, its junction is not.
    hub = Log(ridge, Soak(id="hub", output="hub", stages=(1.0,)))
    for k, t in enumerate(np.arange(0, 3600, 30.0)):
        hub.put(
            t, 0, V=5.15, A=2.0, hub_module_case=round(20 + 30 * (1 - np.exp(-t / 600)) + 0.05 * np.sin(k), 1)
        )
    result = hub.judged()
    ends = finding(result, "Hub module case, in the end")
    assert ends.value.low < 50 < ends.value.high
    assert not any(f.name.startswith(("junction", "θ")) for f in result.findings)
    assert "Hub module case ends" in outcome_sentence(result)
    # A straight climb has no end that readings know: it is told in words, with no figure.
    climbing = Log(ridge, Soak(id="hub", output="hub", stages=(1.0,)))
    for k, t in enumerate(np.arange(0, 600, 10.0)):
        climbing.put(t, 0, V=5.15, A=2.0, hub_module_case=round(20 + 0.02 * t + 0.05 * np.sin(k), 1))
    endless = finding(climbing.judged(), "Hub module case, in the end")
    assert endless.value is None
    assert "no end yet" in endless.text


def test_a_part_that_says_nothing_of_its_heat_is_judged_by_its_place(ridge: Job) -> None:
    bare = with_part(ridge, changed(ridge.part("front-end-40"), switch_K_W=None))
    log = Log(bare, Soak(id="hot", output="mount", link="front-end"))
    for k, t in enumerate(np.arange(0, 600, 20.0)):
        rise = 3.86 * 2.0 + 3.86 * 6.0 * (1 - np.exp(-t / 1320)) + 0.05 * np.sin(2.1 * k)
        log.put(t, 0, V=13.4, A=4.0, front_end_case=round(20 + rise, 1), ambient=20.0)
    result = log.judged()
    said = outcome_sentence(result)
    # At part load, without a junction: of the place itself, at the load that is coming.
    assert "at 8 A Front end case ends at" in said
    assert "junction" not in said
    assert result.findings[0].allowed == Band(None, 85.0)


def test_a_derated_part_has_one_limit_in_all_that_is_said(ridge: Job) -> None:
    # 8 A lie half way from 10 A at 60 °C to 6 A at 120 °C: 90 °C, which the junction's 92.8 °C pass.
    curve = ({"hot_C": 60, "amps": 10}, {"hot_C": 120, "amps": 6})
    derated = with_part(ridge, changed(ridge.part("front-end-40"), hot_derating=curve))
    log = Log(derated, Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 2.0)
    result = log.judged()
    assert finding(result, "junction, in the end").allowed == Band(None, pytest.approx(90.0))
    assert finding(result, "junction, in the end").verdict is Verdict.TOO_CLOSE
    used = finding(result, "derating")
    assert used.value.low < 1 < used.value.high
    given = {g.symbol: g.value for g in used.worked.given}
    assert given["I"] / given["I_T"] == pytest.approx(used.worked.value)
    # Both are judged by the derated limit: 105 °C would let the dust pass as too close to call.
    assert finding(result, "cooler with a fan step").text.endswith("holds")
    assert finding(result, "junction with dust").text == "misses"


@pytest.mark.parametrize("seed", range(4))
def test_a_run_told_while_it_grows_is_the_run_told_from_all_its_readings(seed: int) -> None:
    rng, growing, every = np.random.default_rng(seed), GrowingRun("mount"), []
    assert growing.told() is None
    for k in range(700):
        # A probe is plugged in later, and now and then one gives nothing.
        places = ["sink", "front-end-case", *(["ambient"] if k > 5 else [])]
        places = [p for p in places if rng.random() < 0.9]
        what = [(p, "C", float(rng.normal(40, 5))) for p in places]
        what += [("mount", "V", float(rng.choice([13.2, np.inf]))), ("mount", "A", 8.0)][: rng.integers(0, 3)]
        step = None if rng.random() < 0.1 else k // 300
        how = ("", None, "four-wire", "instrument", "", "soak", step, 7)
        scan = [Reading(k, 1e9 + 2.5 * k, *one, *how) for one in what]
        growing.add(scan)
        every += scan
        if k in (0, 40, 255, 256, 699) and every:
            told, (whole,) = growing.told(), soak_runs(every, "mount")
            assert (told.run, told.at, list(told.celsius)) == (whole.run, whole.at, list(whole.celsius))
            for name in ("time_s", "volts", "amps", "step"):
                assert np.array_equal(getattr(told, name), getattr(whole, name), equal_nan=True)
            assert all(
                np.array_equal(told.celsius[p], whole.celsius[p], equal_nan=True) for p in whole.celsius
            )
