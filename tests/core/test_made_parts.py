"""Parts that one makes: ratings follow from the circuit, nonsense is named, a load is proven and plated."""

import math

import numpy as np
import pytest
from pydantic import ValidationError

from tensimeter.core.electrical.linear_stage import CurrentLimit, Divider
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.made_load import MadeLoad
from tensimeter.core.parts.made_part import MadePart
from tensimeter.core.parts.made_stage import MadeStage
from tensimeter.core.plate.rating import plate
from tensimeter.core.procedure.incoming_check import incoming_steps
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.ladder import at
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.generator import blank
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job
from tensimeter.store.library import shipped_parts

WOUND = {"primary": 91, "secondary": 6, "aux": 9, "gap_m": 3e-4}
FINE = Accuracy(of_reading=0.0005, counts=2, resolution=0.001)
CURVE = [{"volts": 10, "amps": 12}, {"volts": 30, "amps": 2.8}, {"volts": 60, "amps": 0.7}]


def shipped(kind: str) -> MadePart:
    found = next(p for p in shipped_parts() if p.kind == kind)
    assert isinstance(found, MadePart)
    return found


def load(device: dict[str, object] | None = None, **circuit: object) -> MadeLoad:
    device = {"curve": CURVE, "linear": True, **(device or {})}
    return MadeLoad.model_validate({"id": "l", "name": "Load", "circuit": {**circuit, "device": device}})


def flyback(**circuit: object) -> MadePart:
    part = shipped("made_flyback")
    return changed(part, circuit=changed(part.circuit, **circuit))


@pytest.mark.parametrize("kind", ["made_load", "made_stage", "made_flyback"])
def test_what_is_shipped_holds_and_says_why(kind: str) -> None:
    part = shipped(kind)
    assert part.wrong() == ()
    found = part.worked_out()
    assert len(found.figures) > 8
    assert all(math.isfinite(f.value) and f.formula for f in found.figures)
    assert len({f.title for f in found.figures}) == len(found.figures)
    job = with_part(Job(name="j"), part)
    assert read_job(job.model_dump_json()).stock[0] == part


def test_ratings_follow_the_circuit_and_what_was_measured_stays() -> None:
    part = load()
    assert (part.max_V, part.max_A, part.max_W) == (30, 5, 60)
    less = changed(part, circuit=changed(part.circuit, sink_K_W=3.0, devices=2))
    assert less.max_W < 60
    assert less.max_W == pytest.approx(less.circuit.made().sink.continuous_W())
    # Ratings are never typed: what stands in a file beside the circuit does not count.
    assert changed(part, max_W=500.0).max_W == 60
    # 3.3 V pulses of 1 kHz through 10 kΩ and 10 µF: 8.25 mV, by 0.5 V of 3.3 V and 2·10 A/V.
    pulsed = changed(part, circuit=changed(part.circuit, pulses={}))
    figures = {f.title: f.value for f in pulsed.worked_out().figures}
    per_V = pulsed.circuit.made().per_V
    assert figures["ripple of its pulses, p-p"] == pytest.approx(8.25e-3 * 0.5 / 3.3 * per_V, rel=1e-3)
    flyback = shipped("made_flyback")
    read = changed(flyback, no_load_V=12.31, origins={"no_load_V": "measured"})
    assert read.no_load_V == 12.31
    assert changed(flyback, no_load_V=12.31).no_load_V == 12.0
    assert flyback.opened
    assert incoming_steps(Job(name="j"), flyback)[0].id == "insulation"


@pytest.mark.parametrize(
    ("part", "said"),
    [
        (lambda: load(drive={"highest_V": 3.3}), "do not turn on"),
        (lambda: load(amps=3.0, devices=1, watts=20.0, shunt={"rated_W": 0.25}), "half of that"),
        (lambda: load(devices=1, watts=150.0), "does not hold"),
        (lambda: load(device={"stands_V": 35.0}), "leads that are pulled"),
        (lambda: flyback(limit_A=2.5, wound=WOUND), "saturates"),
        (lambda: flyback(preload_A=0.0), "starves"),
    ],
)  # fmt: skip
def test_nonsense_is_named_at_the_block(part, said: str) -> None:
    job = with_part(Job(name="j"), part())
    found = [n for n in notices(job, []) if n.id.startswith("made:")]
    assert any(said in n.text for n in found)
    assert {(n.kind, n.stage) for n in found} == {("miss", "stock")}


def test_what_is_no_circuit_is_refused_with_its_reason() -> None:
    with pytest.raises(UserError, match="One gate for 3 devices"):
        load(one_gate=True, devices=3)
    assert load(one_gate=True, devices=1, watts=20.0).max_W == 20
    with pytest.raises(UserError, match="published DC curve"):
        load(device={"curve": []})
    stage = shipped("made_stage")
    with pytest.raises(UserError, match="fixed resistor"):
        changed(stage, circuit=changed(stage.circuit, divider={"top_ohm": 0.0}))


def test_a_divider_and_its_limits_by_hand() -> None:
    # 1.25·(1 + 2400/240) + 50 µA·2400 Ω.
    of = Divider(1.25, 240.0, 0.0, 2400.0, pin_A=50e-6)
    assert of.span_V == (1.25, pytest.approx(13.87))
    assert of.open_wiper_V == math.inf
    assert Divider(1.25, 240.0, 0.0, 2400.0, tied=True).open_wiper_V == pytest.approx(13.75)
    other = Divider(2.5, 1e3, 1e3, 1e3, "top", across_top=False)
    assert other.span_V == (5.0, 7.5)
    assert other.open_wiper_V == math.inf
    assert Divider(2.5, 1e3, 1e3, 1e3, "bottom", across_top=False).open_wiper_V == 2.5
    # The least that flows: the reference across its own leg, a pot in it at its most.
    assert of.draws_A == pytest.approx(1.25 / 240)
    assert Divider(1.25, 240.0, 2400.0, 1e3, "top").draws_A == pytest.approx(1.25 / 1240)
    assert (other.draws_A, Divider(2.5, 1e3, 1e3, 1e3, "bottom", across_top=False).draws_A) == (
        2.5e-3,
        1.25e-3,
    )
    # 0.65 V over 0.5 Ω; folded by 0.1 of the output: (0.65·1.1 + 0.1·12)/0.5 at 12 V and 1.43 A into a short.
    assert CurrentLimit(0.5).amps(12.0) == pytest.approx(1.3)
    folded = CurrentLimit(0.5, 0.65, 0.1)
    assert (folded.amps(12.0), folded.amps(0.0)) == (pytest.approx(3.83), pytest.approx(1.43))


def test_a_stage_is_judged_at_its_worst_points() -> None:
    plain = {"amps": 1.0, "in_high_V": 20.0, "in_low_V": 17.0, "sink_K_W": 2.0, "junction_K_W": 3.0}
    stage = MadeStage.model_validate(
        {"id": "s", "name": "Stage", "circuit": {**plain, "limit": {"sense_ohm": 0.5}}}
    )
    # Into a short 1.3 A at 20 V: 26 W through 2 + 3 + 0.8 K/W over 40 °C.
    hot = {f.title: f.value for f in stage.worked_out().figures}
    assert hot["junction into a short"] == pytest.approx(40 + 26 * 5.8)
    assert hot["junction at its lowest volts"] == pytest.approx(40 + 18.75 * 5.8)
    assert (stage.topology, stage.rated_A) == ("linear", 1.0)
    assert [w for w in stage.wrong() if "into a short" in w]
    assert any("10 mA" in note for note in stage.worked_out().notes)
    two = changed(stage, circuit=changed(stage.circuit, devices=2, ballast_ohm=0.0))
    assert any("more ballast" in note for note in two.worked_out().notes)
    # By hand: 50 mV over 0.3 Ω and re of 26 mV/0.5 A, half of that beside an even share.
    even = changed(stage, circuit=changed(stage.circuit, devices=2, ballast_ohm=0.3)).circuit.stage()
    assert even.share == pytest.approx(0.5 + 0.5 * 0.05 / (0.3 + 0.0257 / 0.5))
    # On its lower tap 10 V less stand across it at its lowest volts; as the relay falls back all of them do.
    taps = {"lower_high_V": 10.0, "up_V": 6.0, "hysteresis_V": 1.0}
    tapped = changed(stage, circuit=changed(stage.circuit, taps=taps)).worked_out()
    hot = {f.title: f.value for f in tapped.figures}
    assert hot["junction at its lowest volts"] == pytest.approx(40 + 8.75 * 5.8)
    assert hot["junction as its relay falls back"] == pytest.approx(40 + 15.0 * 5.8)
    tracked = changed(stage, circuit=changed(stage.circuit, tracks_V=3.0))
    assert tracked.circuit.stage().junction_C(5.0, 1.0) == pytest.approx(40 + 3.0 * 5.8)
    less = changed(stage, circuit=changed(stage.circuit, tracks_V=1.5, taps={**taps, "hysteresis_V": 0.0}))
    said = " ".join(less.wrong())
    assert "chatters" in said
    assert "pre-regulator leaves" in said
    high = changed(stage, circuit=changed(stage.circuit, in_high_V=45.0))
    assert any("stands 40 V" in w for w in high.wrong())


def read(k: int, place: str, quantity: str, value: float, step: int, by: str = "bench-ammeter") -> Reading:
    return Reading(
        k, 1e9 + k, place, quantity, value, by, FINE, "four-wire", "typed", "", "own-load", step, id=k
    )


def test_a_load_is_proven_by_another_ammeter_and_gets_a_plate() -> None:
    job = demo_job("test-load")
    test = job.campaign.tests[0]
    worked = plan(job, test)
    assert [s.set_A for s in worked.steps] == [0.3, 1.5, 3.0, 0.3, 3.0, 3.0]
    rows = [r for s in worked.steps for r in (
        read(10 * s.index + 1, "test-load", "A", s.set_A + 0.004, s.index),
        read(10 * s.index + 2, "test-load", "V", 19.05, s.index),
    )]  # fmt: skip
    rows += [read(90, "test-load-case", "C", 74.0, 5), read(91, "own-sink-start", "A", 3.2, 4)]
    early = rows[-2]._replace(id=89, scan=89, at=rows[-2].at - 1270, value=40.0)
    rows = [early, *rows]
    judged = outcome(job, worked, rows)
    found = {f.key: f for f in judged.findings}
    assert {f.verdict for f in judged.findings if f.verdict} == {Verdict.CONFORMS}
    # 57.15 W in two devices of 0.7 K/W over a case of 74 °C.
    assert found["junction"].value.value == pytest.approx(74 + 3 * 19.05 / 2 * 0.7, abs=0.1)
    # 1 % of shunt: the lowest takes 1.01 of 2 as the other has 0.99.
    assert found["junction"].value.high > 74 + 3.004 * 19.05 * 1.01 / 2 * 0.7
    # 21 min by the readings, though 20 are planned; 3.004 A × 19.05 V less what both may be off.
    assert found["shown"].text == "3 A, 19 V, 57.1 W held for 21 min"
    label = plate(job, [judged], rows, 1e9).outlets[0]
    assert label.entries[0].text == "sinks 3 A · 19 V · 57.1 W held for 21 min"
    # Held for moments, or a case read once only: nothing is said of watts.
    brief = outcome(job, worked, [r._replace(at=1e9) for r in rows])
    assert {f.key: f for f in brief.findings}["shown"].text == "3 A, 19 V"
    # Read by itself it proves nothing; a peak as it is fed, or a case too hot, is a miss and no plate.
    own = outcome(job, worked, [r._replace(instrument="own-sink") for r in rows])
    assert own.verdict is Verdict.NOT_MEASURED
    assert {f.verdict for f in own.findings if f.verdict} == {Verdict.NOT_MEASURED}
    high = plan(job, changed(test, volts=(19.0, 90.0)))
    assert len(high.steps) == 6
    assert [u for u in high.unreachable if u.startswith("90 V is left out")]
    for k, value in ((90, 141.0), (91, 40.0)):
        worse = outcome(job, worked, [r._replace(value=value) if r.id == k else r for r in rows])
        assert worse.verdict is Verdict.NONCONFORMING
        assert not plate(job, [worse], rows, 1e9).outlets[0].rated
    off = outcome(job, worked, [r._replace(value=r.value + 0.2) if r.quantity == "A" else r for r in rows])
    assert {f.verdict for f in off.findings if f.key.startswith("set:")} == {Verdict.NONCONFORMING}


def test_a_load_limits_the_end_of_its_path() -> None:
    job = demo_job("test-load")
    _, _, limits = at(job, {"test-load": 3.0})
    own = {x.name.split(", ", 1)[1]: x for x in limits if x.link == "test-load"}
    assert float(own["watts for good"].fraction) == pytest.approx(3 * 19.126 / 60, rel=1e-3)
    _, _, more = at(job, {"test-load": 3.4})
    assert any(x.link == "test-load" and float(x.fraction) > 1 for x in more)
    with pytest.raises(UserError, match="says nothing of"):
        blank("load-regulation", job, job.output("test-load"))
    assert blank("soak", job, job.output("test-load")).kind == "soak"


def test_constant_power_and_noise_are_judged_too() -> None:
    job = demo_job("test-load")
    test = changed(job.campaign.tests[0], mode="CP", volts=(12.0, 19.0), points=(0.5, 1.0))
    worked = plan(job, test)
    # 3 A at 19 V are 57 W; half of it, and all, at both volts; 57 W at 12 V are 4.75 A.
    assert [(s.watts, s.set_A) for s in worked.steps[:4]] == [
        (28.5, 2.375), (57.0, 4.75), (28.5, 1.5), (57.0, 3.0),
    ]  # fmt: skip
    rows = []
    for s in worked.steps:
        volts = 12.0 if s.title.endswith("12 V") else 19.0
        rows += [read(10 * s.index + 1, "test-load", "V", volts, s.index)]
        rows += [read(10 * s.index + 2, "test-load", "A", s.watts / volts if s.watts else s.set_A, s.index)]
    held = worked.steps[-1].index
    rows += [read(95, "test-load-case", "C", 70.0, held), read(96, "own-sink-noise", "A", 0.004, held)]
    found = {f.key: f for f in outcome(job, worked, rows).findings}
    assert [found[f"set:{k}"].unit for k in range(4)] == ["W"] * 4
    assert {found[f"set:{k}"].verdict for k in range(4)} == {Verdict.CONFORMS}
    assert found["noise"].verdict is Verdict.CONFORMS
    own = outcome(job, worked, [r._replace(instrument="own-sink") for r in rows])
    assert own.verdict is Verdict.NOT_MEASURED
    loud = [r._replace(value=0.2) if r.id == 96 else r for r in rows]
    noisy = {f.key: f for f in outcome(job, worked, loud).findings}
    assert noisy["noise"].verdict is Verdict.NONCONFORMING
    pulsed = shipped("made_stage")
    pulsed = changed(pulsed, circuit=changed(pulsed.circuit, pulses={}))
    figures = {f.title: f.value for f in pulsed.worked_out().figures}
    # 8.25 mV of 3.3 V, brought up to the highest volts.
    assert figures["ripple of its pulses, p-p"] == pytest.approx(8.25e-3 / 3.3 * pulsed.out_max_V, rel=1e-3)


@pytest.mark.parametrize("seed", range(36))
def test_figures_at_random_are_worked_out_or_refused_in_a_sentence(seed: int) -> None:
    rng = np.random.default_rng(seed)
    part = shipped(("made_load", "made_stage", "made_flyback")[seed % 3])

    def strayed(figures: dict[str, object]) -> dict[str, object]:
        out = {}
        for name, value in figures.items():
            stray = rng.random() < 0.4 and name != "curve"
            if isinstance(value, dict):
                out[name] = strayed(value)
            elif isinstance(value, float) and stray:
                out[name] = rng.choice([value * 10 ** rng.uniform(-2, 2), 0.0, -value, 1e9])
            else:
                out[name] = rng.integers(1, 30) if isinstance(value, int) and stray else value
        return out

    try:
        made = type(part).model_validate(
            {"id": "x", "name": "x", "circuit": strayed(part.circuit.model_dump())}
        )
    except (UserError, ValidationError):
        return
    assert all(f.text() for f in made.worked_out().figures)
    assert all(isinstance(w, str) for w in made.wrong())
    assert made.rated() is None or min(made.rated()) >= 0
