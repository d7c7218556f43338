"""The flyback: its cycle against its circuit, its core by hand, and nonsense that is named."""

import math

import pytest
from benchmarks.flybacks import DESIGNS, valley

from tensimeter.core.electrical.flyback import Cycle, Stage, bulk_valley_V
from tensimeter.core.electrical.flyback_core import Core, Winding, winding_plan
from tensimeter.core.electrical.flyback_design import AuxSupply, Flyback, Output, Wanted, as_wound, designed
from tensimeter.core.electrical.flyback_words import MAINS, unknown, wrong
from tensimeter.core.errors import UserError

CORE = Core(76e-6, 72e-3, 90e-6, 0.28)


def wanted(**other: object) -> Wanted:
    figures = {
        "line_V": (180.0, 264.0),
        "mains_Hz": 50.0,
        "bulk_F": 120e-6,
        "outputs": (Output(12.0, 5.0),),
        "frequency_Hz": 65e3,
        "core": CORE,
        "aux": AuxSupply(18.0, 0.02),
        "mode": "ccm",
    }
    return Wanted(**{**figures, **other})  # type: ignore[arg-type]


@pytest.mark.parametrize("number", [0, 7])
@pytest.mark.parametrize("bulk_V", [255.0, 370.0])
def test_a_cycle_is_that_of_its_circuit(number: int, bulk_V: float) -> None:
    circuit = DESIGNS[number]
    ran = circuit.steady(bulk_V, circuit.out_A)
    stage = Stage(circuit.primary_H, circuit.hertz, circuit.ratio, circuit.out_V, circuit.diode_V)
    found = Cycle(stage, bulk_V, circuit.out_A, ran["in_W"])
    assert found.continuous == (number == 7 and bulk_V < 300)
    assert found.peak_A == pytest.approx(ran["peak"], rel=0.02)
    assert found.primary_rms_A == pytest.approx(ran["rms1"], rel=0.02)
    assert found.secondary_rms_A == pytest.approx(ran["rms2"], rel=0.02)
    assert found.ripple_V(circuit.farad, circuit.esr) == pytest.approx(ran["pp"], rel=0.05)


def test_valley_of_the_bulk_is_that_of_the_rectifier() -> None:
    for line, farad, watts in ((180, 120e-6, 70), (90, 220e-6, 60)):
        assert bulk_valley_V(line, 50, farad, watts) == pytest.approx(valley(line, farad, watts), rel=1e-3)
    assert bulk_valley_V(180, 50, 120e-6, 0) == pytest.approx(180 * math.sqrt(2) - 1.4)
    with pytest.raises(UserError, match="empty before"):
        bulk_valley_V(180, 50, 1e-6, 70)


def test_a_gap_by_the_magnetic_circuit() -> None:
    # By hand: a pole of 8.718 mm with 0.4 mm of gap, 83.1 mm²; 0.4e-3/83.1e-6 + 72e-3/(2000·76e-6) = 5.286.
    assert CORE.inductance_H(37, 0.4e-3) == pytest.approx(4e-7 * math.pi * 37**2 / 5.286, rel=1e-3)
    assert CORE.gap_m(37, CORE.inductance_H(37, 0.4e-3)) == pytest.approx(0.4e-3, rel=1e-4)
    # Ten times the gap: far less inductance, though by its fringing not a tenth.
    assert 0.1 < CORE.inductance_H(37, 4e-3) / CORE.inductance_H(37, 0.4e-3) < 0.25
    assert CORE.gap_m(5, 1.0) == 0.0
    with pytest.raises(UserError, match="No gap"):
        CORE.gap_m(300, 1e-4)


def test_a_design_keeps_volt_seconds_energy_and_flux() -> None:
    for mode in ("dcm", "crm", "ccm"):
        made = designed(wanted(mode=mode))
        cycle, out = made.worst, made.wanted.watts_in
        assert made.flux_T == pytest.approx(made.primary_H * made.limit_A / (made.primary_turns * 76e-6))
        assert made.flux_T <= 0.28
        # What goes in by volts, amps and duty is what it takes; watts out are 60 and the aux.
        assert made.wanted.lowest_V * cycle.middle_A * cycle.duty == pytest.approx(out)
        assert out == pytest.approx((60 + 0.36) / 0.85)
        assert cycle.duty == pytest.approx(0.45, abs=0.02)
        assert made.wanted.lowest_V * cycle.duty == pytest.approx(made.reflected_V * cycle.off_duty)
        assert CORE.inductance_H(made.primary_turns, made.gap_m) == pytest.approx(made.primary_H, rel=1e-4)
        assert made.most_W == pytest.approx(60.36 * (1.44 if mode == "dcm" else 1.2), rel=0.1)
    fast = designed(wanted(mode="crm"))
    assert fast.cycle(370.0).stage.frequency_Hz > fast.worst.stage.frequency_Hz
    plan = winding_plan(CORE, made.windings[0], made.windings[1:])
    assert (
        sum(int(x.split(": ")[1].split()[0]) for x in plan if x.startswith("primary")) == made.primary_turns
    )
    assert Winding("one", 1, 5.0, 65e3).strands == math.ceil(1.0 / (math.pi / 4 * 0.594**2))


def existing(gap_m: float = 0.9e-3, **other: object) -> Flyback:
    return as_wound(wanted(**other), (137, 9, 13), gap_m)


def test_nonsense_is_named() -> None:
    assert wrong(existing(limit_A=1.25)) == []
    assert "saturates" in wrong(existing(0.2e-3, limit_A=2.5))[0]
    assert "gap is too large" in " ".join(wrong(existing(6e-3)))
    assert "the limit cuts" in " ".join(wrong(existing(limit_A=0.8)))
    outputs, aux = (Output(12.0, 5.0, 1000e-6),), AuxSupply(18.0, 0.02, 22e-6, 9.0)
    starving = existing(outputs=outputs, aux=aux, preload_A=0.0, limit_A=1.25)
    assert "starves" in " ".join(wrong(starving))
    assert starving.coasts_s() == math.inf
    fed = existing(outputs=outputs, aux=aux, preload_A=0.1, limit_A=1.25)
    # 1000 µF by 0.12 V at 0.1 A is 1.2 ms; 22 µF by 0.85·17.6 − 9 V at 20 mA is 6.6 ms.
    assert fed.coasts_s() == pytest.approx(1.2e-3)
    assert fed.aux_holds_s() == pytest.approx(6.5e-3, rel=0.03)
    assert wrong(fed) == []
    assert unknown(fed)[-1] == MAINS
    assert "take it that it does" in " ".join(unknown(existing()))
    off = wanted(outputs=(Output(12.0, 4.0), Output(5.0, 1.0)), core=Core(300e-6, 0.1, 3e-4, 0.28))
    assert any("Output 2 comes to" in said for said in wrong(as_wound(off, (37, 2, 1, 3), 1e-3)))


@pytest.mark.parametrize(
    "odd",
    [
        {"outputs": ()},
        {"outputs": (Output(12.0, 0.0),)},
        {"line_V": (264.0, 180.0)},
        {"efficiency": 1.2},
        {"duty": 0.0},
        {"frequency_Hz": -1.0},
        {"core": Core(0.0, 72e-3, 90e-6, 0.28)},
        {"limit_A": 0.0},
        {"hold_up_s": 9.0},
        {"clamp_V": 10.0, "limit_A": 1.0},
    ],
)
def test_what_cannot_be_is_refused(odd: dict[str, object]) -> None:
    with pytest.raises(UserError):
        assert designed(wanted(**odd)).clamp_W


def test_a_gap_beyond_a_fifth_of_the_pole_is_said() -> None:
    # The pole is 8.72 mm broad: 0.9 mm is a tenth of it, 3 mm a third.
    assert not any("gap" in said for said in unknown(existing()))
    assert any("The gap is 3 mm, 34 % of the pole’s breadth" in said for said in unknown(existing(3e-3)))
