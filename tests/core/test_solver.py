"""The path solver: power balance, collapse, limits, taps, and a ladder solved by hand."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import fsolve

from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.constant_power import constant_power_volts
from tensimeter.core.electrical.elements import Conversion, CurrentSink, Network, Series
from tensimeter.core.electrical.reservoir import Curve
from tensimeter.core.electrical.solution import State
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job


def converter(name: str, fed_by: str, set_V: float, **figures: float) -> Conversion:
    plain = {"limit_A": np.inf, "dropout_V": 0.5, "loss_fixed_W": 0.3, "loss_per_A": 0.4, "loss_per_A2": 0.02}
    return Conversion(name, fed_by, set_V, **{**plain, **figures})


def chain(emf: float = 24.0, source_ohm: float = 0.1, set_V: float = 12.0, **figures: float) -> Network:
    return Network(
        (
            Series("source", None, emf=emf, resistance=source_ohm),
            converter("module", "source", set_V, **figures),
            Series("lead", "module", resistance=0.05),
            CurrentSink("out", "lead"),
        )
    )


def assert_balanced(network: Network, loads: dict) -> None:
    solution = solve(network, loads)
    for point in solution.points.values():
        balance = np.nan_to_num(point.power_in - point.power_out - point.loss)
        scale = np.abs(np.nan_to_num(point.power_in)) + np.abs(np.nan_to_num(point.loss))
        assert np.all(np.abs(balance) <= 1e-9 * np.maximum(scale, 1e-3))
    # What leaves a link is what everything it feeds takes in.
    for element in network.elements:
        below = [e.id for e in network.elements if e.fed_by == element.id]
        if below:
            taken = sum(solution[b].I_in for b in below)
            np.testing.assert_allclose(solution[element.id].I, taken, rtol=1e-9, atol=1e-12)


def test_a_ladder_solved_by_hand() -> None:
    # 12 V, 0.2 Ω, two branches: 1 Ω to 2 A and 0.5 Ω to 1 A.
    network = Network(
        (
            Series("s", None, emf=12.0, resistance=0.2),
            Series("a", "s", resistance=1.0),
            CurrentSink("one", "a"),
            Series("b", "s", resistance=0.5),
            CurrentSink("two", "b"),
        )
    )
    solution = solve(network, {"one": 2.0, "two": 1.0})
    assert float(solution["s"].V) == pytest.approx(11.4)
    assert float(solution["one"].V) == pytest.approx(9.4)
    assert float(solution["two"].V) == pytest.approx(10.9)
    assert float(solution["s"].loss) == pytest.approx(1.8)


def test_a_switching_converter_draws_constant_power() -> None:
    solution = solve(chain(), {"out": 2.0})
    taken = 24.0 + 0.3 + 0.4 * 2 + 0.02 * 4
    volts = (24 + np.sqrt(24**2 - 4 * taken * 0.1)) / 2
    assert float(solution["module"].V_in) == pytest.approx(volts, rel=1e-12)
    assert float(solution["module"].I_in) == pytest.approx(taken / volts, rel=1e-12)
    assert float(solution["out"].V) == pytest.approx(12 - 0.1, rel=1e-12)


def test_collapse_exactly_where_the_root_goes() -> None:
    v0, r = 24.0, 1.5
    limit = v0**2 / (4 * r)
    assert float(constant_power_volts(v0, r, limit)) == pytest.approx(v0 / 2)
    assert np.isnan(constant_power_volts(v0, r, np.nextafter(limit, np.inf) * (1 + 1e-15)))
    assert np.isfinite(constant_power_volts(v0, r, np.nextafter(limit, 0)))
    solution = solve(chain(source_ohm=6.0), {"out": np.array([0.5, 3.0])})
    assert solution["module"].state.tolist() == [State.RUNS, State.COLLAPSED]
    assert np.isnan(solution["out"].V[1])
    assert "collapses" in State.COLLAPSED.words


def test_several_constant_power_loads_share_one_lead() -> None:
    network = Network(
        (
            Series("s", None, emf=24.0, resistance=0.8),
            Series("a", "s", resistance=0.3),
            converter("m1", "a", 12.0),
            CurrentSink("o1", "m1"),
            Series("b", "s", resistance=0.6),
            converter("m2", "b", 5.0),
            CurrentSink("o2", "m2"),
        )
    )
    solution = solve(network, {"o1": 3.0, "o2": 2.0})
    p1, p2 = 36 + 0.3 + 1.2 + 0.18, 10 + 0.3 + 0.8 + 0.08

    def equations(v: np.ndarray) -> list[float]:
        i1, i2 = p1 / v[0], p2 / v[1]
        return [24 - 0.8 * (i1 + i2) - 0.3 * i1 - v[0], 24 - 0.8 * (i1 + i2) - 0.6 * i2 - v[1]]

    expected = fsolve(equations, [24.0, 24.0], xtol=1e-13)
    assert float(solution["m1"].V_in) == pytest.approx(expected[0], rel=1e-9)
    assert float(solution["m2"].V_in) == pytest.approx(expected[1], rel=1e-9)
    assert_balanced(network, {"o1": 3.0, "o2": 2.0})
    gone = solve(network, {"o1": 11.0, "o2": 4.0})
    assert np.isnan(gone["o1"].V)
    assert int(gone["m1"].state) == State.COLLAPSED


def test_current_limit_pulls_the_output_down_and_keeps_the_balance() -> None:
    network = chain(limit_A=4.0)
    solution = solve(network, {"out": np.array([3.9, 4.0, 5.0])})
    assert solution["module"].state.tolist() == [State.RUNS, State.RUNS, State.LIMITED]
    assert solution["out"].I.tolist() == pytest.approx([3.9, 4.0, 4.0])
    assert float(solution["out"].V[2]) == pytest.approx(0.0, abs=1e-12)
    assert_balanced(network, {"out": np.array([3.9, 4.0, 5.0])})


def test_dropout_follows_the_input() -> None:
    network = chain(emf=12.2, source_ohm=0.05)
    solution = solve(network, {"out": 2.0})
    assert int(solution["module"].state) == State.DROPOUT
    assert float(solution["module"].V) == pytest.approx(float(solution["module"].V_in) - 0.5, rel=1e-9)
    assert_balanced(network, {"out": 2.0})


def test_a_linear_stage_passes_its_input_current() -> None:
    network = Network(
        (
            Series("s", None, emf=15.0, resistance=0.2),
            converter("reg", "s", 9.0, loss_fixed_W=0.09, loss_per_A=0, topology="linear"),
            CurrentSink("out", "reg"),
        )
    )
    point = solve(network, {"out": 1.0})["reg"]
    # Its own 90 mW come on top, at the volts that are left: V² − 14.8·V + 0.018 = 0.
    own = 0.09 / ((14.8 + np.sqrt(14.8**2 - 4 * 0.018)) / 2)
    assert float(point.I_in) == pytest.approx(1 + own, rel=1e-12)
    assert float(point.loss) == pytest.approx((15 - 0.2 * (1 + own)) * (1 + own) - 9.0)


def test_taps_add_up_in_the_lower_unit(demo: Job) -> None:
    solution = solve(build(demo), {"mount": 6.0, "hub": 2.0, "dew": 1.0})
    lower, upper = solution["donor-a"], solution["donor-b"]
    assert float(lower.I - upper.I) == pytest.approx(float(solution["hub-module"].I_in))
    assert float(upper.I) == pytest.approx(float(solution["front-end"].I_in + solution["dew-module"].I_in))
    assert float(solution["hub-module"].V_in) == pytest.approx(float(lower.V))
    assert_balanced(build(demo), {"mount": 6.0, "hub": 2.0, "dew": 1.0})


def test_a_unit_past_its_limit_has_no_running_state(demo: Job) -> None:
    weak = build(demo).with_values({("donor-b", "limit_A"): 1.0})
    solution = solve(weak, {"mount": np.array([1.0, 6.0])})
    assert solution["donor-b"].state.tolist() == [State.RUNS, State.OVER]
    assert np.isnan(solution["mount"].V[1])
    assert solution.runs.tolist() == [True, False]


def test_arrays_are_points_one_by_one(demo: Job) -> None:
    network, amps = build(demo), np.linspace(0, 9, 7)
    together = solve(network, {"mount": amps, "dew": 2.0})
    for k, a in enumerate(amps):
        alone = solve(network, {"mount": float(a), "dew": 2.0})
        for link, point in alone.points.items():
            np.testing.assert_allclose(together.whole(together[link].V)[k], point.V, rtol=1e-12)
            np.testing.assert_allclose(together.whole(together[link].I)[k], point.I, rtol=1e-12)


ohms = st.floats(0.0, 0.5)


@st.composite
def networks(draw: st.DrawFn) -> tuple[Network, dict[str, float]]:
    """A stack of one or two units with one to three branches, some with a converter."""
    elements: list = [Series("u0", None, emf=draw(st.floats(10, 50)), resistance=draw(ohms))]
    if draw(st.booleans()):
        elements.append(Series("u1", "u0", emf=draw(st.floats(10, 50)), resistance=draw(ohms)))
    loads = {}
    for k in range(draw(st.integers(1, 3))):
        feed = draw(st.sampled_from([e.id for e in elements if isinstance(e, Series)]))
        elements.append(Series(f"w{k}", feed, resistance=draw(ohms), contact=draw(ohms)))
        feed = f"w{k}"
        if draw(st.booleans()):
            topology = draw(st.sampled_from(["step_down", "step_up", "both_ways", "linear"]))
            figures = {"limit_A": draw(st.floats(0.5, 10)), "resistance": draw(ohms), "topology": topology}
            elements.append(converter(f"c{k}", feed, draw(st.floats(1, 24)), **figures))
            elements.append(Series(f"x{k}", f"c{k}", resistance=draw(ohms)))
            feed = f"x{k}"
        elements.append(CurrentSink(f"o{k}", feed))
        loads[f"o{k}"] = draw(st.floats(0, 8))
    return Network(tuple(elements)), loads


@settings(max_examples=150, deadline=None)
@given(networks())
def test_power_balances_in_any_design(case: tuple[Network, dict[str, float]]) -> None:
    assert_balanced(*case)


@settings(max_examples=80, deadline=None)
@given(networks(), st.randoms(use_true_random=False))
def test_less_resistance_never_lowers_volts_downstream(case: tuple, random: object) -> None:
    network, loads = case
    wires = [e for e in network.elements if isinstance(e, Series) and e.id[0] in "wx"]
    chosen = random.choice(wires)  # type: ignore[attr-defined]
    halved = network.with_values(
        {(chosen.id, "resistance"): chosen.resistance / 2, (chosen.id, "contact"): 0.0}
    )
    before, after = solve(network, loads), solve(halved, loads)
    if not (before.runs and after.runs):
        return
    below = chosen.id.replace("w", "o").replace("x", "o")
    assert float(after[below].V) >= float(before[below].V) - 1e-9
    drop = [float(s[chosen.id].V_in - s[chosen.id].V) for s in (before, after)]
    assert drop[1] <= drop[0] + 1e-9


def test_unknown_figures_are_refused(demo: Job) -> None:
    with pytest.raises(KeyError):
        build(demo).with_values({("donor-a", "colour"): 1.0})


def test_a_converter_behind_one_that_drops_out() -> None:
    """Both found by plain repetition of what each of them does, until nothing moves any more."""
    elements = (
        Series("s", None, emf=10.0, resistance=0.1),
        converter("first", "s", 9.8, resistance=0.02),
        Series("wire", "first", resistance=0.05),
        converter("second", "wire", 5.0),
        CurrentSink("out", "second"),
        CurrentSink("side", "first"),
    )
    first, second = elements[1], elements[3]
    amps, side, volts, feed = 2.0, 0.7, 9.0, 9.0
    for _ in range(500):
        inner = (5.0 * amps + float(second.loss(np.array(amps)))) / feed
        through = inner + side
        # Dropped out it passes its current on; what its loss exceeds the dropout by comes on top.
        own = (float(first.loss(np.array(through))) - (first.dropout_V + 0.02 * through) * through) / volts
        volts = 10.0 - 0.1 * (through + own)
        feed = volts - first.dropout_V - 0.02 * through - 0.05 * inner
    solution = solve(Network(elements), {"out": amps, "side": side})
    assert float(solution["first"].V_in) == pytest.approx(volts, rel=1e-9)
    assert float(solution["second"].V_in) == pytest.approx(feed, rel=1e-9)
    assert State(int(solution["first"].state)) is State.DROPOUT
    assert State(int(solution["second"].state)) is State.RUNS
    assert_balanced(Network(elements), {"out": amps, "side": side})


def test_past_its_limits_a_path_is_solved_as_it_is_set(demo: Job) -> None:
    """How far past: the ladder needs the figures that a limit would hide."""
    network = build(demo)
    limited = solve(network, {"mount": 14.0})
    asked = solve(network, {"mount": 14.0}, as_set=True)
    assert float(limited["mount"].I) == pytest.approx(11.0)
    assert float(asked["mount"].I) == 14.0
    assert float(asked["mount"].V) == pytest.approx(13.6 - 14 * 0.04369, abs=1e-3)


@pytest.mark.parametrize("kind", ["held", "folding", "power", "winding"])
def test_a_bent_source_stands_where_its_line_meets_a_constant_power(kind: str) -> None:
    """Against the line walked through in small steps: the first current that gives the power asked for."""
    curve = {
        # 5 A held, as a limit does; folded back to 4 A; constant power past 5 A; a reservoir that sags.
        "held": Curve((0.0, 5.0, 5.001), (12.0, 11.8, 0.0)),
        "folding": Curve((0.0, 5.0, 5.05), (12.0, 11.8, 6.0)),
        "power": Curve((0.0, *np.linspace(5, 10, 12)), (12.0, *(59.0 / np.linspace(5, 10, 12)))),
        "winding": Curve(
            tuple(4 * np.linspace(0, 1, 24) ** 2), tuple(30 - 18 * np.linspace(0, 1, 24) ** 0.9)
        ),
    }[kind]
    walked = np.linspace(0, 1.2 * curve.amps[-1], 200_001)
    volts = curve.at(walked)
    most = float((volts * walked).max())
    net = Network(
        (
            Series("s", None, emf=curve.volts[0], curve=curve),
            Conversion("m", "s", 5.0, np.inf, 1.0, 0.0, 0.0, 0.0),
            CurrentSink("o", "m"),
        )
    )
    asked = np.linspace(0.05, 1.1, 43) * most
    found = solve(net, {"o": asked / 5}, as_set=True)["s"].V
    for watts, got in zip(asked, found, strict=True):
        gives = np.flatnonzero(volts * walked >= watts)
        if not len(gives) or volts[gives[0]] <= 0:
            assert np.isnan(got), watts
        else:
            assert got == pytest.approx(float(volts[gives[0]]), rel=2e-3), watts
