"""What stands before each act, one rule at a time: where it bites, and where it does not."""

import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import changed, new_link, readings_first, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.battery import Battery
from tensimeter.core.parts.plain_loads import Resistor
from tensimeter.core.parts.steps import UNIT_BAND
from tensimeter.core.parts.transformer import Transformer
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.design_notices import design_notices
from tensimeter.core.procedure.edge_notices import edge_notices
from tensimeter.core.procedure.first_power import power_up_results, power_up_steps
from tensimeter.core.procedure.guide import GUIDE
from tensimeter.core.procedure.incoming_check import learnt, tried
from tensimeter.core.procedure.matrix import matrix
from tensimeter.core.procedure.notices import must_be_lifted, notices, open_holds
from tensimeter.core.procedure.part_notices import part_notices, stock_notices
from tensimeter.core.procedure.practice import Practice
from tensimeter.core.procedure.protection import protection
from tensimeter.demo.library import demo_job
from tests.core.test_by_hand import supply, supply_of_two, typed
from tests.core.test_envelope import donor, module, path


def test_a_label_is_doubted_where_the_path_relies_on_it() -> None:
    job = path(donor("Brick", 24.0, 30.0))
    spare = with_part(job, changed(donor("Spare", 24.0, 30.0), doubt=0.2))

    def doubted(of: Job) -> list[str]:
        return [n.id for n in stock_notices(of) if n.id.startswith("doubt:")]

    assert doubted(job) == []
    assert doubted(spare) == []
    relied_on = with_part(job, changed(job.stock[0], doubt=0.2))
    assert doubted(relied_on) == ["doubt:brick"]
    text = next(n.text for n in stock_notices(relied_on) if n.id == "doubt:brick")
    assert "20 % below its label" in text


def with_device(job: Job, part, **more: object) -> Job:
    job = with_part(job, part)
    return with_link(job, changed(job.design.outputs()[0], device=part.id, **more))


PACK = Battery(id="pack", name="Pack", chemistry="lithium_ion", cells=3, capacity_Ah=5.0, rated_A=5.0)


def test_only_what_is_charged_is_told_how() -> None:
    job = path(donor("Brick", 12.6, 15.0))
    load = Resistor(id="r", name="R", resistance_ohm=12.0, rated_W=50.0)
    for part, told in ((PACK, True), (load, False)):
        ids = [n.id for n in part_notices(with_device(job, part)) if n.id.startswith("charge:")]
        assert bool(ids) is told


def test_a_battery_feeds_back_where_nothing_is_in_its_way() -> None:
    job = path(donor("Brick", 12.6, 15.0))
    for guard, verdict in (("nothing", Verdict.NONCONFORMING), ("diode", Verdict.CONFORMS)):
        found = [p for p in protection(with_device(job, PACK, backfeed_guard=guard)) if "backfeed" in p.what]
        assert [p.verdict for p in found] == [verdict]


def test_each_unit_of_a_stack_has_its_reverse_diode() -> None:
    assert [p.where for p in protection(supply_of_two()) if p.what == "reverse diode"] == [
        "across lower: its ring to +, its other end to −",
        "across upper: its ring to +, its other end to −",
    ]
    assert not [p for p in protection(supply("24V 6A 144W tall")) if p.what == "reverse diode"]


def test_the_practice_supply_is_warm_enough_for_its_fan() -> None:
    job = demo_job("finishers-bench")
    fans = [s for s in power_up_steps(job) if s.quantity == "C"]
    assert fans
    for step in fans:
        assert Practice(job).value(step.place) == pytest.approx(step.expected + 0.04)


def test_degrees_are_no_volts_that_belong_elsewhere() -> None:
    """45 read in volts where a fan should come on at 45 °C points at no sensor."""
    job = demo_job("finishers-bench")
    fan = next(s for s in power_up_steps(job) if s.quantity == "C")
    step = next(s for s in power_up_steps(job) if s.id.startswith("alone-"))
    found = power_up_results(job, [typed(step.place, "V", fan.expected)])
    here = next(r for r in found if r.step.id == step.id)
    assert here.reading is not None
    assert not any(fan.probe in cause.words for cause in causes(job, here))


def test_what_a_first_try_fills_in_is_above_zero(demo: Job) -> None:
    part = demo.part("enclosed-a")
    steps = [t.step for t in tried(demo, part, []) if t.step.field]
    assert steps
    for value, kept in ((0.0, False), (steps[0].band.ends[0] or 24.0, True)):
        found = tried(demo, part, [typed(steps[0].place, steps[0].quantity, value)])
        assert (steps[0].field in learnt(found)) is kept


def test_limits_are_told_of_a_path_that_has_a_source() -> None:
    over = path(donor("Brick", 24.0, 30.0), output="output OUT 24V 9A")
    assert any(n.kind == "miss" and "continuous amps" in n.title for n in design_notices(over))
    assert not any(n.kind == "miss" for n in design_notices(Job(name="empty")))


def test_a_stack_is_a_hold_above_what_is_a_hazard_and_not_at_it() -> None:
    job = path(donor("Lower", 30.0, 32.0, tolerance=0.0), donor("Upper", 30.0, 32.0, tolerance=0.0))

    def held(touch_V: float) -> bool:
        told = job.model_copy(update={"settings": changed(job.settings, touch_V=touch_V)})
        return any(n.id == "stack:60V" for n in notices(told))

    assert not held(60.0)
    assert held(59.9)


def test_a_rating_in_volts_is_told_by_its_own_name() -> None:
    job = path(donor("Brick", 48.0, 60.0), module(40.0))
    told = {n.id: n for n in edge_notices(job)}
    assert told["edge:Module, input volts"].link == "module"
    assert told["edge:Module, input volts"].kind == "miss"
    shares = [n for n in edge_notices(demo_job("ridge-pier")) if n.id == "edge:shares"]
    assert [n.link for n in shares] == ["front-end"]


def test_the_first_hold_stands_in_the_refusal(demo: Job) -> None:
    stopping = open_holds(notices(demo), "prove", "mount")
    with pytest.raises(UserError) as refused:
        must_be_lifted(demo, [], "mount")
    assert str(refused.value).startswith(f"Hold point open: {stopping[0].title}. {stopping[0].text}")


def test_the_ladder_of_first_power_by_hand(demo: Job) -> None:
    """24.1 V and 24.2 V, stacked to 48.3 V; what would harm what comes behind is a hold."""
    steps = {s.id: s for s in power_up_steps(demo)}
    volts = {k: round(steps[k].expected, 1) for k in ("alone-donor-a", "alone-donor-b", "stack-donor-b")}
    assert volts == {"alone-donor-a": 24.1, "alone-donor-b": 24.2, "stack-donor-b": 48.3}
    assert round(steps["in-front-end"].expected, 1) == 48.3
    assert all(steps[k].hold for k in steps if k.startswith(("alone-", "stack-", "in-", "trim-")))
    # A mains transformer's volts follow the mains; a regulated unit's don't.
    winding = Transformer(
        id="winding", name="Winding", tap_V=(18.0,), resistance_ohm=0.5, rated_A=2.0, capacitance_F=4.7e-3,
        capacitor_V=63.0, diode_V=0.9,
    )  # fmt: skip
    shares = []
    for source in (winding, donor("Brick", 24.0, 30.0, 0.01)):
        step = next(s for s in power_up_steps(path(source, module(60.0))) if s.id == "in-module")
        low, high = step.band.ends
        shares.append((high - low) / (2 * step.expected))
    assert shares == pytest.approx([winding.strays, donor("Brick", 24.0, 30.0, 0.01).strays])
    assert shares[0] > 2 * UNIT_BAND


def test_a_supply_that_exists_meets_earth_as_its_policy_has_it() -> None:
    job = readings_first("Shed supply", "12V 5A")

    def kind(of: Job) -> str:
        return next(p.kind for p in matrix(of) if p.place == "earth-out")

    assert kind(job) == "apart"
    bonded = changed(job.policy, reference="negative_bonded")
    assert kind(job.model_copy(update={"policy": bonded})) == "joined"


def test_the_guide_reads_the_first_of_two_outlets() -> None:
    job = supply("24V 6A 144W tall")
    job = new_link(job, "output LAMP 12V 1A", job.design.links[0].id)
    earth = next(step for step in GUIDE if step.title.startswith("Is the outlet free"))
    first, second = job.design.outputs()
    assert (first.id, second.id) == ("lamp", "out")
    assert earth.line(job, []) == "earth-lamp OL"
