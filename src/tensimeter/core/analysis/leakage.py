"""Voltage to earth: readings through several resistances tell the source behind it and the current in a hand.

The source is an EMF V0 behind a resistance Rs and a capacitance from the mains in series. Through R the
reading is V = V0·R/√((R + Rs)² + X²), so that R²/V² = a·R² + b·R + c with a = 1/V0², b = 2·Rs/V0²,
c = (Rs² + X²)/V0²: straight in the unknowns. A body of R ohms is passed by 1/√(a·R² + b·R + c). Two readings
leave one unknown open: a bare capacitance (b = 0) and a bare resistance (b² = 4ac) are its ends. Touch
current is what flows through a 2 kΩ body (IEC 60990, figure 3, its resistive part).
"""

import math
from collections.abc import Callable
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, half_width_95, judge

BODY_OHM = 2000.0
#: Usual limits of touch current, A: double-insulated and earthed equipment; rules of thumb.
LIMIT_A = {"class II": 0.25e-3, "earthed": 0.5e-3}
#: How well a hand-held meter reads AC volts of such a source, 95 %, where its accuracy is not known.
ASSUMED = 0.05
#: From this share of the open reading on the source is stiff: no leak but a connection.
STIFF = 0.9

Kind = Literal["capacitive", "resistive", "not told apart", "stiff"]


class Leakage(Struct, frozen=True):
    """The source: F, V, which kind it is, and the current in A through a body; with 95 % intervals.

    Warnings are what it can't tell.
    """

    source_capacitance_F: Interval
    source_V: Interval
    touch_current_A: Interval
    source: Kind
    verdict: Verdict
    warnings: tuple[str, ...]


def leakage(
    open_V: float,
    meter_ohm: float,
    loaded_V: float,
    shunt_ohm: float,
    mains_Hz: float,
    limit_A: float,
    *,
    half_widths: tuple[float, ...] | None = None,
    second: tuple[float, float] | None = None,
) -> Leakage:
    """Readings through the meter alone and with a resistor across it, all volts rms AC.

    Parameters
    ----------
    open_V, meter_ohm, loaded_V, shunt_ohm : float
        Volts through the meter alone and its Ω; volts with the resistor across it and its Ω.
    mains_Hz, limit_A : float
        Frequency, and the touch current that is allowed.
    half_widths : tuple of float, optional
        95 % half-widths of the readings in their order, V; 5 % each where not known.
    second : (float, float), optional
        Volts and Ω with another resistor across the meter: tells a resistance from a capacitance.

    Returns
    -------
    Leakage
        Where two readings can't tell the source's kind, the larger current of both counts.

    Raises
    ------
    UserError
        For figures that are not above zero, and for a loaded reading at or above the open one.
    """
    if min(open_V, meter_ohm, shunt_ohm, mains_Hz, limit_A) <= 0 or loaded_V < 0:
        raise UserError("Volts, resistances, frequency and limit must be above zero.")
    if second is not None and min(second) <= 0:
        raise UserError("The second resistor and what was read with it must be above zero.")
    if loaded_V >= open_V:
        raise UserError(
            "The loaded reading is not below the open one: the two were swapped, it was not steady, or it is "
            "joined hard to something live. Treat it as live until they are read again."
        )
    read = [open_V, loaded_V, *([second[0]] if second else [])]
    across = [shunt_ohm, *([second[1]] if second else [])]
    ohms = [meter_ohm, *(meter_ohm * r / (meter_ohm + r) for r in across)]
    widths = half_widths if half_widths is not None else tuple(ASSUMED * v for v in read)
    warnings = ["Take it with the mains plug both ways round; the larger counts."]
    if half_widths is None:
        warnings.append(f"The meter's accuracy is not known: {ASSUMED * 100:g} % is assumed.")
    if loaded_V >= STIFF * open_V:
        warnings.insert(0, "Loaded it stays as high as open: no leak but a connection. Treat it as live.")
        amps = _with_interval(lambda v: v[0] / BODY_OHM, read[:1], widths)
        stiff, endless = Interval(open_V, open_V - widths[0], open_V + widths[0]), Interval(*[math.inf] * 3)
        return Leakage(endless, stiff, amps, "stiff", _judged(amps, limit_A), tuple(warnings))
    amps, kind = _touched(read, ohms, widths)
    if kind == "not told apart":
        text = "Two readings can't tell a capacitance from a resistance: the larger current counts. A third "
        warnings.append(f"{text}with another resistor tells them apart.")
    if _capacitance(read, ohms, mains_Hz)[2]:
        warnings.append(
            "The loaded reading is too low to tell the capacitance; it is smaller than any that counts."
        )
    farad = _with_interval(lambda v: _capacitance(v, ohms, mains_Hz)[0], read, widths)
    source = _with_interval(lambda v: _capacitance(v, ohms, mains_Hz)[1], read, widths)
    return Leakage(farad, source, amps, kind, _judged(amps, limit_A), tuple(warnings))


def _judged(amps: Interval, limit_A: float) -> Verdict:
    return judge(amps, Band(None, limit_A))


def _touched(read: list[float], ohms: list[float], widths: tuple[float, ...]) -> tuple[Interval, Kind]:
    """The current through a body with its interval, and the kind of source that gives it."""
    if len(read) == 2:
        found = [_with_interval(model(ohms), read, widths) for model in (_capacitive, _resistive)]
        return max(found, key=lambda amps: amps.high), "not told apart"
    amps = _with_interval(_series(ohms), read, widths)
    bare = [_with_interval(model(ohms[:2]), read[:2], widths[:2]) for model in (_capacitive, _resistive)]
    kind: Kind = (
        "capacitive" if abs(bare[0].value - amps.value) <= abs(bare[1].value - amps.value) else "resistive"
    )
    return amps, kind


_Model = Callable[[list[float]], float]


def _capacitive(ohms: list[float]) -> _Model:
    """Amps through a body for a bare capacitance, by two readings."""

    def touched(read: list[float]) -> float:
        (y1, y2), (r1, r2) = _squares(read, ohms), ohms
        if math.isinf(y2):
            return 0.0
        a = max((y1 - y2) / (r1**2 - r2**2), 0.0)
        return 1 / math.sqrt(max(a * BODY_OHM**2 + y2 - a * r2**2, a * BODY_OHM**2, 1e-30))

    return touched


def _resistive(ohms: list[float]) -> _Model:
    """Amps through a body for a bare resistance, by two readings: R/V is straight in R."""

    def touched(read: list[float]) -> float:
        (r1, r2), (v1, v2) = ohms, read
        if v2 <= 0:
            return 0.0
        slope = max((r1 / v1 - r2 / v2) / (r1 - r2), 0.0)
        return 1 / max(r2 / v2 - slope * (r2 - BODY_OHM), slope * BODY_OHM, 1e-15)

    return touched


def _series(ohms: list[float]) -> _Model:
    """Amps through a body for a resistance and a capacitance in series, by three readings."""

    def touched(read: list[float]) -> float:
        y, r = np.array(_squares(read, ohms)), np.array(ohms)
        if not np.isfinite(y).all():
            return 0.0
        # Scaled by its own rows, since R² goes over many powers of ten.
        rows = np.stack([r**2, r, np.ones(3)], axis=1)
        a, b, c = np.linalg.solve(rows / y[:, None], np.ones(3))
        square = max(a, 0.0) * BODY_OHM**2 + max(b, 0.0) * BODY_OHM + max(c, 0.0)
        return 1 / math.sqrt(max(square, 1e-30))

    return touched


def _squares(read: list[float], ohms: list[float]) -> list[float]:
    return [(r / v) ** 2 if v > 0 else math.inf for v, r in zip(read, ohms, strict=True)]


def _with_interval(model: _Model, read: list[float], widths: tuple[float, ...]) -> Interval:
    """A figure of the readings with its 95 % interval: each moved to its ends alone.

    What a meter errs by is its gain above all, which is rectangular: 95 % of it is 0.95 of its bound.
    """
    value, up, down = model(read), [], []
    open_end = False
    for k, half in enumerate(widths[: len(read)]):
        ends = [model([v + s * half if i == k else v for i, v in enumerate(read)]) - value for s in (-1, 1)]
        open_end = open_end or math.inf in ends
        up.append(max(*(e for e in ends if math.isfinite(e)), 0.0, 0.0) / 0.95)
        down.append(-min(*(e for e in ends if math.isfinite(e)), 0.0, 0.0) / 0.95)
    high = math.inf if open_end else value + half_width_95(up)
    return Interval(value, max(value - half_width_95(down), 0.0), high)


def _capacitance(read: list[float], ohms: list[float], mains_Hz: float) -> tuple[float, float, bool]:
    """F and V of a bare capacitance behind the first two readings, and whether they are too low to tell."""
    open_V, loaded_V = read[:2]
    # V² = V0²·x²/(1 + x²) with x = ωRC: two equations in V0² and C².
    omega = 2 * math.pi * mains_Hz
    a, b = (1 / (omega * ohm) ** 2 for ohm in ohms[:2])
    ratio = (open_V / loaded_V) ** 2 if loaded_V > 0 else math.inf
    if ratio <= 1:
        # An end of the interval at which loading pulls nothing down: no capacitance is too large for that.
        return math.inf, open_V, False
    # (1 + b/C²)/(1 + a/C²) = ratio, so 1/C² = (ratio − 1)/(b − ratio·a).
    room = b - ratio * a
    if not math.isfinite(ratio) or room <= 0:
        return (loaded_V / (omega * ohms[1] * open_V) if loaded_V > 0 else 0.0), open_V, True
    farad = math.sqrt(room / (ratio - 1))
    return farad, open_V * math.sqrt(1 + a / farad**2), False
