"""A home-made load: its devices by junction and DC curve, held against a nodal solve and brute force."""

import numpy as np
import pytest
from msgspec.structs import replace

from tensimeter.core.electrical.sink_load import Device, SinkLoad, sized
from tensimeter.core.errors import UserError

CURVE = ((10.0, 12.0), (30.0, 2.5), (60.0, 0.6))
PART = Device(0.008, 0.75, 0.3, 150.0, CURVE)
LOAD = SinkLoad(PART, 1, 30.0, 5.0, 60.0, 0.1, 0.8, 25.0)


def test_the_worked_example_by_hand() -> None:
    found = sized(LOAD)
    # One device: 2 A at 30 V, its case at 25 + 60·1.1 = 91 °C, where 2.5 A·59/125 = 1.18 A are allowed. Two:
    # 1 A each, their cases at 25 + 60·0.8 + 30·0.3 = 82 °C, where 2.5·68/125 = 1.36 A are allowed.
    assert found.devices == 2
    assert (found.shunt_V, found.shunt_W) == (pytest.approx(0.25), pytest.approx(0.625))
    assert float(found.case_C.max()) == pytest.approx(82, abs=0.6)
    assert float(found.junction_C.max()) == pytest.approx(82 + 30 * 0.75, abs=0.9)
    # At 12 V, 2.5 A each: 12·1.2^−1.428 = 9.25 A cold, half of it hot. The far end decides, 1.36 A for 1 A.
    assert found.soa_margin == pytest.approx(1.36, abs=0.03)
    # 2.5 A through 0.1 Ω and a hot 8 mΩ: 1 + 0.0065·80 of it at 105 °C.
    assert found.lowest_V == pytest.approx(2.5 * (0.1 + 0.008 * 1.52), abs=0.003)
    assert 60 < found.continuous_W() < 90
    assert replace(found, watts=found.continuous_W() * 0.999).holds
    assert not replace(found, watts=found.continuous_W() * 1.01).holds


def nodal(watts: np.ndarray, part: Device, sink_K_W: float, ambient_C: float) -> np.ndarray:
    """°C of every junction by a nodal solve: junctions, cases and one sink to the air."""
    n = len(watts)
    g = np.zeros((2 * n + 1, 2 * n + 1))

    def join(a: int, b: int | None, k_w: float) -> None:
        g[a, a] += 1 / k_w
        if b is not None:
            g[b, b] += 1 / k_w
            g[a, b] -= 1 / k_w
            g[b, a] -= 1 / k_w

    for k in range(n):
        join(k, n + k, part.junction_K_W)
        join(n + k, 2 * n, part.mounting_K_W)
    join(2 * n, None, sink_K_W)
    return ambient_C + np.linalg.solve(g, np.concatenate([watts, np.zeros(n + 1)]))[:n]


def test_junctions_are_those_of_a_nodal_solve() -> None:
    for n in (1, 2, 5):
        found = replace(LOAD, devices=n, watts=40.0)
        each = float(found.each_W.max())
        hot = nodal(np.full(n, each), PART, LOAD.sink_K_W, LOAD.ambient_C)
        assert float(found.junction_C.max()) == pytest.approx(hot.max(), abs=0.5)


def test_no_design_that_is_said_to_hold_leaves_its_dc_curve() -> None:
    rng = np.random.default_rng(1000)
    held = 0
    for _ in range(1000):
        at, of = np.sort(rng.uniform(2, 100, 3)), np.sort(rng.uniform(0.1, 20, 3))[::-1]
        curve = tuple(zip(at.tolist(), of.tolist(), strict=True))
        part = Device(0.02, rng.uniform(0.2, 2), rng.uniform(0.1, 1), rng.uniform(120, 175), curve, 25.0,
                      bool(rng.integers(2)))  # fmt: skip
        wanted = SinkLoad(part, 1, rng.uniform(3, 90), rng.uniform(0.1, 15), rng.uniform(1, 200),
                          rng.uniform(0.01, 0.3), rng.uniform(0.2, 2), rng.uniform(0, 45))  # fmt: skip
        try:
            found = sized(wanted)
        except UserError:
            continue
        held += 1
        # Brute force, point by point, on another grid and by figures of its own.
        log_v, log_a = np.log(np.array(curve)).T
        for volts in np.linspace(found.volts / 50, found.volts, 137):
            own = min(found.amps, found.watts / volts) / found.devices
            across = volts - own * found.shunt_ohm
            if across <= 0:
                continue
            case = found.ambient_C + own * across * (found.devices * found.sink_K_W + part.mounting_K_W)
            allowed = np.exp(np.interp(np.log(across), log_v, log_a))
            allowed *= (part.hottest_C - case) / (part.hottest_C - 25.0) * (0.5 if part.switching else 1.0)
            assert across <= curve[-1][0] + 1e-9
            assert own <= allowed * 1.01
            assert case + own * across * part.junction_K_W <= part.hottest_C + 0.5
    assert held > 150


def test_what_is_not_known_or_can_not_be_is_refused() -> None:
    with pytest.raises(UserError, match="DC curve"):
        sized(replace(LOAD, device=replace(PART, soa=())))
    with pytest.raises(UserError, match="curve ends"):
        sized(replace(LOAD, volts=80.0))
    for change in (
        {"amps": 0.0},
        {"volts": -1.0},
        {"watts": float("nan")},
        {"shunt_ohm": 0.0},
        {"ambient_C": 160.0},
    ):
        with pytest.raises(UserError):
            sized(replace(LOAD, **change))
    with pytest.raises(UserError, match="above zero"):
        sized(replace(LOAD, device=replace(PART, soa=((10.0, 0.0), (20.0, 1.0)))))
