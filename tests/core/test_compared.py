"""Meters, loads and thermometers beside a better one: which reading belongs to which, what it tells."""

from collections.abc import Iterator

import numpy as np
import pytest

from tensimeter.core.analysis.comparison import compared
from tensimeter.core.analysis.meter_setting import correction
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Measurand, Reading
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.instruments import put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_check
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.check_words import (
    beside_sentence,
    check_kept_sentence,
    constant_of,
    setting_sentence,
)
from tensimeter.core.testplan.meter_checks import MeterCheck, as_check, meter_checks
from tensimeter.core.tuning.asked import display_asked
from tensimeter.demo.library import demo_job
from tensimeter.simulation.hand import HiddenTuning, SimulatedHand

FINE = Accuracy(of_reading=0.0005, counts=2, resolution=0.001)
COARSE = Accuracy(of_reading=0.01, counts=3, resolution=0.01)


def read(rows: list[tuple[str, Measurand, float, str]], every_s: float = 5.0) -> list[Reading]:
    """Rows of place, quantity, value and meter as readings, in the order given."""
    fine = {"bench-meter": FINE}
    return [
        Reading(k, every_s * k, place, q, v, meter, fine.get(meter, COARSE), "four-wire", "typed", id=k)
        for k, (place, q, v, meter) in enumerate(rows, 1)
    ]


def only(job: Job, rows: list[tuple[str, Measurand, float, str]], place: str, q: str) -> MeterCheck:
    (found,) = [c for c in meter_checks(job, read(rows)) if (c.place, c.quantity) == (place, q)]
    return found


@pytest.fixture(scope="module")
def job() -> Job:
    return with_campaign(demo_job("ridge-pier"), load="sink-60")


def a_load(volts: list[float]) -> Iterator[tuple[str, Measurand, float, str]]:
    """A load that sinks 2 % more than it is set to, and 30 mA less; 50 Ω of it are always there."""
    for amps in (0.5, 2.0, 4.0, 6.0, 8.0):
        yield "sink-60-set", "A", amps, "sink-60"
        for v in volts:
            yield "mount", "V", v, "bench-meter"
            yield "bench-meter-shows", "A", round(1.02 * amps - 0.03 + v / 50, 3), "bench-meter"


def test_a_setting_stands_for_all_that_is_read_until_the_next(job: Job) -> None:
    check = only(job, list(a_load([8.0, 13.6, 20.0])), "sink-60-set", "A")
    assert check.found is not None
    assert len(check.pairs) == 15
    assert check.found.gain.low < 1.02 < check.found.gain.high
    assert check.found.per_volt is not None
    assert check.found.per_volt.low < 1 / 50 < check.found.per_volt.high
    assert "50" in beside_sentence(check)
    assert "across" in beside_sentence(check)
    kept = as_check(job, check, 0.0)
    assert kept.setting
    assert "what is set gives 1.02" in check_kept_sentence(kept)
    # What a load is set to says nothing of what it reads.
    own = read([("mount", "A", 4.0, "sink-60")])
    assert put_right(with_check(job, "sink-60", kept), own) == own


def test_watts_and_ohms_of_a_load_are_made_of_volts_and_amps(job: Job) -> None:
    rows: list[tuple[str, Measurand, float, str]] = []
    for watts in (10.0, 30.0, 50.0):
        rows.append(("sink-60-set", "W", watts, "sink-60"))
        rows += [("mount", "V", 13.5, "bench-meter"), ("mount", "A", 1.03 * watts / 13.5, "bench-meter")]
    for ohms in (2.0, 5.0, 12.0):
        rows.append(("sink-60-set", "ohm", ohms, "sink-60"))
        rows += [("mount", "V", 13.5, "bench-meter"), ("mount", "A", 13.5 / (ohms + 0.04), "bench-meter")]
    powers, ohms_ = only(job, rows, "sink-60-set", "W"), only(job, rows, "sink-60-set", "ohm")
    assert powers.found is not None
    assert powers.found.gain.low < 1.03 < powers.found.gain.high
    assert ohms_.found is not None
    assert ohms_.found.offset.low < 0.04 < ohms_.found.offset.high
    assert len(powers.pairs) == len(ohms_.pairs) == 3


def test_a_meter_is_judged_by_a_better_one_only(job: Job) -> None:
    rows: list[tuple[str, Measurand, float, str]] = []
    for amps in (1.0, 3.0, 5.0):
        rows += [("mount", "A", amps, "bench-meter"), ("hand-meter-shows", "A", 0.97 * amps, "hand-meter")]
        rows += [("bench-meter-shows", "A", amps, "bench-meter")]
    checks = {c.place: c for c in meter_checks(job, read(rows))}
    assert set(checks) == {"hand-meter-shows"}
    assert checks["hand-meter-shows"].found is not None
    assert abs(checks["hand-meter-shows"].found.gain.value - 1 / 0.97) < 0.005
    # Ten minutes and more apart they read something else.
    assert meter_checks(job, read(rows, every_s=700.0)) == ()


def test_a_thermometer_by_ice_and_steam(job: Job) -> None:
    rows: list[tuple[str, Measurand, float, str]] = [
        ("bath", "C", 0.0, "bench-meter"), ("probe-k-shows", "C", 1.5, "probe-k"),
        ("bath", "C", 50.0, "bench-meter"), ("probe-k-shows", "C", 52.0, "probe-k"),
        ("bath", "C", 100.0, "bench-meter"), ("probe-k-shows", "C", 102.5, "probe-k"),
    ]  # fmt: skip
    check = only(job, rows, "probe-k-shows", "C")
    assert check.found is not None
    assert check.found.gain.low < 100 / 101 < check.found.gain.high
    right = correction(check.found, "both")
    assert "take off" in setting_sentence(check, right)
    # 60 °C are shown as 62.1 °C: a fan that is to act there is set to that.
    assert "62.1" in setting_sentence(check, right, "alarm", "60C")
    assert "in place of 11" in setting_sentence(check, right, "constant", "100k/10k")
    assert constant_of("100k/10k") == 11
    assert constant_of("2.5") == 2.5
    for odd in ("0", "10k/0", "10k/-1", "x"):
        with pytest.raises(UserError):
            constant_of(odd)


def test_a_drift_is_told_from_noise_and_from_warming_up() -> None:
    rng = np.random.default_rng(3)
    t, x = np.arange(40) * 60.0, np.tile([1.0, 4.0, 8.0, 2.0], 10)
    fine = Accuracy(of_reading=0, resolution=0.001)

    def of(off: np.ndarray) -> tuple[str, ...]:
        noise = rng.normal(0, 0.0005, len(t))
        return compared(x, x + off + noise, fine, fine, time_s=t).warnings

    assert not any("drifts" in w for w in of(np.zeros(40)))
    assert any("It drifts:" in w for w in of(t * 1e-5))
    assert any("warms up" in w for w in of(0.02 * (1 - np.exp(-t / 250))))
    # A slope in time that goes with the values alone can't be told from a gain.
    assert compared(t, t * 1.01, fine, fine, time_s=t).drift is None


def test_a_simulated_reference_that_drifts_is_found_out(job: Job) -> None:
    hand = SimulatedHand(job, {}, HiddenTuning(drift=2e-4))
    rows: list[Reading] = []
    for k, asked in enumerate(
        a for _ in range(4) for a in display_asked(job.output("hub")) if a.quantity == "V"
    ):
        line = understand(job, hand.line(asked, rows))
        meter = "" if asked.place.endswith("-panel") else "bench-meter"
        how = (meter, FINE if meter else COARSE, "four-wire", "simulated")
        rows.append(Reading(k // 2, 60.0 * k, line.place, "V", line.value, *how, id=k + 1))
    (check,) = meter_checks(job, rows)
    assert check.found is not None
    assert any("drifts" in w for w in check.found.warnings)
    steady = SimulatedHand(job, {}, HiddenTuning())
    assert steady.line(asked, rows) == steady.line(asked, [])
