"""With what a campaign is loaded and measured: sums of loads, the best part, watts at every set voltage."""

import pytest

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.parts.electronic_load import ElectronicLoad
from tensimeter.core.parts.plain_loads import Resistor
from tensimeter.core.testplan.equipment import load_alone_A, proposed, sinks_A
from tensimeter.core.testplan.generator import generated
from tensimeter.core.testplan.plan import plan


def load(name: str, watts: float, of_reading: float) -> ElectronicLoad:
    meter = Accuracy(of_reading=of_reading, counts=5, resolution=0.001)
    return ElectronicLoad(id=name, name=name, max_V=60, max_A=10, max_W=watts, volts=meter, amps=meter)


@pytest.fixture
def two(demo: Job) -> Job:
    """A 60 W load, one of 40 W beside it, and 13.6 Ω of 20 W."""
    job = demo
    for part in (load("a", 60, 0.001), load("b", 40, 0.004)):
        job = with_part(job, part)
    job = with_part(job, Resistor(id="r", name="r", resistance_ohm=13.6, rated_W=20))
    return with_campaign(job, load="a", ammeter="a", parallel_loads=("b", "r"))


def test_what_loads_in_parallel_sink(two: Job) -> None:
    # 60 W and 40 W at 13.6 V, and 1 A through the resistor.
    assert float(sinks_A(two, 13.6)) == pytest.approx(100 / 13.6 + 1.0)
    # At 20 V the resistor would take 29 W of its 20: it is left out.
    assert float(sinks_A(two, 20.0)) == pytest.approx(5.0)
    assert load_alone_A(two, 13.6) == pytest.approx(60 / 13.6)
    worked_out = plan(two, LoadRegulation(id="t", output="mount"))
    assert worked_out.most_A == pytest.approx(8.0)
    alone = plan(with_campaign(two, parallel_loads=()), LoadRegulation(id="t", output="mount"))
    assert alone.most_A == pytest.approx(4.411, abs=1e-3)
    assert "a sinks 4.41 A there" in alone.unreachable[0]


def test_amps_that_several_read_err_by_all_of_them(two: Job) -> None:
    accuracy, name = accuracy_of(two, "a", "A", 6.0)
    assert name == "loads in parallel"
    # The worse gain, twice five counts.
    assert (accuracy.of_reading, accuracy.offset) == (0.004, pytest.approx(0.010))


def test_watts_are_checked_at_every_set_voltage(two: Job) -> None:
    job = with_campaign(two, parallel_loads=())
    test = LoadRegulation(id="t", output="mount", points=(0.0, 1.0), set_V=(6.0, 12.0, 15.0))
    steps = plan(job, test).steps
    assert [s.set_A for s in steps if s.set_A] == [4.411, 4.411, 4.0]
    assert any("At 15 V a sinks 4 A" in u for u in plan(job, test).unreachable)


def test_what_is_in_stock_is_put_to_use(demo: Job) -> None:
    bare = with_campaign(demo, tests=(), oscilloscope=None, clamp=None, voltmeter="hand-meter")
    planned = generated(bare)
    assert planned.campaign.oscilloscope == "scope-20"
    # What somebody chose stays, be there a better one.
    assert planned.campaign.voltmeter == "hand-meter"
    assert "ripple" in {t.kind for t in planned.campaign.tests}


def test_the_best_is_proposed_not_the_first(two: Job) -> None:
    found = proposed(with_campaign(two, load="b", voltmeter="hand-meter", parallel_loads=())).campaign
    # What reaches 8 A at 13.6 V, and the meter that reads finest there.
    assert (found.load, found.voltmeter) == ("sink-150", "bench-meter")
