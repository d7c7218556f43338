"""Faults and limits at the upper end of what they may be: cases worked out by hand."""

import numpy as np
import pytest

from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.network import current_limit_A
from tensimeter.core.design.reach import reach
from tensimeter.core.model.edits import changed, new_link, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.battery import Battery
from tensimeter.core.parts.fuse import FusePart
from tensimeter.core.parts.transformer import Transformer
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.envelope import envelope
from tensimeter.core.rating.ladder import at
from tensimeter.demo.library import demo_job


def test_a_full_battery_with_its_resistance_at_the_low_end_against_a_fuse() -> None:
    """Four lithium cells: 14.8 V over 40 mΩ are 370 A; full at 16.8 V over 28 mΩ they are 600 A."""
    pack = Battery(
        id="pack",
        name="Pack",
        chemistry="lithium_ion",
        cells=4,
        capacity_Ah=5.0,
        resistance_ohm=0.04,
        rated_A=10.0,
    )
    fuse = FusePart(id="f", name="Fuse", rated_A=10, resistance_ohm=1e-9, breaking_A=500)
    job = with_part(with_part(Job(name="pack"), pack), fuse)
    job = new_link(job, "Pack", None)
    job = new_link(job, "Fuse", job.design.links[-1].id)
    job = new_link(job, "output OUT 15V 5A", job.design.links[-1].id)
    source, behind = job.design.links[0].id, job.design.links[1].id
    found = fault_A(job, behind)
    high = 4 * 4.2
    assert found.amps == pytest.approx(pack.nominal_V / 0.04, rel=1e-6)
    assert found.most_A == pytest.approx(high / (0.04 * 0.7), rel=1e-6)
    assert envelope(job).ends(source, "V")[1].value == pytest.approx(high)
    # 500 A break the nominal short, but not the worst.
    assert found.amps < 500 < found.most_A
    assert any(n.title == "Fuse can't break a short" for n in notices(job))


def test_a_winding_is_shorted_at_high_mains() -> None:
    part = Transformer(
        id="w", name="Winding", tap_V=(24.0,), resistance_ohm=0.3, rated_A=4.0, capacitance_F=4.7e-3,
        capacitor_V=63.0, diode_V=0.0,
    )  # fmt: skip
    job = new_link(with_part(Job(name="w"), part), "Winding", None)
    link = job.design.links[0].id
    found = fault_A(new_link(job, "output OUT 30V 1A", link), link)
    # Without diodes the rms of |e| over its ohms: 80 A, and 10 % and 5 % more.
    assert (found.amps, found.most_A) == (pytest.approx(80.0, rel=1e-3), pytest.approx(80 * 1.155, rel=1e-3))


def test_a_limit_that_is_set_above_the_rating_counts_as_set_and_is_told() -> None:
    job = demo_job("ridge-pier")
    front = job.design.link("front-end")
    assert current_limit_A(job, front) == 11.0
    loose = with_link(job, changed(front, limit_A=20.0))
    assert current_limit_A(loose, loose.design.link("front-end")) == 20.0
    assert fault_A(loose, "mount").amps == 20.0
    told = {n.id: n for n in notices(loose)}["limit:front-end"]
    assert "set to limit at 20 A, and is rated 12 A" in told.text
    # 15 A are let through, and are over the 12 A that it stands.
    rated = {x.name: x for x in at(loose, {"mount": 15.0}, as_set=True)[2]}["Front end, rated amps"]
    assert float(rated.fraction) == pytest.approx(15 / 12)
    assert "limit:front-end" not in {n.id for n in notices(job)}


def test_air_beyond_what_a_unit_may_stand_in_is_a_miss() -> None:
    """A box of 0.8 K/W around some 50 W of losses: 60 °C and more, where a unit may stand in 50 °C."""
    job = demo_job("ridge-pier")
    cooled = with_part(job, changed(job.part("enclosed-a"), air_max_C=50.0))
    assert not [n for n in notices(cooled) if "air around it" in n.id]
    boxed = changed(cooled, settings=changed(cooled.settings, box_K_W=0.8))
    told = next(n for n in notices(boxed) if n.id == "over:Donor A, air around it")
    assert (told.kind, "hottest air on its card" in told.text) == ("miss", True)


def test_charging_is_judged_in_the_coldest_and_the_hottest_room() -> None:
    job = demo_job("ridge-pier")
    pack = Battery(
        id="pack", name="Pack", chemistry="lithium_ion", cells=3, capacity_Ah=5.0, board=True, rated_A=10.0
    )
    job = with_link(with_part(job, pack), changed(job.output("mount"), device="pack", backfeed_guard="diode"))

    def said(**settings: float) -> str:
        there = changed(job, settings=changed(job.settings, **settings))
        return " ".join(n.text for n in notices(there) if n.id == "charge:mount")

    assert "outside what it may be charged in" not in said()
    assert "the room's −5 °C are outside what it may be charged in" in said(coldest_C=-5.0)
    assert "the room's 48 °C are outside" in said(hottest_C=48.0)


def test_a_stack_of_batteries_must_stand_what_full_ones_come_to() -> None:
    """Two of 12 cells, 4.2 V full: 100.8 V against the case, and more than is fit to touch."""
    pack = Battery(id="pack", name="Pack", chemistry="lithium_ion", cells=12, capacity_Ah=5.0, rated_A=10.0)
    job = new_link(with_part(Job(name="packs"), pack), "Pack", None)
    job = new_link(job, "Pack", job.design.links[0].id)
    job = new_link(job, "output OUT 90V 5A", job.design.links[-1].id)
    told = {n.id: n for n in notices(job)}
    assert "must stand up to 101 V against its case" in told["stack:earth"].text
    assert "The stack stands at up to 101 V" in told["stack:60V"].text


def test_a_reach_ends_at_the_worst_of_the_mains_and_begins_at_a_least_load() -> None:
    """Linear from a winding: what it loses is most at high mains; what it has to spare is least at low."""
    job = demo_job("finishers-bench")
    volts, amps = np.array([6.0, 12.0]), np.linspace(0, 3, 301)
    steady = [changed(p, low_line=0.0, high_line=0.0) if p.kind == "transformer" else p for p in job.stock]
    ends = [
        [b.amps for b in reach(j, "bath", volts, amps).border()]
        for j in (changed(job, stock=tuple(steady)), job)
    ]
    assert all(swings <= calm for calm, swings in zip(*ends, strict=True))
    assert ends[1] != ends[0]
    donor = demo_job("ridge-pier")
    loaded = [changed(p, minimum_A=1.0) if p.kind == "donor" else p for p in donor.stock]
    found = reach(changed(donor, stock=tuple(loaded)), "mount", np.array([13.6]), np.linspace(0, 8, 81))
    # 13.6 V and 2.1 A or so draw an ampere of 48 V with what the module loses.
    inside = np.flatnonzero(found.inside[0])
    assert 1.0 * 48.2 * 0.8 / 13.6 < 8 * inside[0] / 80 < 1.0 * 48.3 / 13.6
    assert found.names[found.limiter[0, 0]].endswith("least load")
    assert found.border()[0].amps == pytest.approx(8.0)
