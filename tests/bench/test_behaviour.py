"""What simulated outputs do past their steady volts, and ports other than sockets."""

import os
import threading
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tensimeter.bench.engine import RunEngine
from tensimeter.bench.profile import load_profile
from tensimeter.bench.setup import open_bench
from tensimeter.bench.visa import VisaInstrument
from tensimeter.core.analysis.current_limit import LimitKind
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model import edits, stock_edits
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LoadRegulation, Overload
from tensimeter.core.parts.instruments import Clamp
from tensimeter.core.testplan.approach import Approach
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.simulation.behaviour import Behaviour, Demand, meeting_point, ripple_wave
from tensimeter.simulation.server import SimulatedBench
from tensimeter.simulation.supply import SimulatedSupply
from tensimeter.store.jobfile import JobFile

TRACED = (LimitKind.CONSTANT_CURRENT, LimitKind.FOLDBACK, LimitKind.CONSTANT_POWER, LimitKind.BROWN_OUT)


@settings(max_examples=200, deadline=None)
@given(
    st.sampled_from(TRACED),
    st.sampled_from(["CC", "CR", "CP"]),
    st.floats(0.05, 3.0),
    st.floats(0.2, 0.8),
    st.one_of(st.just(0.0), st.floats(1e-3, 0.2)),
)
def test_load_and_limit_meet_where_both_agree(
    kind: LimitKind, mode: str, share: float, short: float, on_ohm: float
) -> None:
    volts, limit = 12.0, 5.0
    b = Behaviour(limit=kind, short_share=short)
    asked = {"CC": share * limit, "CR": volts / (share * limit), "CP": share * volts * limit}[mode]
    demand = Demand(mode, asked, on_ohm)
    v, i = meeting_point(b, demand, volts, limit)
    assert 0 <= v <= volts
    gives = float(b.most_A(np.array([v]), volts, limit)[0])
    assert i <= gives * 1.001 + 1e-6
    takes = float(demand.amps(np.array([v]))[0])
    # Where volts stand, what flows is what the load draws; at none the supply alone decides.
    if v > 0.01:
        assert i == pytest.approx(min(takes, gives), rel=0.02, abs=0.02)


def test_each_behaviour_shows_in_the_supply(demo: Job) -> None:
    def supply(**fields: object) -> SimulatedSupply:
        return SimulatedSupply(demo, behaviours={"mount": Behaviour(limit_A=6.0, **fields)})

    latch = supply(limit=LimitKind.LATCH_OFF, reset_s=3.0)
    latch.draw("mount", 6.5)
    latch.draw("mount", 0.0)
    assert latch.settled("mount") == 0
    latch.power(False)
    latch.advance(1.0)
    latch.power(True)
    assert latch.settled("mount") == 0
    latch.power(False)
    latch.advance(4.0)
    latch.power(True)
    assert latch.settled("mount") == pytest.approx(13.6, abs=1e-3)
    incoming_steps = supply(limit=LimitKind.HICCUP, period_s=1.0, duty=0.3)
    incoming_steps.draw("mount", Demand("CR", 1.0))
    seen = []
    for _ in range(100):
        incoming_steps.advance(0.1)
        seen.append(incoming_steps.amps("mount") > 0)
    assert np.mean(seen) == pytest.approx(0.3, abs=0.06)
    incoming_steps.draw("mount", 0.0)
    assert incoming_steps.settled("mount") == pytest.approx(13.6, abs=1e-3)
    trips = supply(trip_V=15.0)
    trips.set_trim("mount", 14.9)
    assert trips.settled("mount") == pytest.approx(14.9)
    trips.set_trim("mount", 15.1)
    trips.set_trim("mount", 13.6)
    assert trips.settled("mount") == 0
    line = supply(line_share=0.01, couples=(("dew", 0.02),))
    line.set_line(253)
    assert line.settled("mount") == pytest.approx(13.6 * 1.001)
    line.draw("dew", 2.0)
    assert line.settled("mount") == pytest.approx(13.6 * 1.001 - 0.04, abs=1e-3)
    power = supply()
    power.draw("mount", Demand("CP", 40.0))
    assert power.settled("mount") * power.amps("mount") == pytest.approx(40.0, rel=1e-3)
    idle = power.wall_W
    power.power(False)
    assert idle > 40
    assert (power.wall_W, power.settled("mount")) == (0.0, 0.0)


def test_ripple_is_what_it_is_said_to_be_and_repeats_by_seed() -> None:
    b = Behaviour(mains_ripple_V=0.02, switching_V=0.0, noise_V=0.0)
    t = np.arange(200_000) / 1e6
    one, same, other = (ripple_wave(b, t, 50.0, 1.0, np.random.default_rng(s)) for s in (1, 1, 2))
    assert (one == same).all()
    assert (one != other).any()
    assert np.sqrt(np.mean(one**2)) == pytest.approx(0.02, rel=0.01)


def test_an_approach_ends_where_the_volts_leave(demo: Job) -> None:
    worked_out = plan(demo, Overload(id="t", output="dew"))
    steps = [s for s in worked_out.steps if s.phase == "approach"]
    trace = next(s for s in worked_out.steps if s.phase == "trace")
    back, reset = worked_out.steps[-2:]
    approach = Approach(worked_out)
    assert approach.wants(steps[0])
    assert not approach.wants(trace)
    for step in steps:
        # A soft one: its volts sag slowly past 3.4 A, and are followed on.
        volts = 12.0 - 0.1 * step.set_A - max(step.set_A - 3.4, 0.0) * 1.5
        if approach.take(step, volts):
            break
    assert 3.4 < step.set_A < 3.9
    assert not approach.wants(steps[-1])
    assert approach.wants(trace)
    assert approach.wants(back)
    assert not approach.wants(reset)
    approach.take(back, 0.0)
    assert approach.wants(reset)


def test_a_clamp_reads_the_amps_and_the_load_is_still_spoken_to(tmp_path: Path, demo: Job) -> None:
    clamp = Clamp(
        id="clamp", name="Clamp", most_A=40, amps=Accuracy(of_reading=0.02, counts=5, resolution=0.01)
    )
    job = edits.with_campaign(stock_edits.with_part(demo, clamp), clamp="clamp", ammeter="clamp")
    with JobFile.create(tmp_path / "c.tensi", job) as file, SimulatedBench(job, seed=2, speed=60) as served:
        bench = open_bench(job, served.resources, speed=60)
        worked_out = plan(job, LoadRegulation(id="t", output="mount", dwell_s=120, longest_dwell_s=240))
        engine = RunEngine(file, worked_out, bench, lambda e: None)
        engine.start()
        engine.join(300)
        bench.close()
        # Two real seconds at each point: longer than its watchdog, which did not drop it.
        assert engine.ended.kind == "complete", engine.ended.text
        amps = [r for r in file.readings() if r.quantity == "A"]
        assert {r.instrument for r in amps} == {"clamp"}
        fit = outcome(job, worked_out, file.readings()).regulation
        assert fit.output_resistance_ohm.half_width > 4e-4


def test_a_serial_port_is_an_instrument_too() -> None:
    ours, theirs = os.openpty()
    import tty

    tty.setraw(ours)
    tty.setraw(theirs)
    answers = {b"*IDN?": b"Fellmoor,serial meter,0,1", b"MEAS:VOLT:DC?": b"+1.3580E+01"}

    def serve() -> None:
        rest = b""
        while True:
            try:
                rest += os.read(ours, 256)
            except OSError:
                return
            *lines, rest = rest.split(b"\n")
            for line in lines:
                if line.strip() in answers:
                    os.write(ours, answers[line.strip()] + b"\n")

    threading.Thread(target=serve, daemon=True).start()
    profile = load_profile("generic-meter")
    meter = VisaInstrument(f"ASRL{os.ttyname(theirs)}::INSTR", profile, "meter")
    assert meter.identity() == "Fellmoor,serial meter,0,1"
    assert meter.read_volts() == pytest.approx(13.58)
    meter.close()
    os.close(theirs)
    os.close(ours)
