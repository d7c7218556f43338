"""Each kind of current limit from a record, with its knee; what can't be told is not called a kind."""

import numpy as np
import pytest

from tensimeter.core.analysis.current_limit import LimitKind, current_limit
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy

V0, OHM, KNEE = 13.6, 0.04, 6.0
AT_KNEE = V0 - OHM * KNEE


def record(kind: str, seed: int = 1) -> dict[str, object]:
    """Volts and amps of an output whose limit is known, read with a little noise."""
    rng = np.random.default_rng(seed)
    up = np.linspace(0, 0.98 * KNEE, 24)
    v, i, extra = V0 - OHM * up, up, {}
    down = np.linspace(0.95, 0.1, 15) * AT_KNEE
    share = down / AT_KNEE
    asked = np.where(np.arange(60) < 40, 1.03 * KNEE, 0.0)
    if kind == "constant_current":
        v, i = np.append(v, down), np.append(i, np.full(15, KNEE))
    elif kind == "foldback":
        v, i = np.append(v, down), np.append(i, KNEE * (0.3 + 0.7 * share))
    elif kind == "constant_power":
        v, i = np.append(v, down[:11]), np.append(i, KNEE * AT_KNEE / down[:11])
    elif kind == "brown_out":
        v, i = np.append(v, down[:11]), np.append(i, KNEE * (1 + 1.5 * (1 - share[:11])))
    elif kind == "load_limited":
        v, i = np.append(v, v[-3:]), np.append(i, i[-3:])
        extra = {"load_max_A": 0.98 * KNEE}
    elif kind == "hiccup":
        alive = np.arange(60) * 0.05 % 0.5 < 0.12
        v, i = np.append(v, np.where(alive, 4.0, 0)), np.append(i, np.where(alive, KNEE, 0))
        extra = {
            "time_s": np.append(np.arange(24), 24 + 0.05 * np.arange(60)),
            "set_A": np.append(up, np.full(60, 1.03 * KNEE)),
        }
    elif kind == "latch_off":
        v, i = np.append(v, np.zeros(60)), np.append(i, np.zeros(60))
        extra = {"set_A": np.append(up, asked)}
    noisy = v + rng.normal(0, 1e-3 * V0, len(v)), i + rng.normal(0, 1e-3 * KNEE, len(i))
    return {"volts": noisy[0], "amps": noisy[1], **extra}


@pytest.mark.parametrize("kind", [k.value for k in LimitKind if k is not LimitKind.UNSURE])
def test_each_kind(kind: str) -> None:
    ammeter = Accuracy(of_reading=0.002, counts=3, resolution=0.001)
    inside = 0
    for seed in range(20):
        found = current_limit(**record(kind, seed), ammeter=ammeter)
        assert found.kind.value == kind
        if kind in ("none_reached", "load_limited"):
            assert found.knee_A is None
            continue
        assert found.knee_A.value == pytest.approx(KNEE, rel=0.02)
        inside += found.knee_A.low < KNEE < found.knee_A.high
    assert inside >= 17 or found.knee_A is None
    if kind == "foldback":
        assert found.short_A.value == pytest.approx(0.3 * KNEE, rel=0.02)
    if kind == "hiccup":
        assert found.duty == pytest.approx(0.25, abs=0.05)
        assert found.period_s.low < 0.5 < found.period_s.high < 0.53
    assert found.recovers is (False if kind == "latch_off" else None)


def test_what_fits_two_kinds_is_unsure() -> None:
    held = record("latch_off")
    keep = slice(0, 40)
    gone = current_limit(held["volts"][keep], held["amps"][keep], set_A=held["set_A"][keep])
    assert gone.kind is LimitKind.UNSURE
    assert "whether the volts come back" in gone.reason
    folded = record("foldback")
    shallow = current_limit(folded["volts"][:26], folded["amps"][:26])
    assert shallow.kind is LimitKind.UNSURE
    back = record("latch_off")
    back["volts"][-10:], back["amps"][-10:] = V0, 0.0
    assert current_limit(**back).kind is LimitKind.UNSURE
    power = record("constant_power")
    assert current_limit(power["volts"][:27], power["amps"][:27]).kind is LimitKind.UNSURE


def test_a_load_that_only_reaches_its_foot_still_tells() -> None:
    """A load in constant current falls through the bend at once, to its own lowest volts."""
    up = np.append(np.linspace(0, KNEE, 40), [1.01 * KNEE, 1.02 * KNEE, 1.03 * KNEE])
    v = np.where(up <= KNEE, V0 - OHM * up, 0.3)
    steady = current_limit(v, np.minimum(up, 1.005 * KNEE), set_A=up)
    assert steady.kind is LimitKind.CONSTANT_CURRENT
    folded = current_limit(v, np.where(up <= KNEE, up, 0.4 * KNEE), set_A=up)
    assert folded.kind is LimitKind.FOLDBACK
    assert folded.knee_A.value == pytest.approx(KNEE, rel=0.02)


@pytest.mark.parametrize(
    ("volts", "amps", "said"),
    [
        ([1, 2], [1, 2], "four points"),
        ([1, 2, np.nan, 3], [1, 2, 3, 4], "must be numbers"),
        ([0, 0, 0, 0], [0, 1, 2, 3], "no volts"),
        ([12, 3, 2, 1], [0, 6, 6, 6], "out of regulation already"),
    ],
)
def test_records_that_tell_nothing(volts: list[float], amps: list[float], said: str) -> None:
    with pytest.raises(UserError, match=said):
        current_limit(np.array(volts, float), np.array(amps, float))


def test_a_current_that_folds_back_along_a_curve() -> None:
    """What limits by a junction bends: knee and short lie within what is told, and not only near a line."""
    ammeter, inside = Accuracy(of_reading=0.002, counts=3, resolution=0.001), 0
    for seed in range(20):
        rng = np.random.default_rng(seed)
        up, share = np.linspace(0, 0.97 * KNEE, 20), np.linspace(0.95, 0.05, 9)
        curve = share + rng.uniform(-0.5, 0.5) * np.sin(np.pi * share) / np.pi
        volts = np.append(V0 - OHM * up, share * AT_KNEE)
        amps = np.append(up, KNEE * (0.4 + 0.6 * curve)) + rng.normal(0, 1e-3, 29)
        found = current_limit(volts, amps, ammeter=ammeter)
        assert found.kind is LimitKind.FOLDBACK
        ends = (found.knee_A, KNEE), (found.short_A, 0.4 * KNEE)
        inside += sum(told.low <= true <= told.high for told, true in ends)
    assert inside >= 38
    # A log of it with thousands of rows is told as well, and at least as closely.
    share = np.linspace(0.95, 0.05, 3000)
    amps = KNEE * (0.4 + 0.6 * (share + 0.3 * np.sin(np.pi * share) / np.pi))
    volts = np.append(V0 - OHM * up, share * AT_KNEE)
    found = current_limit(volts, np.append(up, amps) + rng.normal(0, 1e-3, 3020), ammeter=ammeter)
    assert found.knee_A.low <= KNEE <= found.knee_A.high
    assert found.knee_A.half_width < 0.05 * KNEE
