"""Assemble and Wake, computed: wires, harness, matrix, stored charge, first power, causes, practice."""

import math

import numpy as np
import pytest

from tensimeter.core.analysis.leakage import leakage
from tensimeter.core.assembly.harness import PINS, harness
from tensimeter.core.assembly.wiring import mains_units, wire_list
from tensimeter.core.electrical import wire
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.assembly_edits import (
    mixed_up,
    put_back,
    with_assembly,
    with_pulled,
    with_setting,
    with_wire,
)
from tensimeter.core.model.edits import changed, new_link, readings_first, with_link
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.plain_loads import Resistor
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.first_power import (
    bare_seconds,
    newest_touches,
    power_up_results,
    power_up_steps,
    touch_class,
    touches,
)
from tensimeter.core.procedure.matrix import checked, matrix
from tensimeter.core.procedure.notices import must_be_lifted, notices, open_holds
from tensimeter.core.procedure.practice import Practice, mistakes
from tensimeter.core.procedure.protection import protection
from tensimeter.core.procedure.stored_energy import is_empty, stored, ways
from tensimeter.demo.library import demo_job, demo_mistakes

DEMOS = ("ridge-pier", "dome-workshop", "finishers-bench")


def read(job: Job, place: str, quantity: str, value: float, number: int, origin: str = "typed") -> Reading:
    accuracy, range_ = accuracy_of(job, "hand-meter", quantity, value, 0.01)
    return Reading(
        number, float(number), place, quantity, value, "hand-meter", accuracy, "two-wire", origin, range_,
        id=number,
    )  # fmt: skip


def all_read(job: Job, supply: Practice, origin: str = "typed") -> list[Reading]:
    """Every place of Assemble and Wake, as a supply put together so would read."""
    places = [(p.place, p.quantity) for p in matrix(job)]
    places += [(s.place, "V") for s in stored(job)]
    places += [(s.place, s.quantity) for s in power_up_steps(job) if s.band is not None]
    return [read(job, p, q, supply.value(p), k, origin) for k, (p, q) in enumerate(places, 1)]


# -- wires ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", DEMOS)
def test_every_wire_carries_what_protects_it_and_every_terminal_is_reached(name: str) -> None:
    job = demo_job(name)
    wires = wire_list(job)
    assert len({w.id for w in wires}) == len({w.label for w in wires}) == len(wires)
    for w in wires:
        if w.role in ("plus", "minus", "middle"):
            assert wire.ampacity(w.area_mm2 * 1e-6, 70.0, 40.0) >= max(w.amps, w.must_A), w.label
        assert w.colour
        assert w.length_m > 0
    ends = {(w.end.link, w.end.name) for w in wires}
    for link in job.design.links:
        if link.kind == "converter":
            assert {(link.id, "in +"), (link.id, "in −")} <= ends
        if link.kind == "lead":
            assert {(link.id, "+"), (link.id, "−")} <= ends
    # As much flows into the outlets' minus as into their plus, save what a meter takes beside.
    for lead in (x for x in job.design.links if x.kind == "lead"):
        amps = {w.end.name: w.amps for w in wires if w.end.link == lead.id}
        assert amps["+"] == pytest.approx(amps["−"])


def test_a_low_side_meter_stands_in_the_negative_and_runs_from_elsewhere() -> None:
    labels = [w.label.split("  ", 1)[1] for w in wire_list(demo_job("finishers-bench"))]
    assert "Regulator out − → Panel meter source −" in labels
    assert "Panel meter load − → Clamp lead −" in labels
    assert any(x.endswith("→ Panel meter supply +") and x.startswith("Transformer") for x in labels)
    assert "Fuse 3.15 A out → Clamp lead +" in labels


def test_the_builders_own_length_tick_and_colour(demo: Job) -> None:
    first = wire_list(demo)[8]
    job = with_wire(with_wire(demo, first.id, length_m=0.42), first.id, made=True)
    job = with_assembly(job, colours=changed(job.assembly.colours, middle="white"))
    found = next(w for w in wire_list(job) if w.id == first.id)
    assert (found.length_m, found.made, found.colour) == (0.42, True, "white")
    bonded = demo.model_copy(update={"policy": changed(demo.policy, reference="negative_bonded")})
    assert any(w.start.link == "donor-a" and w.end.link == "chassis" for w in wire_list(bonded))
    broken = with_link(demo, changed(demo.design.link("mount-lead"), part=None))
    with pytest.raises(UserError):
        wire_list(broken)


def test_the_harness_shares_out_its_wires() -> None:
    dome = demo_job("dome-workshop")
    found = {b.purpose: b for b in harness(dome)}
    # 14 A at 6 A a wire are three of each; 6.8 A are two.
    assert (len(found["5 V rail"].pins), len(found["5 V rail, return"].pins)) == (3, 3)
    assert found["12 V rail"].pins == (10, 11)
    used = [p for b in found.values() for p in b.pins]
    assert len(used) == len(set(used))
    assert set(used) == {k for k, (carries, _) in enumerate(PINS, 1) if carries != "empty"}
    assert "live whenever" in found["spare"].note
    cut = dome.model_copy(update={"policy": changed(dome.policy, spare_wires="cut_at_board")})
    assert "cut at the board" in {b.purpose: b for b in harness(cut)}["spare"].note
    heavy = with_link(dome, changed(dome.design.link("shutter"), full_load_A=14.0))
    short = {b.purpose: b for b in harness(heavy)}["12 V rail"]
    assert not short.enough
    assert "only 2 of 3" in short.note
    assert harness(demo_job("ridge-pier")) == []
    # A supply with an inlet of its own is none; the unit beside it is.
    assert [x.id for x in mains_units(dome)] == ["lights-unit"]


# -- taken apart, stored charge -----------------------------------------------------------------------


def test_what_was_pulled_goes_back_and_is_not_mixed_up(demo: Job) -> None:
    job = with_pulled(demo, "Donor A", "4-pin plug", "", False, "")
    job = with_pulled(job, "Donor A", "4-pin plug", "by the fan", True, "")
    said = mixed_up(job)
    assert any("no label to tell them apart" in s for s in said)
    assert any("not keyed" in s for s in said)
    told = with_assembly(
        job, pulled=tuple(changed(p, label=str(k)) for k, p in enumerate(job.assembly.pulled))
    )
    assert mixed_up(told) == []
    ids = [p.id for p in job.assembly.pulled]
    assert len(set(ids)) == 2
    assert [p.back for p in put_back(job, ids[1], True).assembly.pulled] == [False, True]
    with pytest.raises(UserError):
        with_pulled(job, " ", "plug", "", False, "")
    job = with_setting(with_setting(demo, "trip", "14.8 V", ""), "trip", "15.2 V", "wake-mount")
    assert [(s.what, s.value) for s in job.assembly.settings] == [("trip", "15.2 V")]
    with pytest.raises(UserError):
        with_setting(job, "trip", " ", "")


def test_stored_charge_by_the_exponential_and_by_a_reading_alone() -> None:
    job = demo_job("finishers-bench")
    (at,) = stored(job)
    assert at.start_V == pytest.approx(1.05 * 1.1 * 25.6 * math.sqrt(2) - 1.8)
    job = with_part(job, Resistor(id="r1", name="100 Ω 1 W", resistance_ohm=100, rated_W=1))
    job = with_part(job, Resistor(id="r2", name="470 Ω 10 W", resistance_ohm=470, rated_W=10))
    found = {w.name: w for w in ways(job, at)}
    good = found["470 Ω 10 W"]
    assert good.worked.time_s == pytest.approx(470 * 0.0068 * math.log(at.start_V / 5.0))
    assert good.worked.energy_J == pytest.approx(0.5 * 0.0068 * at.start_V**2)
    assert good.trouble == ""
    # 14 W at first through a resistor of 1 W, of which five times may be asked for some seconds.
    assert "too small" in found["100 Ω 1 W"].trouble
    assert "h" in found["the meter left connected"].trouble
    assert not is_empty(at, [])
    assert not is_empty(at, [read(job, at.place, "V", 31.0, 1)])
    assert is_empty(at, [read(job, at.place, "V", 31.0, 1), read(job, at.place, "V", 0.4, 2)])
    ridge = demo_job("ridge-pier")
    assert stored(ridge) == []
    opened = with_part(ridge, changed(ridge.part("enclosed-a"), opened=True, bulk_F=220e-6))
    (mains,) = stored(opened)
    # Behind a power-factor stage it is 400 V at any mains; its label may tell less.
    assert mains.start_V == 400.0
    assert "the most that such a side holds" in mains.why
    abroad = opened.model_copy(update={"settings": changed(opened.settings, mains_V=115.0)})
    assert stored(abroad)[0].start_V == 400.0
    known = with_part(opened, changed(opened.part("enclosed-a"), bulk_V=325.0))
    assert (stored(known)[0].start_V, "label" in stored(known)[0].why) == (325.0, False)
    assert mains.farad == 220e-6


# -- the matrix ----------------------------------------------------------------------------------------


def three_units() -> Job:
    job = demo_job("ridge-pier")
    third = changed(job.part("enclosed-b"), id="enclosed-c", name="Enclosed 24 V 150 W, C")
    job = new_link(with_part(job, third), third.name, "donor-b")
    wide = changed(job.part("front-end-40"), in_max_V=90)
    job = with_part(job, wide)
    return with_link(job, changed(job.design.link("front-end"), fed_by=job.design.links[-1].id))


@pytest.mark.parametrize(("make", "units"), [(lambda: demo_job("ridge-pier"), 2), (three_units, 3)])
def test_the_matrix_of_a_stack_has_every_isolation_one_would_read(make, units: int) -> None:
    job = make()
    stack = [x for x in job.design.links if x.kind == "unit"]
    assert len(stack) == units
    pairs = {(p.first.name, p.second.name): p for p in matrix(job)}
    for unit in stack:
        case = f"{unit.name} case"
        assert pairs["earth pin", case].kind == "joined"
        for pole in ("+", "−"):
            apart = pairs[f"{unit.name} {pole}", case]
            assert (apart.kind, apart.hold) == ("apart", True)
        assert pairs[f"{unit.name} −", f"{unit.name} +"].kind == "diode"
        assert pairs[f"{unit.name} +", f"{unit.name} −"].kind == "not_shorted"
        if unit.fed_by:
            below = job.design.link(unit.fed_by).name
            assert pairs[f"{below} +", f"{unit.name} −"].kind == "joined"
    assert all(
        pairs[a, b].hold
        for a, b in (("live pin", "neutral pin"), ("live pin", "earth pin"), ("neutral pin", "earth pin"))
    )
    assert pairs["earth pin", "chassis"].kind == "joined"
    for output in job.design.outputs():
        assert pairs[f"{output.name} −", "earth pin"].kind == "apart"
        assert pairs["live pin", f"{output.name} −"].hold
        assert pairs["Donor A −", f"{output.name} −"].kind == "joined"
    # At trip each unit's output stands off the whole stack.
    assert f"{units * 30} V" in pairs["Donor B −", "Donor B case"].why


def test_a_pair_is_judged_by_its_kind() -> None:
    job = demo_job("ridge-pier")
    verdicts = {
        ("joined-earth-donor-a-case", "ohm", 0.3): Verdict.CONFORMS,
        ("joined-earth-donor-a-case", "ohm", math.inf): Verdict.NONCONFORMING,
        ("apart-live-earth", "ohm", math.inf): Verdict.CONFORMS,
        ("apart-live-earth", "ohm", 47e3): Verdict.NONCONFORMING,
        ("diode-donor-a-minus-donor-a-plus", "V", 0.55): Verdict.CONFORMS,
        ("diode-donor-a-minus-donor-a-plus", "V", math.inf): Verdict.NONCONFORMING,
    }
    for (place, quantity, value), wanted in verdicts.items():
        found = {c.pair.place: c.verdict for c in checked(job, [read(job, place, quantity, value, 1)])}
        assert found[place] is wanted, (place, value)
    bonded = job.model_copy(update={"policy": changed(job.policy, reference="negative_bonded")})
    assert {p.kind for p in matrix(bonded) if p.place.startswith("earth-")} == {"joined"}


# -- first power ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", DEMOS)
def test_a_supply_put_together_rightly_lifts_every_hold_and_practice_lifts_none(name: str) -> None:
    job = demo_job(name)
    before = notices(job)
    assert open_holds(before, "assemble")
    assert open_holds(before, "wake")
    found = notices(job, all_read(job, Practice(job)))
    assert open_holds(found, "assemble") == open_holds(found, "wake") == []
    output = job.design.outputs()[0].id
    must_be_lifted(job, all_read(job, Practice(job)), output)
    with pytest.raises(UserError, match="Hold point open"):
        must_be_lifted(job, all_read(job, Practice(job), "practice"), output)
    taken = with_assembly(job, already_running=True)
    assert open_holds(notices(taken), "assemble") == open_holds(notices(taken), "wake") == []
    assert "Already built and running" in [n.title for n in notices(taken)]


#: Each mistake, the step that shows it, and the first step at which it would do damage.
CAUGHT = {
    "reversed": ("outlet-", None),
    "negative_on_chassis": ("apart-", "alone-"),
    "no_reverse_diode": ("diode-", "stack-"),
    "swapped_rails": ("alone-rail", "outlet-"),
    "trim_at_top": ("trim-", "outlet-"),
    "open_feedback": ("trim-", "outlet-"),
}


@pytest.mark.parametrize("name", DEMOS)
def test_every_mistake_shows_before_it_does_damage(name: str) -> None:
    job = demo_job(name)
    (shipped,) = demo_mistakes(job)
    assert shipped.truths
    assert demo_mistakes(job.model_copy(update={"name": "another"})) == []
    made = [shipped, *mistakes(job)]
    assert {m.mistake for m in made} <= set(CAUGHT)
    for supply in made:
        readings = all_read(job, supply)
        wrong = [c.pair.place for c in checked(job, readings) if c.verdict is Verdict.NONCONFORMING]
        wrong += [w.step.id for w in power_up_results(job, readings) if w.verdict is Verdict.NONCONFORMING]
        shows, harms = CAUGHT[supply.mistake]
        assert wrong, supply.mistake
        assert wrong[0].startswith(shows), (supply.mistake, wrong)
        # In the order in which steps are taken: the matrix first, then the ladder.
        order = [p.place for p in matrix(job)] + [s.id for s in power_up_steps(job)]
        if harms is not None:
            later = next(k for k, step in enumerate(order) if step.startswith(harms))
            assert order.index(wrong[0]) < later or shows == "alone-rail", supply.mistake
        held = open_holds(notices(job, readings), "assemble") + open_holds(notices(job, readings), "wake")
        assert held, supply.mistake


def woken_at(job: Job, step_id: str, value: float):
    step = next(s for s in power_up_steps(job) if s.id == step_id)
    return next(
        w for w in power_up_results(job, [read(job, step.place, "V", value, 1)]) if w.step.id == step_id
    )


@pytest.mark.parametrize(
    ("step", "value", "said"),
    [
        ("stack-donor-b", 24.1, "Donor B is off"),
        ("stack-donor-b", 24.2, "Donor A is off"),
        ("stack-donor-b", -0.1, "wrong way round"),
        ("trim-front-end", 40.0, "at its top"),
        ("trim-front-end", 48.3, "its switch is shorted"),
        ("outlet-hub", 13.6, "That is what belongs at"),
        ("outlet-mount", -13.6, "Reversed"),
        ("outlet-mount", 0.0, "Nothing there"),
        ("outlet-mount", 19.0, "too high"),
        ("outlet-mount", 9.1, "too low"),
    ],
)
def test_a_wrong_value_names_its_likeliest_cause(demo: Job, step: str, value: float, said: str) -> None:
    found = causes(demo, woken_at(demo, step, value))
    assert any(said in c.words for c in found[:2]), [c.words for c in found]


def test_a_right_value_has_no_cause_and_a_trim_aims_where_it_is_told(demo: Job) -> None:
    assert causes(demo, woken_at(demo, "outlet-mount", 13.6)) == []
    far = with_link(demo, changed(demo.output("mount"), aim="far_end", device_max_V=13.7))
    step = next(s for s in power_up_steps(far) if s.id == "trim-front-end")
    assert step.expected == pytest.approx(13.6 + 8 * 0.0437, abs=0.01)
    assert "stands 13.7 V only" in step.do
    # Before its sink is on: 90 J over the loss at full load.
    assert 5 < bare_seconds(demo)["front-end"] < 20


def test_a_reading_of_an_earlier_design_is_marked_and_judged_anew(demo: Job) -> None:
    at = next(s for s in power_up_steps(demo) if s.id == "trim-front-end")
    readings = [read(demo, at.place, "V", 13.6, 1)]
    later = with_link(demo, changed(demo.design.link("front-end"), set_V=15.0))

    def state(job: Job):
        return next(w for w in power_up_results(job, readings, lambda r: demo) if w.step.id == at.id)

    assert (state(demo).earlier, state(demo).verdict) == (False, Verdict.CONFORMS)
    assert (state(later).earlier, state(later).verdict) == (True, Verdict.NONCONFORMING)
    moved = with_link(demo, changed(demo.output("hub"), tolerance=0.1))
    assert not state(moved).earlier


@pytest.mark.parametrize(("farad", "volts"), [(1e-9, 115.0), (4.7e-9, 115.0), (330e-12, 60.0)])
def test_the_source_behind_volts_to_earth(farad: float, volts: float) -> None:
    def reads(ohm: float) -> float:
        x = 2 * math.pi * 50 * ohm * farad
        return volts * x / math.sqrt(1 + x * x)

    shunt = 1 / (1 / 10e6 + 1 / 100e3)
    found = leakage(reads(10e6), 10e6, reads(shunt), 100e3, 50, 0.25e-3)
    assert found.source_capacitance_F.value == pytest.approx(farad, rel=1e-6)
    assert found.source_V.value == pytest.approx(volts, rel=1e-6)
    assert found.touch_current_A.value >= volts / math.hypot(2000, 1 / (2 * math.pi * 50 * farad))
    assert found.verdict is Verdict.CONFORMS
    live = leakage(110.0, 10e6, 108.0, 100e3, 50, 0.25e-3)
    assert live.verdict is Verdict.NONCONFORMING
    assert "Treat it as live" in live.warnings[0]
    for bad in ((0.0, 1.0), (5.0, 9.0)):
        with pytest.raises(UserError):
            leakage(bad[0], 10e6, bad[1], 100e3, 50, 0.25e-3)


def test_touch_current_decides_the_step(demo: Job) -> None:
    def with_earth(opened: float, loaded: float) -> list[Reading]:
        return [
            read(demo, "wake-mount-earth-open", "V", opened, 1),
            read(demo, "wake-mount-earth-loaded", "V", loaded, 2),
        ]

    first = with_earth(61.0, 4.2)
    assert [t.touch_current_A.value < 0.1e-3 for t in touches(demo, first)] == [True]
    # Once more, with the filter's capacitor taken off.
    later = [r._replace(id=r.id + 2, value=v) for r, v in zip(first, (20.0, 0.9), strict=True)]
    both = touches(demo, [*first, *later])
    assert both[1].touch_current_A.value < both[0].touch_current_A.value
    for opened, loaded, verdict in ((61.0, 4.2, Verdict.CONFORMS), (61.0, 60.0, Verdict.NONCONFORMING)):
        found = power_up_results(demo, with_earth(opened, loaded))
        assert next(w for w in found if w.step.id == "earth-loaded").verdict is verdict
    assert touches(demo, []) == []


@pytest.mark.parametrize("shares", [(0.5, 0.2), (0.9, 0.3), (0.1, 0.1)])
def test_a_supply_as_an_earthed_one_reads_has_a_touch_current_with_an_open_end(shares) -> None:
    """Loaded just below open: at one end of its interval loading pulls nothing down at all."""
    for loaded in (5.0, 8.0, 8.9, 8.999):
        found = leakage(10.0, 10e6, loaded, 100e3, 50, 0.25e-3, half_widths=(10 * shares[0], 10 * shares[1]))
        low, high = found.touch_current_A.low, found.touch_current_A.high
        assert 0 <= low <= found.touch_current_A.value <= high
        assert not math.isnan(found.source_capacitance_F.high)
        assert found.source_capacitance_F.low <= found.source_capacitance_F.value


def test_no_reading_takes_a_hold_away_that_it_does_not_lift(
    demo: Job, caplog: pytest.LogCaptureFixture
) -> None:
    """Any value at any step of Wake and Assemble: each hold stands or is lifted by a reading that holds."""
    rng = np.random.default_rng(8)
    jobs = [demo_job(name) for name in DEMOS]
    values = (0.0, 1e-12, -1.0, 1.0, 9.5, 10.0, 61.0, 61.0, 230.0, 1e9, math.inf, -math.inf)
    for turn in range(60):
        job = jobs[turn % len(jobs)]
        rows: list[Reading] = []
        asked = [(s.place, s.quantity) for s in power_up_steps(job) if s.band is not None]
        asked += [(p.place, p.quantity) for p in matrix(job)] + [(s.place, "V") for s in stored(job)]
        for place, quantity in asked:
            for _ in range(int(rng.integers(0, 3))):
                value = float(rng.choice(values))
                rows.append(read(job, place, quantity, value, len(rows) + 1))
        holds = {n.id for n in notices(job) if n.kind == "hold" and n.stage in ("assemble", "wake")}
        left = {n.id for n in notices(job, rows) if n.kind == "hold"}
        assert not any(n.startswith("failed") for n in left)
        # A hold that is gone was lifted by a reading of its own.
        judged = [*power_up_results(job, rows), *checked(job, rows)]
        assert not holds - left or any(x.verdict is Verdict.CONFORMS for x in judged)
        for found in newest_touches(job, rows):
            assert found is None or not math.isnan(found.touch_current_A.high)
    assert [r for r in caplog.records if r.exc_info] == []


def test_the_worst_pair_of_both_plug_positions_counts(demo: Job) -> None:
    job = demo

    def state(*pairs: tuple[str, float, float]) -> dict[str, Verdict]:
        readings = [
            read(job, f"wake-mount-earth-{kind}{turned}", "V", volts, 1)._replace(id=2 * k + n)
            for k, (turned, *both) in enumerate(pairs, 1)
            for n, (kind, volts) in enumerate(zip(("open", "loaded"), both, strict=True))
        ]
        return {r.step.id: r.verdict for r in power_up_results(job, readings)}

    good, live = (61.0, 4.2), (61.0, 60.0)
    assert state(("", *good))["earth-loaded"] is Verdict.CONFORMS
    assert state(("", *good))["earth-loaded-turned"] is Verdict.NOT_MEASURED
    turned = state(("", *good), ("-turned", *live))
    assert turned["earth-loaded-turned"] is Verdict.NONCONFORMING
    # What was mended and read again is judged by what it reads now, whichever of a pair was read first.
    assert state(("", *live), ("", *good))["earth-loaded"] is Verdict.CONFORMS
    assert state(("", *good), ("", *live))["earth-loaded"] is Verdict.NONCONFORMING
    again = [read(job, f"wake-mount-earth-{k}", "V", v, n) for n, (k, v) in enumerate(
        (("loaded", 60.0), ("open", 61.0), ("open", 61.0), ("loaded", 4.2), ("open", 61.2)), 1)]  # fmt: skip
    assert {r.step.id: r.verdict for r in power_up_results(job, again)}["earth-loaded"] is Verdict.CONFORMS
    assert [t is None or t.verdict.value for t in newest_touches(job, again)] == ["holds"]
    # As high loaded as open, though low: no pair, and no pass.
    assert state(("", 10.0, 10.0))["earth-loaded"] is Verdict.NONCONFORMING
    brick = changed(job.part("enclosed-a"), family="brick")
    assert touch_class(job) == "earthed"
    plastic = changed(job.settings, box=changed(job.settings.box, metal=False))
    bricks = [changed(p, family="brick") if p.kind == "donor" else p for p in job.stock]
    assert touch_class(changed(job, settings=plastic, stock=tuple(bricks))) == "class II"
    assert not brick.metal_case


def test_tape_stays_a_hold_until_it_is_overruled(demo: Job) -> None:
    taped = demo.model_copy(update={"policy": changed(demo.policy, insulation="tape")})
    assert not [n for n in notices(taped) if n.id.startswith("tape:")]
    opened = with_part(taped, changed(taped.part("enclosed-b"), opened=True))
    held = [n for n in notices(opened, all_read(opened, Practice(opened))) if n.id.startswith("tape:")]
    assert [n.lifted_by for n in held] == [None]


def test_protection_parts_by_position_and_reading(demo: Job) -> None:
    found = protection(demo)
    diodes = [g for g in found if g.what == "reverse diode"]
    assert [g.verdict for g in diodes] == [Verdict.NOT_MEASURED] * 2
    assert "7.4 A and 30 V backwards" in diodes[0].stands
    fuses = {g.where: g.verdict for g in found if g.what == "fuse"}
    assert fuses["Fuse 16 A, in the plus of MOUNT"] is Verdict.CONFORMS
    assert sum(v is Verdict.NONCONFORMING for v in fuses.values()) == 2
    read_all = protection(demo, all_read(demo, Practice(demo)))
    assert {g.verdict for g in read_all if g.what != "fuse"} == {Verdict.CONFORMS}
    missing = Practice(demo, "no_reverse_diode", ("donor-b",))
    wrong = [g.where for g in protection(demo, all_read(demo, missing)) if g.verdict is Verdict.NONCONFORMING]
    assert any("across Donor B" in where for where in wrong)
    electronic = demo.model_copy(update={"policy": changed(demo.policy, protection="electronic")})
    assert Verdict.NONCONFORMING not in {g.verdict for g in protection(electronic)}


def test_practice_after_a_real_reading_takes_nothing_back() -> None:
    job = demo_job("ridge-pier")
    pair = matrix(job)[0]
    good = read(job, pair.place, pair.quantity, Practice(job).value(pair.place), 1)
    for figure in (0.0, math.inf):
        practised = read(job, pair.place, pair.quantity, figure, 2, "practice")
        alone = checked(job, [practised])[0].verdict
        # By itself it is shown; once something real was read there it says nothing any more.
        assert checked(job, [good, practised])[0].verdict is Verdict.CONFORMS
        assert checked(job, [practised, good])[0].verdict is Verdict.CONFORMS
        assert alone in (Verdict.CONFORMS, Verdict.NONCONFORMING)


def test_what_stands_before_a_mains_side_is_no_bench_supply(demo: Job) -> None:
    def first(job: Job) -> dict[str, str]:
        return {r.step.id: r.step.do for r in power_up_results(job, []) if r.step.id.startswith("alone")}

    own = first(demo)
    assert all("can't stand before its mains side; a lamp in series can" in do for do in own.values())
    lit = first(with_assembly(demo, limiter="lamp"))
    assert all("with a lamp in series with the mains before it" in do for do in lit.values())
    dome = first(demo_job("dome-workshop"))
    assert "no mains side of yours" in dome["alone-rail-12"]
    assert "lamp in series can" in dome["alone-lights-unit"]


def test_a_supply_that_exists_is_read_at_its_plug_and_outlets() -> None:
    bought, repaired = (readings_first("Shed", "12V 5A", made=m) for m in ("bought", "repaired"))
    assert not [p.name for p in matrix(bought) if p.hold]
    assert "OUT − to earth pin" in [p.name for p in matrix(bought)]
    held = {p.name for p in matrix(repaired) if p.hold}
    assert {"live pin to earth pin", "earth pin to chassis", "live pin to OUT −", "OUT + to OUT −"} <= held
    assert next(r.step.id for r in power_up_results(repaired, [])) == "earth-open"
    # Nothing real loads it before they are read; a bought one that nobody opened is loaded as it is.
    with pytest.raises(UserError, match="Hold point open: live pin to neutral pin"):
        must_be_lifted(repaired, [], "out")
    must_be_lifted(bought, [], "out")
