"""Formulas at one point each, by hand; and what stands at the very edge of a rule."""

import math

import numpy as np
import pytest

from tensimeter.core.electrical import stage_words
from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.electrical.elements import CurrentSink, Network, Series
from tensimeter.core.electrical.feedback import Divider as FeedbackDivider
from tensimeter.core.electrical.feedback import adjusted
from tensimeter.core.electrical.flyback import Cycle, Stage
from tensimeter.core.electrical.linear_stage import Divider, LinearStage
from tensimeter.core.electrical.load_bank import Piece, nearest_banks
from tensimeter.core.electrical.regulator import nearest
from tensimeter.core.electrical.solver import solve
from tensimeter.core.electrical.stage_loop import Follower, StageAmplifier
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, new_link
from tensimeter.core.model.job import Job, Nameplate
from tensimeter.core.model.stock_edits import card_from_nameplate, with_part
from tensimeter.core.parts.plain_loads import Resistor
from tensimeter.core.parts.source_part import Stored
from tensimeter.core.procedure.build_notices import build_notices
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.first_power import power_up_results, power_up_steps
from tensimeter.core.procedure.first_steps import first_step
from tensimeter.core.procedure.incoming_check import whole_supply
from tensimeter.core.procedure.prove_notices import BONDED_OHM, FLOATING_OHM, prove_notices
from tensimeter.core.procedure.stored_energy import ways

# -- electrical -------------------------------------------------------------------------------------


def test_a_bode_line_of_one_pole() -> None:
    """50/(1 + jf/1 kHz): 50, 35.36 and 4.975, with 5.7, 45 and 84.3 degrees lost."""
    pole = 2 * math.pi * 1e3
    one = np.array([1.0])
    loop = ControlLoop(np.array([[-pole]]), np.array([-50 * pole]), one, one, one)
    decibels, left = loop.bode(np.array([100.0, 1e3, 10e3]))
    assert decibels == pytest.approx([33.936, 30.969, 13.936], abs=1e-3)
    assert left == pytest.approx([174.289, 135.0, 95.711], abs=1e-3)


def test_a_diode_with_ohms_behind_it() -> None:
    """12 V less 0.5 V and 0.1 Ω at 2 A: 11.3 V, and 1.4 W in it."""
    network = Network(
        (Series("s", None, emf=12.0), Series("d", "s", resistance=0.1, drop_V=0.5), CurrentSink("o", "d"))
    )
    point = solve(network, {"o": 2.0})["d"]
    assert float(point.V) == pytest.approx(11.3)
    assert float(point.loss) == pytest.approx(1.4)


def test_the_peak_of_a_secondary_that_runs_empty() -> None:
    """A triangle has twice its mean: 2·2 A over the share of the cycle in which it leads."""
    cycle = Cycle(Stage(0.5e-3, 65e3, 10.0, 12.0, 0.5), 300.0, 2.0, 28.0)
    assert not cycle.continuous
    assert cycle.secondary_peak_A == pytest.approx(2 * 2.0 / cycle.off_duty)
    # What leaves by it is what the primary stored: ½·L·I²·f.
    assert 0.5 * 0.5e-3 * cycle.peak_A**2 * 65e3 == pytest.approx(28.0)


def test_two_resistors_beside_one_another() -> None:
    """1 kΩ beside 1.5 kΩ is 600 Ω; beside one another they come nearer to 610 Ω than in a row."""
    made = nearest(610, [1000, 1500])
    assert (made.ohms, made.joined, made.parts) == (600.0, "in parallel", (1000, 1500))


def test_a_bank_wants_volts_ohms_and_watts() -> None:
    assert nearest_banks([Piece(10.0, 100.0)], 12.0, [1.2])[0].amps == pytest.approx(1.2, rel=0.02)
    for piece, volts in ((Piece(10.0, 50.0), 0.0), (Piece(0.0, 50.0), 12.0), (Piece(10.0, 0.0), 12.0)):
        with pytest.raises(UserError, match="volts above zero"):
            nearest_banks([piece], volts, [1.0])


def test_a_potentiometer_in_the_upper_leg_at_its_worst() -> None:
    """1.25 V·1.02·(1 + 11·1.01/0.99) = 15.584 V; a trip of 17 V ± 1 % leaves 1.246 V."""
    span = adjusted(FeedbackDivider(1.25, 10e3, 1e3), 1e3, trip_V=17.0)
    assert span.high_V == pytest.approx(15.0)
    assert span.trip_margin_V == pytest.approx(16.83 - 1.275 * (1 + 11 * 1.01 / 0.99))
    assert FeedbackDivider(2.5, 10e3, 2e3).volts(1.0) == pytest.approx(2.5 * (1 + 10e3 / (2000 / 2001)))
    with pytest.raises(UserError, match="above zero"):
        FeedbackDivider(2.5, 10e3, 2e3).volts(0.0)


def stage(**more: object) -> LinearStage:
    figures = {
        "divider": Divider(2.5, 3e3, 1e3, across_top=False), "amps": 3.0, "in_high_V": 30.0, "in_low_V": 20.0,
        "in_stands_V": 40.0, "devices": 2, "ballast_ohm": 0.1, "junction_K_W": 1.0, "mounting_K_W": 0.5,
        "sink_K_W": 1.0, "air_C": 25.0, "hottest_C": 150.0,
    }  # fmt: skip
    return LinearStage(**{**figures, **more})  # type: ignore[arg-type]


def test_a_stage_by_its_parts() -> None:
    """Three terminals: 2 V and 0.1 Ω at 1.5 A each. Discrete: 10 V of 2.5 V want 3 kΩ above 1 kΩ."""
    assert stage().dropout_V == pytest.approx(2.15)
    loop = stage(follower=Follower(50.0, 4e6, 0.1, 2), amplifier=StageAmplifier(1e6)).loop(10.0, 1.0)
    assert loop is not None
    assert (loop.top_ohm, loop.bottom_ohm, loop.amps) == (3e3, 1e3, 1.0)
    pushes = "push back as the input falls"
    assert any(pushes in words for words in stage_words.minded(stage(output_F=1e-3)))
    for kept in (stage(output_F=1e-3, diodes=True), stage(output_F=1e-6)):
        assert not any(pushes in words for words in stage_words.minded(kept))


# -- procedure --------------------------------------------------------------------------------------


def supply(*labels: str, output: str = "output OUT 24V 3A") -> Job:
    """Sources by their labels, the first in the path."""
    job = Job(name="by hand")
    for label in labels:
        job = with_part(job, card_from_nameplate(job, label))
    job = new_link(job, job.stock[0].name, None)
    return new_link(job, output, job.design.links[-1].id)


def typed(place: str, quantity: str, value: float, number: int = 1) -> Reading:
    return Reading(number, float(number), place, quantity, value, "", None, "two-wire", "typed", id=number)


def test_what_comes_first_is_asked_of_the_first_card() -> None:
    job = with_part(Job(name="x"), card_from_nameplate(Job(name="x"), "24V 6A 144W tall"))
    job = with_part(job, card_from_nameplate(job, "12V 2A flat"))
    assert first_step(job).example == "tall"
    joined = new_link(job, "tall", None)
    # Half of its amps, at its volts.
    assert first_step(joined).example == "output OUT 24V 3A"


def test_a_supply_by_its_nameplate() -> None:
    """Amps as they stand; else watts over volts; of volts alone one ampere."""
    for told, amps in (({"amps": 5.0}, 5), ({"watts": 60.0}, 5), ({}, 1)):
        made = whole_supply(Job(name="x", nameplate=Nameplate(text="", volts=12.0, **told)))
        assert made is not None
        assert made.rated_A == pytest.approx(amps)


def test_the_earth_of_an_outlet_at_the_edge_of_its_rule(demo: Job) -> None:
    """Exactly what is asked for is enough; a hair less is not."""

    def holds(ohm: float) -> bool:
        return any(n.id == "earth:mount" for n in prove_notices(demo, [typed("earth-mount", "ohm", ohm)]))

    assert not holds(FLOATING_OHM)
    assert holds(FLOATING_OHM * 0.999)
    bonded = demo.model_copy(update={"policy": changed(demo.policy, reference="negative_bonded")})

    def open_(ohm: float) -> bool:
        return any(n.id == "earth:mount" for n in prove_notices(bonded, [typed("earth-mount", "ohm", ohm)]))

    assert not open_(BONDED_OHM)
    assert open_(BONDED_OHM * 1.001)


def ids(job: Job, readings: list[Reading] | None = None) -> set[str]:
    return {n.id for n in build_notices(job, readings or [])}


def test_cautions_bite_where_there_is_something_to_bite() -> None:
    one = supply("24V 6A 144W tall")
    # Outlets of one voltage can't be mixed up; those of two can.
    assert "assemble:plugs" not in ids(one)
    other = new_link(one, "output LAMP 12V 1A", one.design.links[0].id)
    assert "assemble:plugs" in ids(other)
    # An earthed clip shorts a stack: one unit, or two beside one another, are none.
    assert "wake:clip" not in ids(one)
    assert "wake:clip" in ids(supply_of_two())
    wakes = {n.id for n in build_notices(one, []) if n.kind == "hold" and n.stage == "wake"}
    assert wakes == {f"wake:{s.id}" for s in power_up_steps(one) if s.hold and s.band is not None}


def supply_of_two() -> Job:
    job = Job(name="stack")
    for label in ("24V 6A 144W lower", "12V 6A 72W upper"):
        job = with_part(job, card_from_nameplate(job, label))
    job = new_link(job, "lower", None)
    job = new_link(job, "upper", job.design.links[-1].id)
    return new_link(job, "output OUT 36V 2A", job.design.links[-1].id)


def test_first_power_of_a_stack_names_its_bottom() -> None:
    steps = {s.id: s for s in power_up_steps(supply_of_two())}
    assert [k for k in steps if k.startswith("alone-")] == ["alone-lower", "alone-upper"]
    stack = steps["stack-upper"]
    assert stack.probe == "lower − to upper +"
    assert stack.expected == pytest.approx(36.0)
    assert stack.hold
    # A resistor, a fuse or a lead is no source, and has no step of its own alone.
    assert not any(k.startswith("alone-out") for k in steps)


def test_inputs_of_converters_are_holds(demo: Job) -> None:
    inputs = [s for s in power_up_steps(demo) if s.id.startswith("in-")]
    assert len(inputs) == 3
    assert all(s.hold for s in inputs)


def test_each_floating_common_is_read_to_earth_once(demo: Job) -> None:
    probes = [s.probe for s in power_up_steps(demo) if s.id.startswith("earth-open")]
    first = demo.design.outputs()[0].name
    assert probes
    assert probes[0].startswith(f"{first} −")


def test_what_belongs_elsewhere_is_no_cause_of_ohms_or_of_itself(demo: Job) -> None:
    steps = [s for s in power_up_steps(demo) if s.quantity == "V" and s.expected is not None]
    step = next(s for s in steps if s.id == "alone-donor-a")
    other = next(s for s in steps if s.id == "trim-front-end")
    read = [typed(step.place, "V", other.expected)]
    here = next(r for r in power_up_results(demo, read) if r.step.id == step.id)
    said = [c.words for c in causes(demo, here)]
    assert any(other.probe in words for words in said)
    assert not any(f"belongs at {step.probe}" in words for words in said)
    assert not any("volume" in words for words in said)


def test_a_wire_wound_resistor_stands_five_times_its_watts_for_seconds() -> None:
    """470 µF at 325 V across 1 kΩ begin with 106 W and are gone in 2 s: 25 W will do, 20 W won't."""
    at = Stored("open", "open", 470e-6, 325.0, "charge-open", "")
    for watts, fine in ((25.0, True), (20.0, False)):
        made = Resistor(id="r", name="R", resistance_ohm=1000.0, rated_W=watts)
        way = next(w for w in ways(with_part(Job(name="charge"), made), at) if w.name == "R")
        assert way.worked.power_W == pytest.approx(325**2 / 1000)
        assert (way.trouble == "") is fine
