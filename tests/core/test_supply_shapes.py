"""Supplies as they are built: rails below common, trims, jacks, enables, what is inside, what is claimed."""

import numpy as np
import pytest

from tensimeter.core.assembly.wiring import wire_list
from tensimeter.core.design.sizing import sized
from tensimeter.core.electrical.feedback import infer, span_of
from tensimeter.core.electrical.missing_load import missing_load
from tensimeter.core.heat_design.measuring_points import (
    as_fitted,
    chain,
    heats,
    limit_C,
    measuring_points,
    watched,
)
from tensimeter.core.held.claims import claims
from tensimeter.core.measurement.conformity import Verdict, parse_accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, new_link, with_link, with_test
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.problems import problems
from tensimeter.core.model.stock_edits import card_from_nameplate, with_part
from tensimeter.core.model.tests import CapacityDown, LoadRegulation
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.donor_inside import Inside
from tensimeter.core.parts.enable import Enable
from tensimeter.core.parts.rail import Coupling, RailTrim, TrimPair
from tensimeter.core.parts.switch import Switch
from tensimeter.core.procedure.matrix import checked, matrix
from tensimeter.core.procedure.notices import notices
from tensimeter.core.procedure.stored_energy import stored
from tensimeter.core.rating.dissipation import hot_spots
from tensimeter.core.rating.ladder import at
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.thermal.rc_ladder import CauerLadder


def joined(job: Job, *lines: str) -> Job:
    """A job with links typed one after another, each behind the one before."""
    after = None
    for line in lines:
        known = {x.id for x in job.design.links}
        job = new_link(job, line, after)
        after = next(x.id for x in job.design.links if x.id not in known)
    return job


@pytest.fixture(scope="module")
def pc() -> Job:
    """A PC supply from its label: 12 V, 5 V and a rail below common, an outlet at each."""
    card = card_from_nameplate(Job(name="x"), "PC supply 450W 12V 18A 5V 25A −12V 0.5A")
    job = new_link(with_part(Job(name="x"), card), card.name, None)
    outlets = {"12 V": "output A 12V 5A", "5 V": "output B 5V 3A", "−12 V": "output C 12V 0.3A"}
    for rail in job.design.links:
        job = new_link(job, outlets[rail.rail], rail.id)
    return job


def pairs_of(job: Job) -> dict[str, str]:
    return {p.name: p.kind for p in matrix(job)}


def test_a_rail_below_common_is_solved_wired_and_read_the_right_way_round(pc: Job) -> None:
    assert problems(pc.design, pc.stock) == {}
    assert [r.name for r in pc.stock[0].rails] == ["12 V", "5 V", "−12 V"]
    _, solution, limits = at(pc, {"a": 5.0, "b": 3.0, "c": 0.3})
    assert float(solution["c"].V) == pytest.approx(12.0)
    allowed = float(next(x for x in limits if x.name == "−12 V, continuous amps").allowed)
    assert allowed == pytest.approx(0.5 * pc.policy.donor_share)
    found = pairs_of(pc)
    # What meets common, and earth through it, is the outlet's plus.
    assert found["C + to earth pin"] == "joined"
    assert "C − to earth pin" not in found
    assert found["A − to earth pin"] == "joined"
    wires = [w for w in wire_list(pc) if w.end.link == "c"]
    assert [(w.start.name, w.end.name, w.colour) for w in wires] == [
        ("−12 V wires", "−", "blue"),
        ("common wires", "+", "black"),
    ]
    assert {w.colour for w in wire_list(pc) if w.role == "plus"} == {"yellow", "red", "blue"}
    stray = with_part(pc, Switch(id="sw", name="Switch", rated_A=5, rated_V=32))
    assert problems(new_link(stray, "Switch", "c").design, stray.stock) != {}
    moved = with_link(pc, changed(pc.design.link("c"), fed_by=pc.design.link("a").fed_by))
    assert pairs_of(moved)["C − to earth pin"] == "joined"


def test_jacks_in_colours_that_are_taken(pc: Job) -> None:
    def told(**jacks: str) -> dict[str, str]:
        job = pc
        for output, colour in jacks.items():
            job = with_link(job, changed(job.design.link(output), jack_colour=colour))
        return {n.id: n.text for n in notices(job) if n.id.startswith("jack:")}

    assert told(a="yellow", b="red", c="blue") == {}
    assert "the wires of B (5 V)" in told(a="Red")["jack:a"]
    assert set(told(a="white", c="white")) == {"jack:a", "jack:c"}
    # 3.3 V has no outlet: its colour is that of no rail here, and stays free.
    assert told(a="orange") == {}


def test_the_missing_load_that_lets_a_rail_stray(pc: Job) -> None:
    ohm = {("12 V", "5 V"): -0.16, ("12 V", "12 V"): 0.02, ("5 V", "5 V"): 0.01, ("5 V", "12 V"): 0.02}
    idle, most = {"12 V": 11.2, "5 V": 5.1}, {"12 V": 18.0, "5 V": 25.0}
    cure = missing_load("12 V", (11.4, 12.6), idle, ohm, most)
    # 0.2 V over 0.16 Ω; 1.25 A of 5.1 V; 5.1 V less 1.25 A of 10 mΩ.
    assert cure is not None
    assert (cure.rail, cure.amps, cure.watts) == ("5 V", pytest.approx(1.25), pytest.approx(6.375))
    assert cure.volts == pytest.approx({"12 V": 11.4, "5 V": 5.0875})
    # Loading the rail that sags would only pull it down; and nothing helps where 5 V may give 1 A only.
    assert missing_load("12 V", (11.4, 12.6), idle, ohm, {**most, "5 V": 1.0}) is None
    assert missing_load("12 V", (11.0, 12.6), idle, ohm, most) is None
    high = missing_load("5 V", (4.75, 5.09), idle, ohm, most)
    assert high is not None
    # 12 V at 0.5 A takes 5.6 W, 5 V at 1 A 5.1 W: the lesser.
    assert (high.rail, high.amps) == ("5 V", pytest.approx(1.0))
    card = pc.stock[0]
    rails = (card.rails[0].with_fields(volts=11.2), *card.rails[1:])
    sags = with_part(
        pc, card.with_fields(rails=rails, couplings=(Coupling(rail="12 V", other="5 V", ohm=-0.16),))
    )
    said = next(n for n in notices(sags) if n.id == "idle:a").text
    assert "the missing load of 5 V that does it: 1.25 A there, 6.25 W" in said


def test_a_trim_from_pairs(pc: Job) -> None:
    """Vref 2.5 V over 10 kΩ and 2.63 kΩ gives 12.006 V; a resistor R across the lower leg adds 2.5·10k/R."""
    made = [(r, 2.5 * (1 + 10e3 / (1 / (1 / 2630 + 1 / r)))) for r in (10e3, 22e3, 47e3)]
    span = span_of(infer(made), 10e3, 50e3, trip_V=15.0)
    assert (span.open_V, span.high_V) == (pytest.approx(12.0057, abs=1e-4), pytest.approx(14.5057, abs=1e-4))
    assert (span.low_V, span.fails) == (pytest.approx(12.0057 + 25e3 / 60e3, abs=1e-4), "low")
    # 15 V − 1 %, less 12.006 V + 25 kV·Ω / 9.9 kΩ.
    assert span.trip_margin_V == pytest.approx(14.85 - 14.5309, abs=1e-3)
    rails = (pc.stock[0].rails[0].with_fields(trip_V=13.6), *pc.stock[0].rails[1:])
    trim = RailTrim(pairs=tuple(TrimPair(ohm=r, volts=v) for r, v in made), pot_ohm=50e3)
    job = with_part(pc, pc.stock[0].with_fields(rails=rails, trim=trim))
    link = next(x.id for x in job.design.links if getattr(x, "rail", "") == "12 V")
    _, solution, _ = at(job, {"a": np.float64(1.0)})
    figures = {f.title: f.value for f in sized(job, link, solution).figures}
    assert figures["With its wiper open (fails low)"] == pytest.approx(12.0057, abs=1e-3)
    assert figures["Left below its trip"] < 0
    assert "comes to its trip of 13.6 V" in next(n for n in notices(job) if n.id == f"trim:{link}").text


def test_an_opened_pc_supply_holds_charge(pc: Job) -> None:
    assert stored(pc) == []
    found = stored(with_part(pc, pc.stock[0].with_fields(opened=True)))
    # Once for the whole supply: 450 W of 1.5 µF a watt, at 400 V.
    assert [(s.farad, s.start_V) for s in found] == [(pytest.approx(675e-6), 400.0)]


def servers(**fields: object) -> Job:
    stock = tuple(
        Donor(id=x, name=f"Server {x}", family="server", no_load_V=12.2, rated_A=60, rated_W=720, **fields)
        for x in "ab"
    )
    return joined(Job(name="x", stock=stock), "Server a", "Server b", "output OUT 24.4V 20A")


def test_a_server_unit_is_taken_for_joined_to_its_case_until_it_is_read() -> None:
    lone = Donor(id="s", name="Server", family="server", no_load_V=12.2, rated_A=60, rated_W=720)
    job = joined(Job(name="x", stock=(lone,)), "Server", "output OUT 12.2V 20A")
    assert pairs_of(job)["OUT − to earth pin"] == "either"
    place = "earth-out"

    def said(ohms: float) -> Verdict:
        read = Reading(1, 0.0, place, "ohm", ohms, "meter", None, "two-wire", "typed", id=1)
        return next(c.verdict for c in checked(job, [read]) if c.pair.place == place)

    assert [said(x) for x in (0.2, float("inf"), 4700.0)] == [
        Verdict.CONFORMS, Verdict.CONFORMS, Verdict.NONCONFORMING,
    ]  # fmt: skip
    known = with_part(job, lone.with_fields(isolation_ohm=0.2))
    assert pairs_of(known)["OUT − to earth pin"] == "joined"
    assert pairs_of(with_part(job, lone.with_fields(bonded=False)))["OUT − to earth pin"] == "apart"
    # In a stack what is not known counts as the worst.
    assert any(n.id.startswith("case:") and n.kind == "miss" for n in notices(servers()))
    assert problems(servers(bonded=True).design, servers(bonded=True).stock) != {}
    assert not any(n.id.startswith("case:") for n in notices(servers(bonded=False)))
    written = servers(bonded=False).model_dump(mode="json") | {"format": 3, "minor": 3}
    assert [p.bonded for p in read_job(written).stock] == [None, None]


def test_the_bottom_of_a_stack_may_be_earthed() -> None:
    job = servers(bonded=False)
    apart = pairs_of(job)
    assert apart["Server a − to Server a case"] == "apart"
    bottom = with_link(job, changed(job.design.links[0], earthed=True))
    found = pairs_of(bottom)
    assert found["Server a − to Server a case"] == "joined"
    assert found["Server a + to Server a case"] == "not_shorted"
    assert found["Server b − to Server b case"] == "apart"
    top = next(p for p in matrix(bottom) if p.name == "Server b − to Server b case")
    assert top.why.startswith("its joint to the unit below open")


def test_enable_lines_of_a_stack_are_never_joined() -> None:
    job = servers(bonded=False)

    def held(part: Enable) -> dict[str, str]:
        both = with_part(job, part)
        for link in job.design.links[:2]:
            both = with_link(both, changed(link, enable=part.id))
        return problems(both.design, both.stock)

    assert "share Resistor" in next(iter(held(Enable(id="e", name="Resistor")).values()))
    assert held(Enable(id="e", name="Opto", by="optocoupler", ways=2)) == {}
    assert held(Enable(id="e", name="Resistors", count=2)) == {}
    one = with_part(job, Enable(id="e", name="Resistor"))
    one = with_link(one, changed(one.design.links[0], enable="e"))
    assert [w.end.link for w in wire_list(one) if w.start.name == "enable"] == ["e"]


def test_a_switch_parts_dc_only_as_far_as_it_says(pc: Job) -> None:
    rail = next(x.id for x in pc.design.links if getattr(x, "rail", "") == "12 V")
    job = new_link(with_part(pc, Switch(id="sw", name="Switch", rated_A=6, poles=2)), "Switch", rail)
    link = next(x for x in job.design.links if x.name == "Switch")
    _, solution, limits = at(job, {"a": 5.0})
    assert float(solution[link.id].loss) == pytest.approx(25 * 0.02)
    by_name = {x.name: float(x.allowed) for x in limits}
    assert (by_name["Switch, contacts"], by_name["Switch, volts"]) == (6, 28)
    assert any(n.id == f"switch:{link.id}" for n in notices(job))


def test_what_is_inside_a_donor_is_watched_like_any_other() -> None:
    """10 V at 10 A, 80 %: 25 W lost, half of it in two diodes of which one takes 60 % of the current."""
    inside = Inside(
        what="rectifier",
        count=2,
        current_share=0.6,
        loss_share=0.5,
        junction_K_W=2,
        mounting_K_W=1,
        sink_K_W=3,
    )
    donor = Donor(id="d", name="Donor", no_load_V=10, rated_A=10, rated_W=100, efficiency=0.8, inside=inside)
    job = joined(Job(name="x", stock=(donor,)), "Donor", "output OUT 10V 10A")
    _, solution, limits = at(job, {"out": np.float64(10.0)})
    spot = hot_spots(job, solution)[0]
    assert float(spot.loss_W) == pytest.approx(12.5)
    # 20 °C + 12.5 W · 3 K/W of the sink + 7.5 W of the one · 3 K/W.
    assert float(spot.hot_C) == pytest.approx(20 + 37.5 + 22.5)
    assert spot.name == "Donor, rectifier"
    assert any(x.name == "Donor, rectifier, hot spot" for x in limits)
    assert watched(job, "out") == "donor"
    own, rest = heats(job, "out", (10.0,), "donor")
    assert (own[0], rest[0]) == (pytest.approx(12.5), pytest.approx(12.5))
    assert measuring_points(job)["donor-case"] == "Donor rectifier case"
    assert limit_C(job, "donor", "out", 10.0) == 125.0
    fitted = CauerLadder({"case": 1.2, "sink": 6.0}, {"case": 20.0, "sink": 300.0})
    worse = chain(as_fitted(job, "donor", fitted), "donor")
    assert worse is not None
    assert worse.theta_K_W == pytest.approx(fitted.theta_K_W)
    assert worse.capacity_J_K == pytest.approx(fitted.capacity_J_K)


def read(test: str, rows: list[tuple[float, float]], every_s: float = 1.0) -> list[Reading]:
    meters = {q: parse_accuracy("0.1%+0@0.001") for q in ("V", "A")}
    return [
        Reading(
            k, k * every_s, "out", q, value, "meter", meters[q], "four-wire", "typed", test=test,
            id=2 * k + n + 1,
        )
        for k, row in enumerate(rows)
        for n, (q, value) in enumerate(zip(("V", "A"), row, strict=True))
    ]  # fmt: skip


def test_claimed_against_found_in_cells_and_at_the_outlet() -> None:
    """10 Ah at 3.7 V, 90 % of it at 5 V: 6.66 Ah; an hour of 2 A at 5 V gives 2 Ah, 3.003 Ah of cells."""
    bank = Donor(id="b", name="Bank", no_load_V=5, rated_A=3, rated_W=15)
    job = joined(Job(name="x", stock=(bank,)), "Bank", "output OUT 5V 3A")
    test = CapacityDown(id="c", output="out", claimed_Ah=10, claimed_cell_V=3.7, cutoff_V=4.5)
    job = with_test(job, test)
    rows = [(5.0, 2.0)] * 61 + [(4.0, 2.0)]
    found = outcome(job, plan(job, test), read("c", rows, every_s=60.0))
    outlet, unit = claims(job, [found])
    assert (outlet.claimed_Ah, outlet.claimed_cell_Ah) == (pytest.approx(6.66), 10)
    # The cut-off lies half way between the last two readings: half a minute more.
    assert outlet.found_Ah.value == pytest.approx(2 + 2 / 120, rel=1e-3)
    assert outlet.found_cell_Ah.value == pytest.approx((10 + (5 + 4.5) / 2 * 2 / 120) / 3.33, rel=1e-3)
    assert outlet.charge_verdict is Verdict.NONCONFORMING
    # Its volts fell because it was empty: that says nothing of its amps.
    assert (outlet.reached_A, outlet.verdict) == (None, Verdict.NOT_MEASURED)
    assert (unit.name, unit.what, unit.claimed_A, unit.reached_A) == ("Bank", "unit", 3, None)
    line = LoadRegulation(id="line", output="out")
    job = with_test(job, line)

    def told(*rows: tuple[float, float]) -> tuple[float, float | None, Verdict, float]:
        outlet, unit = claims(job, [outcome(job, plan(job, line), read("line", list(rows)))])
        fell = outlet.collapse_A.value if outlet.collapse_A else None
        return outlet.reached_A.value, fell, outlet.verdict, unit.reached_A.value

    assert told((5.1, 0.0), (5.0, 2.0)) == (2.0, None, Verdict.NOT_MEASURED, pytest.approx(2.0))
    # Out of its band at less than is claimed; read again, what failed once has failed.
    assert told((5.0, 2.0), (4.2, 2.5)) == (2.0, 2.5, Verdict.NONCONFORMING, pytest.approx(2.0))
    assert told((5.0, 2.0), (4.2, 3.0), (4.9, 3.0)) == (2.0, 3.0, Verdict.NONCONFORMING, pytest.approx(2.0))
