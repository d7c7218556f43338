"""Rows of what is read along a load: the line, cross terms, efficiency, charge, touch current."""

from collections.abc import Callable

import numpy as np

from benchmarks.coverage_row import Meter, Row
from tensimeter.core.analysis.capacity import capacity
from tensimeter.core.analysis.cross import cross_regulation
from tensimeter.core.analysis.leakage import BODY_OHM, leakage
from tensimeter.core.analysis.regulation import Readings, Regulation, regulation
from tensimeter.core.measurement.conformity import Accuracy, Interval
from tensimeter.core.measurement.products import Factor, product
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.testplan.kinds.volts import difference

VOLTS = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
AMPS = Accuracy(of_reading=0.005, counts=2, resolution=0.001)
WATTS = Accuracy(of_reading=0.01, counts=2, resolution=0.1)
Rng = np.random.Generator


def _line(pick: Callable[[Regulation], Interval], true: Callable[[float, float], float]):
    def once(rng: Rng) -> tuple[float, Interval]:
        no_load, ohm = rng.uniform(5, 24), rng.uniform(0.005, 0.08)
        amps = np.array([0, 1, 2, 3, 4, 6, 7, 8.0, 4.0, 0.0])
        meter, sink = Meter(rng, VOLTS), Meter(rng, AMPS)
        # Without load nothing flows, and that is known.
        read = np.where(amps == 0, 0.0, sink.read(amps))
        data = Readings.of_one_pair(meter.read(no_load - ohm * amps), read, VOLTS, AMPS)
        return true(no_load, ohm), pick(regulation(data, 12.0, 8.0))

    return once


def _cross(k: int, j: int):
    def once(rng: Rng) -> tuple[float, Interval]:
        ohms = np.array([[0.012, -0.02], [0.004, 0.006]]) * rng.uniform(0.5, 2, (2, 2))
        amps = np.array([[0, 0], [8, 0], [0, 10], [8, 10], [4, 5], [4, 0], [0, 5.0]])
        volts = np.array([12.0, 5.0]) - amps @ ohms.T
        meters, sinks = ([Meter(rng, a) for _ in range(2)] for a in (VOLTS, AMPS))
        read_V = np.stack([m.read(volts[:, n]) for n, m in enumerate(meters)], 1)
        read_A = np.stack([np.where(amps[:, n] == 0, 0, m.read(amps[:, n])) for n, m in enumerate(sinks)], 1)
        found = cross_regulation(["12 V", "5 V"], read_V, read_A, VOLTS, AMPS)
        return float(ohms[k, j]), found.resistance_ohm[k][j]

    return once


def _reading(value: float, accuracy: Accuracy) -> Reading:
    return Reading(1, 0.0, "out", "V", float(value), "meter", accuracy, "four-wire", "typed")


def _line_regulation(rng: Rng) -> tuple[float, Interval]:
    meter, low = Meter(rng, VOLTS), rng.uniform(11.9, 12.1)
    high = low + rng.uniform(-0.03, 0.03)
    a, b = (_reading(float(meter.read(v)), VOLTS) for v in (high, low))
    return (high - low) / 12, difference(a, b, 12.0)


def _efficiency(rng: Rng) -> tuple[float, Interval]:
    volts, amps, share = rng.uniform(5, 24), rng.uniform(1, 8), rng.uniform(0.6, 0.95)
    wall = volts * amps / share
    read = [
        (Meter(rng, a).read(x), a, power)
        for x, a, power in ((volts, VOLTS, 1), (amps, AMPS, 1), (wall, WATTS, -1))
    ]
    return share, product(Factor(float(v), a, p) for v, a, p in read)


def _discharge(energy: bool):
    def once(rng: Rng) -> tuple[float, Interval]:
        amps, full = rng.uniform(0.5, 3), rng.uniform(12.2, 12.8)
        fall = rng.uniform(1.5, 2.5) / 7200
        end = (full - 10.8) / fall
        t = np.arange(0, end + 120, rng.choice([2.0, 10.0]))
        meter, sink = Meter(rng, VOLTS), Meter(rng, AMPS)
        found = capacity(
            t, meter.read(full - fall * t), sink.read(np.full(len(t), amps)), 10.8,
            voltmeter=VOLTS, ammeter=AMPS,
        )  # fmt: skip
        charge = amps * end / 3600
        return (charge * (full + 10.8) / 2, found.energy_Wh) if energy else (charge, found.charge_Ah)

    return once


def _touch(capacitance: bool):
    def once(rng: Rng) -> tuple[float, Interval]:
        source, farad, omega = rng.uniform(60, 120), np.exp(rng.uniform(np.log(1e-9), np.log(1e-8))), 314.159
        across = [10e6, 10e6 * 100e3 / 10.1e6, 10e6 * 10e3 / 10.01e6]
        true = [source * r / np.hypot(r, 1 / (omega * farad)) for r in across]
        # Each range of a hand-held meter errs by itself; half of what it may is taken for rectangular.
        read = [v * (1 + 0.02 * rng.uniform(-1, 1)) for v in true]
        widths = tuple(0.95 * 0.02 * v for v in read)
        found = leakage(
            read[0], 10e6, read[1], 100e3, omega / 2 / np.pi, 0.25e-3,
            half_widths=widths, second=(read[2], 10e3),
        )  # fmt: skip
        if capacitance:
            return float(farad), found.source_capacitance_F
        return float(source / np.hypot(BODY_OHM, 1 / (omega * farad))), found.touch_current_A

    return once


ROWS = [
    Row("output resistance", _line(lambda f: f.output_resistance_ohm, lambda v, r: r)),
    Row("no-load volts", _line(lambda f: f.no_load_V, lambda v, r: v)),
    Row("full-load volts", _line(lambda f: f.full_load_V, lambda v, r: v - 8 * r)),
    Row("load regulation", _line(lambda f: f.load_regulation, lambda v, r: 8 * r / 12)),
    Row("cross term, own rail", _cross(0, 0)),
    Row("cross term, other rail", _cross(0, 1)),
    Row("line regulation", _line_regulation),
    Row("efficiency", _efficiency),
    Row("charge", _discharge(False)),
    Row("energy", _discharge(True)),
    Row("touch current", _touch(False)),
    Row("capacitance to earth", _touch(True)),
]
