"""Heat on the simulated bench: places against solved networks, events, and a soak that is stopped in time."""

from pathlib import Path

import pytest
from msgspec.structs import replace

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import changed, with_test
from tensimeter.core.model.heat_tests import FanTest, Soak
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Changed
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.demo import finishers_bench, ridge_pier
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.simulation.supply import SimulatedSupply
from tensimeter.simulation.warmth import HeatGuard, HiddenHeat, Warmth
from tensimeter.store.jobfile import JobFile


@pytest.fixture
def ridge() -> Job:
    return demo_job("ridge-pier")


def test_places_warm_as_their_network_and_any_step_gives_the_same(ridge: Job) -> None:
    one, other = Warmth(ridge), Warmth(ridge)
    for each in (one, other):
        each.heat({"front-end": 8.0}, 0.0)
    _, celsius = one.record(3600, 1.0)
    for _ in range(36):
        other.advance(100.0)
    assert other.celsius("front-end-case") == pytest.approx(celsius[-1, one.places.index("front-end-case")])
    one.advance(20_000.0)
    assert one.celsius("front-end-case") == pytest.approx(20 + 8 * 8, abs=1e-3)
    assert one.celsius("front-end-junction") == pytest.approx(20 + 8 * 8.9, abs=1e-3)
    assert one.celsius("ambient") == 20.0
    assert one.celsius("nowhere") == 20.0


def test_a_drifting_room_a_lagging_and_a_badly_placed_probe(ridge: Job) -> None:
    truths = HiddenHeat(drift_K_h=1.0, lag_s={"front-end-sink": 120.0}, contact={"front-end-case": 0.8})
    warm = Warmth(ridge, truths)
    warm.heat({"front-end": 8.0}, 0.0)
    warm.advance(36_000.0)
    # A room that climbs for good is followed 1 K/h times the sum of θ·C later.
    behind = (6 * 220 + 6 * 12) / 3600
    assert warm.ambient_C == pytest.approx(30.0)
    assert warm.celsius("front-end-sink") == pytest.approx(30 + 48 - behind, abs=0.01)
    felt = warm.shown("front-end-case")
    assert felt == pytest.approx(30 + 0.8 * (warm.celsius("front-end-case") - 30))
    warm.heat({"front-end": 0.0}, 0.0)
    warm.advance(60.0)
    assert warm.shown("front-end-sink") > warm.celsius("front-end-sink") + 0.5


def test_a_weak_junction_dies_and_takes_its_outputs_with_it(ridge: Job) -> None:
    supply = SimulatedSupply(ridge, ridge_pier.TRUTHS, heat=ridge_pier.HEAT)
    supply.draw("mount", 8.0)
    supply.advance(20 * 60.0)
    assert supply.volts("mount") > 12
    supply.advance(25 * 60.0)
    died = supply.warmth.died["front-end"]
    assert 35 * 60 < died < 45 * 60
    assert supply.volts("mount") == 0.0
    assert supply.volts("hub") > 5
    supply.power(False)
    supply.advance(60.0)
    supply.power(True)
    assert supply.volts("mount") == 0.0
    whole = SimulatedSupply(ridge, ridge_pier.TRUTHS, heat=ridge_pier.RESEATED)
    whole.draw("mount", 8.0)
    whole.warmth.record(4 * 3600, 1.0)
    assert not whole.warmth.died


def test_a_fan_a_lid_and_a_loss_that_grows() -> None:
    job = demo_job("finishers-bench")
    assert any(link.kind == "fan" for link in job.design.links)
    link = next(iter(Warmth(job).links))

    def ended(watts: float, **truths: object) -> Warmth:
        warm = Warmth(job, HiddenHeat(**truths))
        warm.heat({link: watts}, 5.0)
        warm.record(6 * 3600, 0.5)
        return warm

    still, blown = ended(4.0), ended(40.0)
    assert still.fan == 0
    assert blown.fan > 0
    late = ended(40.0, fan_on_K=500.0)
    assert late.fan == 0
    assert late.celsius(f"{link}-sink") > blown.celsius(f"{link}-sink") + 5
    if job.settings.box_K_W:
        assert ended(4.0, lid_open=True).celsius("air") < still.celsius("air")
    grown = ended(4.0, growth={link: 0.002})
    assert grown.celsius(f"{link}-case") > still.celsius(f"{link}-case")


def run(job: Job, test, folder: Path, act=None) -> tuple[RunEngine, JobFile, list[Event], object]:
    """Run a test on the demo's stand-ins, as fast as it can be worked out."""
    job = with_test(job, test)
    file = JobFile.create(folder / "soak.tensi", job)
    clock, events = SteppedClock(), []
    with stand_ins(job, clock=clock) as served:
        bench = open_bench(job, served.resources, clock=clock)
        engine: RunEngine

        def tell(event: Event) -> None:
            events.append(event)
            if act:
                act(engine, served)

        engine = RunEngine(file, plan(job, test), bench, tell)
        engine.start()
        engine.join(300)
        bench.close()
        assert not engine.alive
        assert not served.load_drawing
        world = served.world
    return engine, file, events, world


def test_a_soak_drops_the_load_before_the_limit(ridge: Job, tmp_path: Path) -> None:
    test = Soak(id="soak", output="mount", link="front-end", stages=(1.0,), every_s=20.0)
    engine, file, events, world = run(ridge, test, tmp_path)
    assert engine.ended.text.startswith("The load was dropped before the limit. Will cross")
    assert "readings" in engine.ended.text
    assert world.supply.warmth.celsius("front-end-junction") < 105
    assert not world.supply.warmth.died
    states = [e.state for e in events if e.state is not None]
    # A fifth of the forty minutes that it takes to die.
    assert states[-1].at_load_s < 8 * 60
    read = file.readings()
    assert {r.place for r in read if r.quantity == "C"} == {"front-end-case", "front-end-sink", "ambient"}
    assert outcome(file.job, plan(file.job, test), read).verdict in (Verdict.NONCONFORMING, Verdict.TOO_CLOSE)
    file.close()


def test_with_its_pad_reseated_it_is_foretold_to_survive(ridge: Job, tmp_path: Path) -> None:
    change = Changed(link="front-end", what="pad reseated")
    test = Soak(
        id="soak",
        output="mount",
        link="front-end",
        stages=(1.0,),
        every_s=60.0,
        hold_s=900,
        changes=(change,),
    )
    engine, file, events, world = run(ridge, test, tmp_path)
    assert engine.ended.kind == "complete", engine.ended.text
    last = [e.state for e in events if e.state is not None][-1]
    assert last.call == "stays below"
    # 8.17 W through the junction's 0.9, the pad's 1.8 and the sink's 6.2 K/W, as they are hidden.
    assert last.spot.final.low < 20 + 8.17 * 8.9 < last.spot.final.high
    assert not world.supply.warmth.died
    file.close()


def test_a_load_that_lets_go_ends_a_soak_and_what_fails_is_kept(ridge: Job, tmp_path: Path) -> None:
    test = Soak(
        id="soak", output="mount", link="front-end", stages=(1.0,), every_s=60.0, stop_when_sure=False
    )

    def die(engine: RunEngine, served) -> None:
        if served.world.supply.now > 300:
            served.world.supply.warmth.truths = replace(
                ridge_pier.HEAT, dies_C={"front-end": 30.0}, dies_s=1.0
            )

    engine, file, _, _ = run(ridge, test, tmp_path, die)
    assert "fell to 0.00 V" in engine.ended.text
    assert "kept" in engine.ended.text
    found = outcome(file.job, plan(file.job, test), file.readings())
    assert any(f.name == "output gone" for f in found.findings)
    file.close()


@pytest.mark.parametrize(
    ("back_C", "afterwards", "verdict"),
    [(None, "stays off until it is reset", Verdict.CONFORMS), (70.0, "cycles: off", Verdict.NONCONFORMING)],
)
def test_a_protection_against_heat_acts_and_is_judged(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, back_C: float | None, afterwards: str, verdict: Verdict
) -> None:
    guarded = replace(finishers_bench.HEAT, guards={"regulator": HeatGuard(85.0, back_C)})
    monkeypatch.setattr(finishers_bench, "HEAT", guarded)
    job = demo_job("finishers-bench")
    test = changed(job.test("over-temperature"), hold_s=1400.0)
    engine, file, _, world = run(job, test, tmp_path)
    assert engine.ended.kind == "complete", engine.ended.text
    found = {f.name: f for f in outcome(file.job, plan(file.job, test), file.readings()).findings}
    acts = next(f for name, f in found.items() if name.startswith("acts"))
    # Read again as it goes and comes, by a probe that lags four seconds behind a case that falls fast.
    assert acts.value.low < 85 < acts.value.high < acts.value.low + 4
    if back_C:
        assert found["comes back at"].value.low < back_C < found["comes back at"].value.high
    assert found["afterwards"].text.startswith(afterwards)
    assert found["afterwards"].verdict is verdict
    assert ("between" in found["afterwards"].text) == (back_C is not None)
    supply = world.supply
    assert supply.volts("bath") == 0.0 or back_C is not None
    # Without power for long enough, and cool again, it starts anew.
    supply.power(False)
    supply.advance(900.0)
    supply.power(True)
    supply.advance(5.0)
    assert supply.volts("bath") > 11
    file.close()


def test_a_fan_is_seen_to_come_on_and_a_low_output_is_not_taken_for_gone(tmp_path: Path) -> None:
    job = demo_job("finishers-bench")
    guardless = changed(job, name="A bench without a demo's secrets")
    test = FanTest(id="fan", output="bath", stages=(1.0,), hold_s=1500.0, every_s=15.0, on_by_C=62.0)
    engine, file, events, _ = run(guardless, test, tmp_path)
    assert engine.ended.kind == "complete", engine.ended.text
    # The last step stands at half a volt, where a linear stage loses most.
    assert not any("output is gone" in e.text for e in events)
    found = {f.name: f for f in outcome(file.job, plan(file.job, test), file.readings()).findings}
    assert found["comes on at"].value.low < 60 < found["comes on at"].value.high
    assert found["on in time"].verdict is Verdict.CONFORMS
    file.close()
