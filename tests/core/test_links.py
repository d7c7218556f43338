"""Links beside donors, converters and leads: meters, fans, connectors, wire, batteries, either source."""

import math

import numpy as np
import pytest

from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.network import extremes
from tensimeter.core.design.alternatives import backfeed, fed_instead
from tensimeter.core.design.bands import allowed
from tensimeter.core.design.reach import reach
from tensimeter.core.design.startup import inrushes
from tensimeter.core.electrical.losses import fit_losses
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, new_link, with_link, without_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.model.stock_edits import card_from_nameplate, split_up, with_part
from tensimeter.core.parts.battery import Battery
from tensimeter.core.parts.figures import EfficiencyPoint
from tensimeter.core.parts.registry import Part
from tensimeter.core.path import LeadLink, Link, MeterLink, OutputLink, UnitLink
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.dissipation import wall_W
from tensimeter.core.rating.ladder import at, battery_hours
from tensimeter.demo.library import demo_job
from tensimeter.store.library import shipped_parts

GENERIC = {part.name: part for part in shipped_parts()}


def path(*texts: str, **changes: dict[str, object]) -> Job:
    """A job whose path is joined from generic parts by name, with fields of links changed by id."""
    job = Job(name="x")
    for name, part in GENERIC.items():
        if any(name in text for text in texts):
            job = with_part(job, part)
    after: str | None = None
    for text in texts:
        before = {link.id for link in job.design.links}
        job = new_link(job, text, after)
        after = next(x.id for x in job.design.links if x.id not in before)
    for link_id, fields in changes.items():
        job = with_link(job, changed(job.design.link(link_id.replace("_", "-")), **fields))
    return job


def link(job: Job, kind: type[Link]) -> Link:
    return next(x for x in job.design.links if isinstance(x, kind))


def limits_of(job: Job, loads: dict[str, float]) -> dict[str, float]:
    _, _, found = at(job, {k: np.float64(v) for k, v in loads.items()})
    return {limit.name: float(limit.fraction) for limit in found}


BATTERY, METER = "Lead battery 12 V 7 Ah", "Panel meter 100 V 10 A, shunt in the negative"


def test_a_meter_a_plug_and_wire_from_the_reel_drop_volts_by_hand() -> None:
    job = path(BATTERY, "Barrel plug 5.5 mm", METER, "Wire 1.5 mm²", "output LAMP 12V 2A")
    reel = link(job, LeadLink)
    job = with_link(job, changed(reel, length_m=4.0))
    _, solution, _ = at(job, {"lamp": np.float64(2.0)})
    # By hand: 25 mΩ battery, 2 × 10 mΩ plug, 7.5 mΩ shunt, and 8 m of copper with four contacts.
    copper = 2 * 1.7241e-8 * 4.0 / 1.5e-6 + 4 * 0.001
    own = 0.02
    expected = 12 - (0.025 + 0.02) * (2 + own) - (0.0075 + copper) * 2
    assert float(solution["lamp"].V) == pytest.approx(expected, rel=1e-9)
    assert float(solution[job.design.links[0].id].I) == pytest.approx(2.02)
    used = limits_of(job, {"lamp": 6.0})
    assert used["Barrel plug 5.5 mm, contacts"] == pytest.approx(6.02 / 5)
    assert battery_hours(job, solution)[job.design.links[0].id] == pytest.approx(
        20 * (7 / (2.02 * 20)) ** 1.2
    )
    # What it can't read, and what it can't run from, is named at it.
    blind = with_part(job, changed(job.part(link(job, MeterLink).part), reads_A=1.0, supply_max_V=10.0))
    over = [n.title for n in notices(blind) if n.kind == "miss"]
    assert f"{METER}, amps it can read: over" in over
    assert f"{METER}, own supply, most: over" in over
    uncut = with_link(job, changed(reel, length_m=None))
    assert "say how long" in problems(uncut.design, uncut.stock)[reel.id]


def test_a_meter_may_run_from_elsewhere_but_not_from_itself() -> None:
    job = path("Enclosed unit 24 V 6.3 A 150 W", "Step-down module 3 A", METER, "output OUT 12V 1A")
    meter, donor = link(job, MeterLink), link(job, UnitLink)
    elsewhere = with_link(job, changed(meter, supplied_by=donor.id))
    _, solution, _ = at(elsewhere, {"out": np.float64(1.0)})
    assert float(solution[meter.id].I) == pytest.approx(1.0)
    assert limits_of(elsewhere, {"out": 1.0})[f"{METER}, own supply, most"] == pytest.approx(
        24 / 30, rel=1e-3
    )
    loop = with_link(job, changed(meter, supplied_by="out"))
    assert "can't run from OUT" in problems(loop.design, loop.stock)[meter.id]
    # A second outlet beside it shares the negative: the shunt is bypassed.
    two = new_link(job, "output AUX 24V 1A", donor.id)
    assert any(n.title == "A second way back" for n in notices(two))
    assert not any(n.title == "A second way back" for n in notices(job))


def test_a_fan_is_counted_in_the_budget_and_in_the_reach() -> None:
    job = path("Enclosed unit 24 V 6.3 A 150 W", "Step-down module 8 A", "output OUT 12V 4A")
    module = job.design.links[1].id
    blown = new_link(with_part(job, GENERIC["Fan 80 mm 12 V"]), "Fan 80 mm 12 V", module)
    _, plain, _ = at(job, {"out": np.float64(4.0)})
    _, solution, _ = at(blown, {"out": np.float64(4.0)})
    more = float(wall_W(blown, solution) - wall_W(job, plain))
    # 12 V × 0.16 A, the module's loss for it, over the donor's 85 %.
    loss = (0.55 * 0.16 + 0.05 * (4.16**2 - 4**2) + 12 * 0.16) / 0.85
    assert more == pytest.approx(loss, rel=1e-6)
    volts, amps = np.array([12.0]), np.linspace(0, 9, 91)
    without, with_fan = (reach(j, "out", volts, amps).border()[0] for j in (job, blown))
    assert without.amps - with_fan.amps == pytest.approx(0.16, abs=0.02)
    hung = new_link(blown, "output AUX 12V 1A", next(x.id for x in blown.design.links if x.kind == "fan"))
    assert "fed by a fan" in next(iter(problems(hung.design, hung.stock).values()))


def test_either_source_has_a_reach_of_its_own_and_a_guard() -> None:
    job = path("Enclosed unit 24 V 6.3 A 150 W", "Step-down module 8 A", "output OUT 12V 4A")
    job = with_part(job, GENERIC[BATTERY])
    both = new_link(job, f"or {BATTERY}", None)
    assert problems(both.design, both.stock) == {}
    ((words, swapped),) = fed_instead(both)
    assert words == f"from {BATTERY}"
    amps = np.linspace(0, 9, 181)
    own, other = (reach(j, "out", np.array([10.0]), amps).border()[0] for j in (both, swapped))
    assert own.limiter != other.limiter
    _, solution, _ = at(swapped, {"out": np.float64(2.0)})
    assert float(solution[BATTERY.lower().replace(" ", "-")].I) == pytest.approx(2.0)
    either = next(x for x in both.design.links if x.kind == "either")
    fused = new_link(
        with_part(both, GENERIC["Blade fuse 15 A, holder"]), "Blade fuse 15 A", GENERIC[BATTERY].id
    )
    chosen = next(x for x in fused.design.links if x.kind == "either")
    assert chosen.others == ("blade-fuse-15-a-holder",)
    assert problems(fused.design, fused.stock) == {}
    assert without_link(fused, "blade-fuse-15-a-holder").design == both.design
    for guard, grave in (("switch", False), ("diodes", False), ("nothing", True)):
        guarded = with_link(both, changed(either, guard=guard))
        ((where, said, bad),) = backfeed(guarded)
        assert (where, bad) == (either.id, grave)
        assert "24 V" in said
        assert "12 V" in said
    diodes = with_link(both, changed(either, guard="diodes", diode_V=0.5))
    _, solution, _ = at(diodes, {"out": np.float64(4.0)})
    point = solution[either.id]
    assert float(point.V_in - point.V) >= 0
    assert float(solution[both.design.links[0].id].V - point.V) == pytest.approx(0.5)
    assert float(point.loss) == pytest.approx(0.5 * float(point.I))
    lonely = with_link(both, changed(either, others=()))
    assert "two or more" in problems(lonely.design, lonely.stock)[either.id]


def test_batteries_by_chemistry() -> None:
    job = Job(name="x")
    wound = card_from_nameplate(job, "transformer 24V 1A")
    # 24 V at 1 A, 15 % more without load; at high mains the reservoir stands 24·1.15·1.1·√2 = 42.9 V.
    assert (wound.tap_V[0], wound.resistance_ohm) == (pytest.approx(27.6), pytest.approx(3.6))
    assert (wound.capacitor_V, wound.origins["tap_V"]) == (50, "assumed")
    with pytest.raises(UserError, match="amps or watts"):
        card_from_nameplate(job, "transformer 24V")
    pc = card_from_nameplate(job, "PC supply 450W 12V 18A, 5V 25A, +3.3 V/20A")
    assert [(r.name, r.volts, r.rated_A) for r in pc.rails] == [
        ("12 V", 12.0, 18.0), ("5 V", 5.0, 25.0), ("3.3 V", 3.3, 20.0),
    ]  # fmt: skip
    assert (pc.name, pc.combined[0].watts, pc.rails[0].limit_A) == ("PC supply", 450, None)
    below = card_from_nameplate(job, "PC supply 12V 18A 5V 25A −12V 0.3A").rails[2]
    assert (below.name, below.volts, below.below, below.wire_colour) == ("−12 V", 12.0, True, "blue")
    with pytest.raises(UserError, match="of nothing"):
        card_from_nameplate(job, "12V 18A 5V 25A -12V 0A")
    with pytest.raises(UserError, match="same volts"):
        card_from_nameplate(job, "12V 18A 12V 16A")
    lead = card_from_nameplate(job, "12V 7Ah battery")
    iron = card_from_nameplate(job, "12.8V 20Ah lithium iron battery")
    assert (lead.chemistry, lead.cells, iron.chemistry, iron.cells) == ("lead", 6, "lithium_iron", 4)
    assert lead.hours(0.35) == pytest.approx(20.0)
    assert lead.hours(7.0) < 1.0
    assert iron.hours(10.0) == pytest.approx(2.0)
    assert lead.charging().volts == pytest.approx(14.4)
    assert "no protection board" in iron.charging().refused
    assert changed(iron, board=True).charging().volts == pytest.approx(14.6)
    with pytest.raises(UserError):
        lead.hours(0)


@pytest.mark.parametrize(
    ("changes", "title"),
    [
        ({}, "Charging at OUT"),
        ({"full_load_A": 1.4, "backfeed_guard": "diode"}, "Charging at OUT"),
        ({"nominal_V": 15.0}, "Charging at OUT"),
    ],
)
def test_charging_asks_for_limits_a_fuse_and_a_guard(changes: dict, title: str) -> None:
    job = path("Enclosed unit 24 V 6.3 A 150 W", "Step-down module 3 A", "output OUT 14.4V 3A")
    job = with_part(job, GENERIC[BATTERY])
    charged = with_link(job, changed(job.output("out"), device=GENERIC[BATTERY].id, **changes))
    assert title in [n.title for n in notices(charged)]
    bare = with_part(charged, changed(GENERIC[BATTERY], chemistry="lithium_ion", cells=4))
    assert "No plan to charge this" in [n.title for n in notices(bare)]
    never = charged.model_copy(update={"policy": changed(charged.policy, charging="never")})
    assert "Policy: no charging" in [n.title for n in notices(never)]


def test_a_battery_wants_its_fuse_and_one_that_can_break() -> None:
    bare = path(BATTERY, "output OUT 12V 2A")
    assert "A battery without a fuse" in [n.title for n in notices(bare)]
    fused = path(BATTERY, "Blade fuse 15 A, holder", "output OUT 12V 2A")
    assert "A battery without a fuse" not in [n.title for n in notices(fused)]
    fault = fault_A(fused, "blade-fuse-15-a-holder")
    assert fault is not None
    assert fault.amps == pytest.approx(12 / (0.025 + 0.08 / 15))
    assert "U0 / R" in fault.worked("x").formula
    small = with_part(fused, changed(GENERIC["Blade fuse 15 A, holder"], breaking_A=100.0))
    assert any("can't break" in n.title for n in notices(small))
    # Behind a converter its limit holds the current, behind a donor of unknown limit nothing is known.
    limited = path("Enclosed unit 24 V 6.3 A 150 W", "Step-down module 3 A", "output OUT 12V 1A")
    assert fault_A(limited, "out").amps == 3.0
    assert fault_A(path("Enclosed unit 24 V 6.3 A 150 W", "output OUT 24V 1A"), "out") is None


@pytest.mark.parametrize(
    ("name", "inrush", "highest"),
    [
        ("Filament lamp 12 V 55 W", 10 * 55 / 12, 13.2),
        ("Geared motor 12 V 3 A", 18.0, 14.4),
        ("LED string 12 V 1.5 A", None, 12.6),
        ("Power resistor 10 Ω 50 W", None, math.sqrt(500)),
    ],
)
def test_what_is_fed_tells_what_it_stands(name: str, inrush: float | None, highest: float) -> None:
    job = path("Enclosed unit 24 V 6.3 A 150 W", "Step-down module 8 A", "output OUT 12V 4A")
    job = with_part(job, GENERIC[name])
    fed = with_link(job, changed(job.output("out"), device=GENERIC[name].id, tolerance=1.0))
    assert allowed(fed, fed.output("out"))[1] == pytest.approx(min(highest, 24.0))
    found = inrushes(fed)
    assert (found[0].inrush_A if found else None) == (None if inrush is None else pytest.approx(inrush))
    # What stands at the output itself counts before the card.
    own = with_link(fed, changed(fed.output("out"), device_max_V=12.1))
    assert allowed(own, own.output("out"))[1] == 12.1
    assert ("A steep load" in [n.title for n in notices(fed)]) == ("LED" in name)


def test_a_doubted_label_is_run_lower() -> None:
    job = path("Enclosed unit 24 V 6.3 A 150 W", "output OUT 24V 4A")
    believed = limits_of(job, {"out": 4.0})["Enclosed unit 24 V 6.3 A 150 W, continuous amps"]
    part: Part = GENERIC["Enclosed unit 24 V 6.3 A 150 W"]
    doubted = with_part(job, changed(part, doubt=0.25))
    assert limits_of(doubted, {"out": 4.0})[f"{part.name}, continuous amps"] == pytest.approx(believed / 0.75)
    assert "A label that is doubted" in [n.title for n in notices(doubted)]


def test_a_bonded_unit_is_refused_in_a_stack_and_live_when_off() -> None:
    server = "Hot-swap server unit 12 V 62 A 750 W"
    job = path("Enclosed unit 12 V 8.5 A 102 W", server, "output OUT 24V 4A")
    assert "joined to earth" in problems(job.design, job.stock)[job.design.links[1].id]
    alone = path(server, "output OUT 12V 4A")
    assert "Off, but live" in [n.title for n in notices(alone)]


def test_two_of_these_are_told_apart() -> None:
    job = with_part(Job(name="x"), card_from_nameplate(Job(name="x"), "3x 24V 6.3A unit"))
    apart = split_up(job, "unit")
    assert [(p.name, p.count) for p in apart.stock] == [("unit, A", 1), ("unit, B", 1), ("unit, C", 1)]
    assert len({p.id for p in apart.stock}) == 3
    with pytest.raises(UserError, match="only one"):
        split_up(apart, "unit")


def test_losses_are_fitted_from_one_two_or_a_table_of_efficiencies() -> None:
    def points(*amps: float) -> list[EfficiencyPoint]:
        lost = [1.2 + 0.5 * i + 0.06 * i * i for i in amps]
        return [
            EfficiencyPoint(out_V=12, out_A=i, efficiency=12 * i / (12 * i + p))
            for i, p in zip(amps, lost, strict=True)
        ]

    assert fit_losses(points(1, 3, 6, 10)) == pytest.approx((1.2, 0.5, 0.06), rel=1e-3)
    for amps in ((5.0,), (2.0, 8.0)):
        p0, a, b = fit_losses(points(*amps))
        for i in amps:
            assert p0 + a * i + b * i * i == pytest.approx(1.2 + 0.5 * i + 0.06 * i * i, rel=1e-3)
        assert min(p0, a, b) >= 0
    with pytest.raises(UserError):
        fit_losses([])


def test_switched_taps_are_one_two_step_input() -> None:
    job = demo_job("finishers-bench")
    unit = changed(job.design.link("transformer"), switch_V=9.0)
    switched = with_link(job, unit)
    volts, amps = np.array([3.0, 8.5, 9.5, 15.0]), np.linspace(0, 1.8, 37)
    upper, both = reach(job, "bath", volts, amps), reach(switched, "bath", volts, amps)
    lower = reach(with_link(job, changed(unit, tap=0, switch_V=None)), "bath", volts, amps)
    for got, low, high in zip(both.border(), lower.border(), upper.border(), strict=True):
        wanted = low if got.volts <= 9.0 else high
        assert (got.amps, got.limiter) == (pytest.approx(wanted.amps), wanted.limiter)
    cool = with_link(switched, changed(job.design.link("regulator"), set_V=5.0))
    hot = with_link(job, changed(job.design.link("regulator"), set_V=5.0))
    heat = [float(at(j, {"bath": np.float64(1.2)})[1]["regulator"].loss) for j in (cool, hot)]
    assert heat[0] < 0.55 * heat[1]


def test_a_battery_strays_between_full_and_empty() -> None:
    job = path(BATTERY, "Blade fuse 15 A, holder", "output OUT 12V 2A")
    network, _, _ = at(job, {"out": np.float64(0.0)})
    low, high = extremes(network, job)[job.design.links[0].id, "emf"]
    assert low <= 10.5
    assert high >= 12.72
    assert isinstance(job.part(GENERIC[BATTERY].id), Battery)
    assert isinstance(job.output("out"), OutputLink)
