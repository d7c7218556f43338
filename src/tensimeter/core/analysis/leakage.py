"""Voltage to earth: an open and a loaded reading tell the source behind it and the current through a hand.

The source is a capacitance C from the mains (its EMF V0 at frequency f). Through a resistance R the
reading is V = V0·ωRC/√(1 + (ωRC)²); two readings at two R give V0 and C. Touch current is what flows
through a 2 kΩ body (IEC 60990, figure 3, its resistive part).
"""

import math
from dataclasses import dataclass

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict

BODY_OHM = 2000.0
#: Usual limits of touch current, A: double-insulated and earthed equipment; rules of thumb.
LIMIT_A = {"class II": 0.25e-3, "earthed": 0.5e-3}


@dataclass(frozen=True)
class Leakage:
    """The source: F, V, and the current in A through a body; warnings are what it can't tell."""

    source_capacitance_F: float
    source_V: float
    touch_current_A: float
    verdict: Verdict
    warnings: tuple[str, ...]


def leakage(
    open_V: float, meter_ohm: float, loaded_V: float, shunt_ohm: float, mains_Hz: float, limit_A: float
) -> Leakage:
    """Two readings, through the meter alone and with a resistor across it, all volts rms AC.

    Where the loaded reading stays as high as the open one the source is no capacitance: treat it as live.
    Raises UserError for figures that are not above zero, or a loaded reading above the open one.
    """
    if min(open_V, meter_ohm, shunt_ohm, mains_Hz, limit_A) <= 0 or loaded_V < 0:
        raise UserError("Volts, resistances, frequency and limit must be above zero.")
    loaded_ohm = meter_ohm * shunt_ohm / (meter_ohm + shunt_ohm)
    if loaded_V > open_V * 1.02:
        raise UserError(
            "The loaded reading is above the open one: the two were swapped, or it was not steady."
        )
    warnings = ["Take it with the mains plug both ways round; the larger counts."]
    if loaded_V >= 0.9 * open_V:
        amps = open_V / BODY_OHM
        warnings.insert(0, "Loaded it stays as high as open: no capacitive source. Treat it as live.")
        return Leakage(
            math.inf,
            open_V,
            amps,
            Verdict.NONCONFORMING if amps > limit_A else Verdict.CONFORMS,
            tuple(warnings),
        )
    # V² = V0²·x²/(1 + x²) with x = ωRC: two equations in V0² and C².
    omega = 2 * math.pi * mains_Hz
    a, b = 1 / (omega * meter_ohm) ** 2, 1 / (omega * loaded_ohm) ** 2
    ratio = (open_V / loaded_V) ** 2 if loaded_V > 0 else math.inf
    # (1 + b/C²)/(1 + a/C²) = ratio, so 1/C² = (ratio − 1)/(b − ratio·a).
    room = b - ratio * a
    if not math.isfinite(ratio) or room <= 0:
        warnings.append(
            "The loaded reading is too low to tell the capacitance; it is smaller than any that counts."
        )
        farad = loaded_V / (omega * loaded_ohm * open_V) if loaded_V > 0 else 0.0
        source = open_V
    else:
        farad = math.sqrt(room / (ratio - 1))
        source = open_V * math.sqrt(1 + a / farad**2)
    reactance = 1 / (omega * farad) if farad > 0 else math.inf
    amps = source / math.hypot(BODY_OHM, reactance)
    verdict = Verdict.NONCONFORMING if amps > limit_A else Verdict.CONFORMS
    return Leakage(farad, source, amps, verdict, tuple(warnings))
