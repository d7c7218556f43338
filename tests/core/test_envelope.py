"""The envelope of a design: against every state solved alone, and against ends worked out by hand."""

import math
import random

import numpy as np
import pytest

from tensimeter.core.circuit.network import build, extremes
from tensimeter.core.electrical.elements import Conversion, CurrentSink, Network, Series
from tensimeter.core.electrical.solution import State as LinkState
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, new_link, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.battery import Battery
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.registry import Part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.parts.transformer import Transformer
from tensimeter.core.procedure.edge_notices import edge_notices
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.envelope import GROUPS, QUANTITIES, State, envelope, loads
from tensimeter.demo.library import demo_job, demo_names
from tensimeter.store.library import shipped_parts


def alone(job: Job, state: State) -> dict[str, dict[str, float]]:
    """One state solved by itself: each figure put to its end one by one."""
    job = job if state.room_C is None else job.in_room(state.room_C)
    network = build(job)
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, Transformer):
            moved = part.at_line(job, link, state.line * (1 + state.ends[0] * part.tolerance))
            network = type(network)(tuple(moved if e.id == link.id else e for e in network.elements))
    values = {}
    for (element, field), (least, most) in extremes(network, job, state.line).items():
        if field in ("curve", "lower"):
            continue
        middle = getattr(network[element], field)
        end = next((e for (_, names), e in zip(GROUPS, state.ends, strict=True) if field in names), 0)
        values[element, field] = {1: most, -1: least, 0: middle}[end]
    for link in job.design.links:
        if link.name == state.fault:
            values[link.id, "emf"] = job.part(link.part).stack_unit().highest_V
    solution = solve(network.with_values(values), loads(job)[state.load], as_set=True)
    return {k: {q: float(getattr(p, q)) for q in QUANTITIES} for k, p in solution.points.items()}


def by_chance(seed: int) -> Job:
    """A demo with figures of its own, or a path of parts by chance."""
    chance = random.Random(seed)
    if seed % 3 == 0:
        return demo_job(demo_names()[seed // 3 % 3])
    parts = {p.name: p for name in demo_names() for p in demo_job(name).stock}
    parts |= {p.name: p for p in shipped_parts()}
    sources = [p for p in parts.values() if isinstance(p, SourcePart)]
    others = [p for p in parts.values() if p.kind in ("converter", "fuse", "lead", "connector")]
    job = Job(name="by chance")
    for part in [chance.choice(sources), *chance.sample(others, chance.randint(1, 4))]:
        job = with_part(job, part)
        try:
            job = new_link(job, part.name, job.design.links[-1].id if job.design.links else None)
        except UserError:
            continue
    for k in range(chance.randint(1, 2)):
        after = job.design.links[-1].id if k == 0 else job.design.links[0].id
        job = new_link(job, f"output O{k} 12V {chance.choice((0.2, 1, 3))}A", after)
    return job


@pytest.mark.parametrize("seed", range(12))
def test_the_ends_are_those_of_every_state_solved_alone(seed: int) -> None:
    job = by_chance(seed)
    try:
        found = envelope(job)
    except UserError:
        return
    chance = random.Random(seed)
    tried = set(chance.sample(range(len(found.states)), min(60, len(found.states))))
    ends = {}
    for link in job.design.links:
        for quantity in QUANTITIES:
            for faults in (False, True):
                pair = found.ends(link.id, quantity, faults=faults)
                if pair is not None:
                    ends[link.id, quantity, faults] = pair
                    tried |= {found.states.index(end.state) for end in pair}
    assert ends
    by_state = {k: alone(job, found.states[k]) for k in tried}
    for (link, quantity, faults), (low, high) in ends.items():
        for end in (low, high):
            own = by_state[found.states.index(end.state)][link][quantity]
            assert end.value == pytest.approx(own, rel=1e-9, abs=1e-9), (link, quantity, end.state)
        for k, points in by_state.items():
            value = points[link][quantity]
            if math.isfinite(value) and (faults or not found.states[k].fault):
                slack = 1e-9 * max(abs(value), 1)
                assert low.value - slack <= value <= high.value + slack, (link, quantity, found.states[k])


def path(*parts: Part, output: str = "output OUT 12V 1A") -> Job:
    job = Job(name="by hand")
    for part in parts:
        job = with_part(job, part)
        job = new_link(job, part.name, job.design.links[-1].id if job.design.links else None)
    return new_link(job, output, job.design.links[-1].id)


def module(in_max_V: float) -> Converter:
    return Converter(
        id="module", name="Module", topology="step_down", out_min_V=1.2, out_max_V=24.0, in_max_V=in_max_V,
        rated_A=5.0, set_tolerance=0.02, loss_fixed_W=0.0,
    )  # fmt: skip


def donor(name: str, volts: float, trip: float | None, tolerance: float = 0.05) -> Donor:
    return Donor(
        id=name.lower(), name=name, no_load_V=volts, tolerance=tolerance, output_resistance_ohm=0.02,
        rated_A=5.0, rated_W=150.0, trip_V=trip,
    )  # fmt: skip


def told(job: Job, begins: str) -> list[str]:
    return [f"{n.kind} {n.text}" for n in edge_notices(job) if n.id.startswith(begins)]


def test_a_winding_of_28_v_is_too_much_for_a_module_that_stands_40_v() -> None:
    """28 V·1.05·1.1·√2 less two diodes of 0.9 V: 43.94 V, with nothing drawn."""
    winding = Transformer(
        id="winding", name="Winding", tap_V=(28.0,), resistance_ohm=0.5, rated_A=2.0, capacitance_F=4.7e-3,
        capacitor_V=63.0, diode_V=0.9,
    )  # fmt: skip
    job = path(winding, module(40.0))
    low, high = envelope(job).ends("module", "V_in")
    assert high.value == pytest.approx(28 * 1.05 * 1.1 * math.sqrt(2) - 1.8, abs=0.01)
    assert high.state.words == "no load, mains 10 % above nominal, sources at the upper end"
    assert low.state.line == pytest.approx(0.9)
    assert low.state.load == "full load"
    assert [t.startswith("miss 43.94 V of 40 V") for t in told(job, "edge:Module, input volts")] == [True]
    assert told(path(winding, module(45.0)), "edge:") == []
    assert any("43.94 V of 40 V" in n.text for n in notices(job))


def test_two_units_in_series_at_no_load_their_upper_end_and_their_trip() -> None:
    """2 × 29.5 V + 5 %: 61.95 V; with one of them at its trip of 38 V, 68.98 V."""
    job = path(donor("Lower", 29.5, 38.0), donor("Upper", 29.5, 38.0), module(60.0))
    found = envelope(job)
    assert found.ends("module", "V_in")[1].value == pytest.approx(61.95)
    assert found.ends("module", "V_in", faults=True)[1].value == pytest.approx(38 + 29.5 * 1.05)
    assert told(job, "edge:Module, input volts")[0].startswith("miss 61.95 V of 60 V")
    enough = path(donor("Lower", 29.5, 38.0), donor("Upper", 29.5, 38.0), module(65.0))
    only_at_trip = told(enough, "edge:Module, input volts")
    assert only_at_trip[0].startswith("caution 68.97 V of 65 V")
    assert "at its trip" in only_at_trip[0]
    assert "assumed" not in only_at_trip[0]
    unknown = path(donor("Lower", 29.5, None), donor("Upper", 29.5, None), module(62.0))
    assert "at its trip (assumed)" in told(unknown, "edge:Module, input volts")[0]
    assert told(path(donor("Lower", 29.5, 38.0), donor("Upper", 29.5, 38.0), module(70.0)), "edge:") == []
    # More than 60 V by 1.95 V, which the nominal 59 V does not show; where 120 V is the limit nothing is.
    assert any(n.id == "stack:60V" and "62 V" in n.text for n in notices(job))
    assert told(job, "volts:touch") == []
    dry = job.model_copy(update={"settings": changed(job.settings, touch_V=120.0)})
    assert not any(n.id == "stack:60V" for n in notices(dry))
    alone = path(donor("Brick", 59.0, 70.0), module(80.0))
    assert "Brick comes to 61.95 V: no load, sources at the upper end" in told(alone, "volts:touch")[0]


def test_a_device_is_looked_at_at_the_upper_end() -> None:
    """12.5 V ± 5 % gives 13.125 V to a device that stands 12.6 V; ± 0.5 % gives 12.5625 V."""
    job = path(donor("Brick", 12.5, 15.0))
    at_device = with_link(job, changed(job.output("out"), device_max_V=12.6))
    assert envelope(job).ends("out", "V")[1].value == pytest.approx(13.125)
    assert len(told(at_device, "device:")) == 1
    fine = with_part(at_device, donor("Brick", 12.5, 15.0, tolerance=0.005))
    assert told(fine, "device:") == []


def test_a_battery_is_looked_at_full() -> None:
    """Three cells at 4.2 V are 12.6 V, whatever their label says."""
    pack = Battery(id="pack", name="Pack", chemistry="lithium_ion", cells=3, capacity_Ah=5.0, rated_A=5.0)
    job = path(pack)
    assert envelope(job).ends("pack", "V")[1].value == pytest.approx(12.6)
    device = with_link(job, changed(job.output("out"), device_max_V=12.0))
    assert told(device, "device:")[0].startswith("miss 12.6 V: no load, sources at the upper end")


def test_the_worst_of_a_limit_is_no_less_than_at_full_load(demo: Job) -> None:
    found = envelope(demo)
    worst = {limit.name: (limit, state) for limit, state in found.worst()}
    limit, state = worst["Front end, input volts"]
    # 24.1 V and 24.2 V, one per cent up, on 60 V.
    assert float(limit.used) == pytest.approx(1.01 * (24.1 + 24.2), rel=1e-3)
    assert state.words.startswith("no load, sources at the upper end")
    assert np.isfinite([float(x.fraction) for x, _ in worst.values()]).all()
    # A fifth more loss warms by a fifth more: 20 + 1.2 · 72.8 K on 105 °C.
    (told,) = edge_notices(demo)
    assert "Front end, hot spot: 107.4 °C of 105 °C, full load, losses at the upper end" in told.text


def test_a_step_up_that_is_set_below_its_input_passes_it_on() -> None:
    """24 V less 0.1 Ω·2 A, a diode of 0.7 V and 0.05 Ω·2 A: 23.0 V where 19 V are set."""

    def out(emf: float, *, as_set: bool) -> tuple[float, int]:
        up = Conversion("up", "s", 19.0, 10.0, 0.7, 0.0, 0.0, 0.0, 0.05, "step_up")
        network = Network((Series("s", None, emf=emf, resistance=0.1), up, CurrentSink("o", "up")))
        solution = solve(network, {"o": 2.0}, as_set=as_set)
        return float(solution["o"].V), int(solution["up"].state)

    for as_set in (False, True):
        assert out(24.0, as_set=as_set) == (pytest.approx(23.0), LinkState.PASSES)
        assert out(12.0, as_set=as_set) == (pytest.approx(18.9), LinkState.RUNS)
    up = changed(module(40.0), topology="step_up", dropout_V=0.7)
    job = path(donor("Brick", 24.0, 29.0), up)
    assert envelope(job).ends("out", "V")[1].value == pytest.approx(24 * 1.05 - 0.7, abs=0.01)
    device = with_link(job, changed(job.output("out"), device_max_V=20.0))
    assert told(device, "device:")[0].startswith("miss 24.")


def test_charging_is_looked_at_at_the_upper_end_and_in_the_cold() -> None:
    """Three cells end at 12.6 V: 12.55 V ± 2 % may give 12.8 V; below 0 °C no lithium cell is charged."""
    pack = Battery(
        id="pack", name="Pack", chemistry="lithium_ion", cells=3, capacity_Ah=5.0, rated_A=5.0, board=True
    )
    fuse = next(p for p in shipped_parts() if p.kind == "fuse")

    def said(volts: float, ambient_C: float = 20.0, tolerance: float = 0.02) -> str:
        up = changed(module(40.0), set_tolerance=tolerance)
        job = with_part(path(donor("Brick", 24.0, 29.0), up, fuse, output=f"output OUT {volts}V 1A"), pack)
        link = next(x for x in job.design.links if x.kind == "converter")
        job = with_link(job, changed(link, set_V=volts))
        output = changed(job.output("out"), device="pack", backfeed_guard="diode")
        job = with_link(job, output)
        job = job.model_copy(update={"settings": changed(job.settings, ambient_C=ambient_C)})
        return " ".join(n.text for n in notices(job) if n.id == "charge:out")

    assert "12.8 V (no load, settings at the upper end) is above the 12.6 V it ends at" in said(12.55)
    assert "ends at" not in said(12.3)
    assert "ends at" not in said(12.55, tolerance=0.001)
    assert "outside what it may be charged in" in said(12.3, -5.0)
    assert "outside" not in said(12.3, 5.0)
