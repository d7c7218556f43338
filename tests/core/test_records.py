"""Capacity and transient from records whose answer is known in closed form."""

import json
import math
from pathlib import Path

import numpy as np
import pytest

from tensimeter.core.analysis.capacity import capacity
from tensimeter.core.analysis.transient import transient
from tensimeter.core.errors import UserError


def discharge(n: int, uneven: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """12.6 V falling by 1 V an hour through 4 Ω, read for three hours."""
    t = np.linspace(0, 3 * 3600, n)
    if uneven:
        t = np.sort(np.concatenate(([0.0], np.random.default_rng(2).uniform(0, 3 * 3600, n - 1))))
    v = 12.6 - t / 3600
    return t, v, v / 4


@pytest.mark.parametrize(("n", "uneven"), [(181, False), (400, True)])
def test_charge_and_energy_to_a_cut_off(n: int, uneven: bool) -> None:
    t, v, i = discharge(n, uneven)
    found = capacity(t, v, i, 10.5)
    # 2.1 h; ∫v dt = 12.6·2.1 − 2.1²/2, and ∫v² dt = (12.6³ − 10.5³)/3.
    assert found.duration_s.value == pytest.approx(2.1 * 3600, rel=1e-9)
    assert found.charge_Ah.value == pytest.approx((12.6 * 2.1 - 2.1**2 / 2) / 4, rel=1e-6)
    assert found.energy_Wh.value == pytest.approx((12.6**3 - 10.5**3) / 3 / 4, rel=1e-4)
    assert found.reached_cutoff
    more = capacity(t, v, i, 10.5, own_A=0.1)
    assert more.charge_Ah.value - found.charge_Ah.value == pytest.approx(0.21, rel=1e-6)
    short = capacity(t, v, i, 5.0)
    assert not short.reached_cutoff
    assert short.duration_s.value == pytest.approx(float(t[-1] - t[0]))
    # A cut-off that is met by a reading itself.
    exact = capacity(np.array([0.0, 3600.0, 7200.0]), np.array([12.0, 11.0, 10.0]), np.ones(3), 11.0)
    assert (exact.charge_Ah.value, exact.duration_s.value) == (pytest.approx(1.0), pytest.approx(3600.0))


@pytest.mark.parametrize(
    ("t", "v", "cutoff", "said"),
    [
        ([0.0], [12.0], 10.0, "two readings"),
        ([0.0, 0.0], [12.0, 11.0], 10.0, "rises"),
        ([0.0, 1.0], [9.0, 8.0], 10.0, "already"),
        ([0.0, 1.0], [9.0, 8.0], -1.0, "zero or above"),
    ],
)
def test_a_record_that_tells_no_capacity_is_refused(t: list, v: list, cutoff: float, said: str) -> None:
    with pytest.raises(UserError, match=said):
        capacity(np.array(t), np.array(v), np.ones(len(t)), cutoff)


def ringing(sign: float, noise: float, length: float = 4e-3) -> tuple[np.ndarray, np.ndarray]:
    """13.6 V that falls by 50 mV at 1 ms and rings by 0.6 V at 4 kHz, dying with 200 µs."""
    t = np.arange(0, length, 2e-7)
    after = np.clip(t - 1e-3, 0, None)
    ring = 0.6 * np.exp(-after / 2e-4) * np.sin(2 * math.pi * 4e3 * after)
    v = 13.6 - sign * (0.05 * (t >= 1e-3) + ring * (t >= 1e-3))
    return t, v + np.random.default_rng(5).normal(0, noise, len(t))


@pytest.mark.parametrize(("sign", "noise"), [(1.0, 0.0), (1.0, 0.002), (-1.0, 0.002)])
def test_dip_overshoot_and_recovery_of_a_ring(sign: float, noise: float) -> None:
    t, v = ringing(sign, noise)
    found = transient(t, v, 0.01)
    # Extremes of e^(−t/τ)·sin(ωt) lie at tan(ωt) = ωτ.
    omega, tau = 2 * math.pi * 4e3, 2e-4
    first = math.atan(omega * tau) / omega
    peak = 0.6 * math.exp(-first / tau) * math.sin(omega * first)
    second = first + math.pi / omega
    back = 0.6 * math.exp(-second / tau) * math.sin(omega * first)
    assert found.settled_V.value == pytest.approx(13.6 - sign * 0.05, abs=1e-3)
    assert found.step_at_s == pytest.approx(1e-3, abs=1e-5)
    dip, rise = (peak, back - 0.05) if sign > 0 else (back - 0.05, peak)
    assert found.dip_V.value == pytest.approx(max(dip, 0), abs=0.01)
    assert found.overshoot_V.value == pytest.approx(max(rise, 0), abs=0.01)
    # By hand: the last moment at which |ring| exceeds 1 % of the settled volts.
    after = t[t >= 1e-3] - 1e-3
    ring = 0.6 * np.exp(-after / tau) * np.sin(omega * after)
    last = float(after[np.abs(ring) > 0.01 * (13.6 - sign * 0.05)][-1])
    assert found.recovery_s.value == pytest.approx(last, abs=4e-6)
    assert found.warnings == ()
    given = transient(t, v, 0.01, 1e-3)
    assert given.recovery_s.value == pytest.approx(last, abs=4e-6)


def test_a_record_that_ends_too_soon_or_shows_no_step_says_so() -> None:
    t, v = ringing(1.0, 0.001, length=1.2e-3)
    found = transient(t, v, 0.01)
    assert found.recovery_s is None
    assert "take a longer one" in found.warnings[0]
    flat = 13.6 + np.random.default_rng(1).normal(0, 0.002, 2000)
    with pytest.raises(UserError, match="No step is seen"):
        transient(np.arange(2000.0), flat)
    for bad in ({"band": 0.0}, {"step_at_s": 9.0}):
        with pytest.raises(UserError):
            transient(t, v, **bad)
    with pytest.raises(UserError, match="twenty samples"):
        transient(t[:5], v[:5])


def test_records_on_the_command_line(tmp_path: Path, monkeypatch, capsys) -> None:
    from tensimeter.cli.main import run

    t, v, i = discharge(181, False)
    log = tmp_path / "pack.csv"
    rows = (f"{a:.3f},{b:.6f},{c:.6f}" for a, b, c in zip(t, v, i, strict=True))
    log.write_text("time [s],voltage [V],current [A]\n" + "\n".join(rows))
    wave = tmp_path / "step.csv"
    t, v = ringing(1.0, 0.0)
    wave.write_text("t,v\n" + "\n".join(f"{a:.9f},{b:.6f}" for a, b in zip(t, v, strict=True)))

    def told(*words: object) -> dict:
        monkeypatch.setattr("sys.argv", ["tensimeter", "analyse", *map(str, words), "--json"])
        with pytest.raises(SystemExit) as stop:
            run()
        assert not stop.value.code
        return json.loads(capsys.readouterr().out)

    found = told("capacity", log, "--cutoff", "10.5V")
    assert found["charge_Ah"]["value"] == pytest.approx((12.6 * 2.1 - 2.1**2 / 2) / 4, rel=1e-5)
    assert found["reached_cutoff"] is True
    found = told("transient", wave, "--band", "1%", "--step-at", "1ms")
    assert found["dip_V"]["value"] == pytest.approx(0.45, abs=0.1)
    assert 0 < found["recovery_s"]["value"] < 1e-3


def test_a_ripple_that_stood_there_before_is_no_part_of_a_dip() -> None:
    inside = 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        t = np.arange(-0.04, 0.12, 5e-5)
        hum = np.sin(2 * np.pi * 100 * t + rng.uniform(0, 6)) * np.where(t > 0, 0.08, 0.03)
        fall = 0.4 * np.where(t > 0, (1 - np.exp(-t / 2e-4)) * np.exp(-t / 8e-3), 0)
        found = transient(t, 12 - fall + hum + rng.normal(0, 2e-3, len(t)), 0.005, 0.0)
        inside += found.dip_V.low <= fall.max() <= found.dip_V.high
        assert abs(found.dip_V.value - fall.max()) < 0.03
        assert "A ripple of 100 Hz that stands there all along was taken off." in found.warnings
    assert inside >= 18
