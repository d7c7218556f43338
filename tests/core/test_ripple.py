"""Ripple from records whose content is known, and what a record can't tell."""

from pathlib import Path

import numpy as np
import pytest

from tensimeter.core.analysis.ripple import ripple
from tensimeter.core.errors import UserError
from tensimeter.store.waveforms import read_waveform

RATE, SECONDS = 1e6, 0.4
SWITCHING = 64_983.7
CONTENT = {
    100.3: (0.040, "2 × mains"),
    SWITCHING: (0.012, "switching"),
    2 * SWITCHING: (0.004, "2 × switching"),
    3 * SWITCHING: (0.002, "3 × switching"),
}


def record(rate: float = RATE, seconds: float = SECONDS, spikes: float = 0.0) -> np.ndarray:
    """Lines that lie on no bin of the transform, 1 mV of noise, and spikes of 50 ns at each edge."""
    t = np.arange(round(rate * seconds)) / rate
    rng = np.random.default_rng(4)
    v = 12.0 + rng.normal(0, 1e-3, t.size)
    for k, (f, (rms, _)) in enumerate(CONTENT.items()):
        v += rms * np.sqrt(2) * np.sin(2 * np.pi * f * t + k)
    if spikes:
        phase = (t * SWITCHING * 2) % 1.0
        v += np.where(phase < 50e-9 * SWITCHING * 2, spikes * np.where((t * SWITCHING) % 1 < 0.5, 1, -1), 0)
    return v


@pytest.mark.parametrize(("given", "spikes"), [(65e3, 0.0), (65e3, 0.4), (None, 0.0)])
def test_each_line_is_found_and_named(given: float | None, spikes: float) -> None:
    volts = record(20e6, 0.1, spikes) if spikes else record()
    found = ripple(volts, 20e6 if spikes else RATE, 50.0, given)
    assert found.mean_V == pytest.approx(12.0, abs=2e-3)
    for f, (rms, name) in CONTENT.items():
        line = min(found.lines, key=lambda x: abs(x.frequency_Hz - f))
        assert line.frequency_Hz == pytest.approx(f, rel=2e-3)
        # With spikes the record itself holds more than the clean lines at the switching's harmonics.
        if not spikes or f < 1e3:
            assert line.rms_V == pytest.approx(rms, rel=0.01)
        said = name if given else name.replace("switching", "switching, or an alias of it")
        assert line.name == said
    if spikes:
        clean = np.ptp(record(20e6, 0.1))
        assert found.pp_V > 1.5 * clean
        assert found.pp_trimmed_V == pytest.approx(clean, rel=0.05)
    assert any("alias" in w for w in found.warnings) == (given is None)


def test_what_the_sample_rate_cannot_see_is_said_and_not_named() -> None:
    found = ripple(record(100e3, 1.0), 100e3, 50.0, 65e3)
    assert any("can't see switching" in w for w in found.warnings)
    assert [x.name for x in found.lines if "switching" in x.name] == []
    assert found.lines[0].name == "2 × mains"


def test_short_coarse_and_limited_records() -> None:
    short = ripple(record(seconds=0.03), RATE, 50.0, 65e3)
    assert any("two mains cycles" in w for w in short.warnings)
    coarse = ripple(np.round(record() / 0.05) * 0.05, RATE, 50.0, 65e3)
    assert any("digitiser's step, 50 mV" in w for w in coarse.warnings)
    limited = ripple(record(), RATE, 50.0, 65e3, bandwidth_Hz=1e3)
    assert limited.rms_V == pytest.approx(0.040, rel=0.02)
    assert limited.pp_V < 0.13
    for bad in ({"volts": np.ones(10)}, {"rate_Hz": 0.0}, {"trim": 0.6}, {"switching_Hz": -1.0}):
        with pytest.raises(UserError):
            ripple(**({"volts": record(seconds=0.01), "rate_Hz": RATE} | bad))
    with pytest.raises(UserError, match="no numbers"):
        ripple(np.append(np.ones(100), np.nan), RATE)


def test_waveforms_are_read_or_refused(tmp_path: Path) -> None:
    volts = record(seconds=0.01)
    t = np.arange(volts.size) / RATE
    np.save(tmp_path / "one.npy", volts)
    np.save(tmp_path / "two.npy", np.column_stack([t, volts]))
    text = "time [s],voltage [V]\n" + "\n".join(f"{a:.7f},{b:.5f}" for a, b in zip(t, volts, strict=True))
    (tmp_path / "three.csv").write_text(text)
    for name, rate in (("one.npy", RATE), ("two.npy", None), ("three.csv", None)):
        wave = read_waveform(tmp_path / name, rate)
        assert wave.rate_Hz == pytest.approx(RATE)
        assert wave.volts == pytest.approx(volts, abs=1e-5)
        assert wave.time_s[-1] == pytest.approx(t[-1])
    np.save(tmp_path / "words.npy", np.array(["a", "b"]))
    np.save(tmp_path / "cube.npy", np.ones((3, 3, 3)))
    (tmp_path / "junk.npy").write_bytes(b"\x93NUMPY\x01\x00garbage")
    (tmp_path / "gap.csv").write_text("time [s],voltage [V]\n0,1\n0.1,1\n0.5,1\n0.6,1")
    (tmp_path / "back.csv").write_text("time [s],voltage [V]\n0,1\n0.1,1\n0.05,1")
    for name, said in (
        ("one.npy", "--rate"),
        ("words.npy", "plain numbers"),
        ("cube.npy", "shape"),
        ("junk.npy", "not a NumPy array"),
        ("gap.csv", "evenly"),
        ("back.csv", "does not rise"),
        ("none.npy", "can't be read"),
    ):
        with pytest.raises(UserError, match=said):
            read_waveform(tmp_path / name)
