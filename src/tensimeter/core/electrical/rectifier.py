"""Rectifier and reservoir: the circuit integrated over the cycle until it repeats itself.

Source EMF behind a resistance, diodes with a drop, a capacitor with its own resistance, a load of
set current, resistance or power. Between two steps the circuit is linear, so each step is its exact
exponential; the start of the period is moved until the end meets it.
"""

from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.errors import UserError

Topology = Literal["bridge", "centre_tap", "half_wave"]

#: Diodes that conduct at once, and periods of the ripple in one of the mains.
_DROPS = {"bridge": 2, "centre_tap": 1, "half_wave": 1}
_PULSES = {"bridge": 2, "centre_tap": 2, "half_wave": 1}
#: Steps in a period of the ripple: ripple and currents are then good to a part in 10 000.
STEPS = 500


class Rectifier(Struct, frozen=True):
    """What is built: no-load rms volts of the winding (of one half where centre-tapped), Ω, V, F."""

    emf_V: Figure
    resistance_ohm: Figure
    capacitance_F: float
    diode_V: float = 0.8
    topology: Topology = "bridge"
    esr_ohm: float = 0.0
    mains_Hz: float = 50.0

    def checked(self) -> "Rectifier":
        """Itself; UserError where a figure can't be."""
        if not (np.all(np.asarray(self.emf_V) > 0) and np.all(np.asarray(self.resistance_ohm) > 0)):
            raise UserError("A winding has volts and a resistance above zero.")
        if not (self.capacitance_F > 0 and self.mains_Hz > 0):
            raise UserError("Capacitance and mains frequency must be above zero.")
        if self.diode_V < 0 or self.esr_ohm < 0:
            raise UserError("A diode's drop and a capacitor's resistance are zero or above.")
        return self


class Rectified(Struct, frozen=True):
    """What the reservoir does under each load; arrays of the loads' shape, V and A."""

    mean_V: Array
    valley_V: Array
    peak_V: Array
    diode_peak_A: Array
    diode_rms_A: Array
    transformer_rms_A: Array
    capacitor_rms_A: Array
    load_A: Array
    peak_inverse_V: Array

    @property
    def ripple_pp_V(self) -> Array:
        """Ripple peak to peak, V."""
        return self.peak_V - self.valley_V


def rectified(
    circuit: Rectifier,
    *,
    load_A: Figure | None = None,
    load_ohm: Figure | None = None,
    load_W: Figure | None = None,
) -> Rectified:
    """Mean, valley, peak and currents of a reservoir under one kind of load (arrays allowed).

    Raises UserError for figures that can't be, and where a load draws the reservoir down to nothing.
    """
    circuit.checked()
    given = {"A": load_A, "ohm": load_ohm, "W": load_W}
    kinds = [kind for kind, value in given.items() if value is not None]
    if len(kinds) != 1:
        raise UserError("Give the load once: as amps, as ohms or as watts.")
    kind = kinds[0]
    load = np.asarray(given[kind], float)
    if not (np.isfinite(load).all() and (load >= 0).all() and (kind != "ohm" or (load > 0).all())):
        raise UserError("A load is zero or above; a resistance is above zero.")
    shape = np.broadcast_shapes(load.shape, np.shape(circuit.emf_V), np.shape(circuit.resistance_ohm))
    start = np.broadcast_to(np.sqrt(2) * circuit.emf_V - _DROPS[circuit.topology] * circuit.diode_V, shape)
    if not (start > 0).all():
        raise UserError("The winding does not reach over the diodes' drop.")
    settled = _periodic(circuit, kind, load, start)
    found = _period(circuit, kind, load, settled, keep=True)
    if not np.isfinite(found.mean_V).all() or (found.valley_V <= 0).any():
        raise UserError(
            "The load draws the reservoir down to nothing; it is more than this winding delivers."
        )
    return found


#: How often two periods are walked through until one ends where it began; a handful is usual.
MOST_TURNS = 30


def _periodic(circuit: Rectifier, kind: str, load: Array, start: Array) -> Array:
    """Volts of the capacitor at the start of a period that ends where it began.

    The end follows the start less than one for one; the secant between two turns finds where both
    agree (Aitken's extrapolation), and plain turns take over where it would leave the circuit's range.
    """
    volts = start
    for _ in range(MOST_TURNS):
        first = _period(circuit, kind, load, volts).end_V
        second = _period(circuit, kind, load, first).end_V
        bend = second - 2 * first + volts
        with np.errstate(divide="ignore", invalid="ignore"):
            leap = volts - (first - volts) ** 2 / bend
        usable = np.isfinite(leap) & (leap > 0) & (leap <= 1.01 * start)
        following = np.where(usable, leap, second)
        if np.all(np.abs(following - volts) <= 1e-7 * start):
            return np.asarray(following)
        volts = following
    raise UserError(
        "The reservoir does not come to rest: the load draws more than this winding delivers, or the "
        "capacitor is too large for its resistance."
    )


class _Turn(Rectified, frozen=True):
    end_V: Array


def _period(circuit: Rectifier, kind: str, load: Array, volts: Array, keep: bool = False) -> _Turn:
    """One period of the ripple from the volts `volts` on the capacitor; figures only where kept."""
    pulses, drops = _PULSES[circuit.topology], _DROPS[circuit.topology]
    period = 1 / (circuit.mains_Hz * pulses)
    step, capacity = period / STEPS, circuit.capacitance_F
    inner = np.asarray(circuit.resistance_ohm) + circuit.esr_ohm
    decay = np.exp(-step / (inner * capacity))
    angle = 2 * np.pi * circuit.mains_Hz * (np.arange(STEPS) + 0.5) * step
    wave = np.sin(angle) if pulses == 1 else np.abs(np.sin(angle))
    shape = np.broadcast_shapes(np.shape(volts), load.shape, np.shape(inner))
    now = np.broadcast_to(volts, shape)
    sums = {name: np.zeros(shape) for name in ("V", "A", "I2", "C2")}
    low, high, peak = np.full(shape, np.inf), np.zeros(shape), np.zeros(shape)
    through, drawn = np.zeros(shape), np.zeros(shape)
    for s in wave:
        out = now + circuit.esr_ohm * (through - drawn)
        drawn = load if kind == "A" else (out / load if kind == "ohm" else load / np.maximum(out, 1e-3))
        aim = np.sqrt(2) * circuit.emf_V * s - drops * circuit.diode_V - circuit.resistance_ohm * drawn
        charged = aim + (now - aim) * decay
        through = drawn + capacity * (charged - now) / step
        conducts = through > 0
        through = np.where(conducts, through, 0.0)
        now = np.where(conducts, charged, now - drawn * step / capacity)
        if keep:
            out = now + circuit.esr_ohm * (through - drawn)
            low, high, peak = np.minimum(low, out), np.maximum(high, out), np.maximum(peak, through)
            sums["V"] += out
            sums["A"] += drawn
            sums["I2"] += through**2
            sums["C2"] += (through - drawn) ** 2
    rms = np.sqrt(sums["I2"] / STEPS)
    # A pulse in each half of the mains goes through one pair of diodes, or one half of the winding.
    shared = rms / np.sqrt(pulses)
    crest = np.sqrt(2) * np.asarray(circuit.emf_V)
    inverse = {"bridge": crest, "centre_tap": 2 * crest, "half_wave": crest + high}[circuit.topology]
    return _Turn(
        mean_V=sums["V"] / STEPS,
        valley_V=low,
        peak_V=high,
        diode_peak_A=peak,
        diode_rms_A=shared,
        transformer_rms_A=rms if circuit.topology == "bridge" else shared,
        capacitor_rms_A=np.sqrt(sums["C2"] / STEPS),
        load_A=sums["A"] / STEPS,
        peak_inverse_V=np.broadcast_to(inverse, shape),
        end_V=np.asarray(now),
    )


def no_load_V(circuit: Rectifier, high_line: float = 0.1) -> float:
    """Volts on a reservoir without load at high line: what parts must stand.

    Parameters
    ----------
    circuit : Rectifier
        Winding, diodes and reservoir.
    high_line : float
        How far the mains may lie above nominal, a share.

    Returns
    -------
    float
        Peak of the winding's EMF at high line less what the diodes drop, V.
    """
    crest = np.sqrt(2) * float(np.max(np.asarray(circuit.emf_V))) * (1 + high_line)
    return float(crest - _DROPS[circuit.topology] * circuit.diode_V)


def peak_inverse_V(circuit: Rectifier, high_line: float = 0.1) -> float:
    """Volts that each diode must block: without load, at high line.

    Parameters
    ----------
    circuit : Rectifier
        Winding, diodes and reservoir.
    high_line : float
        How far the winding's EMF may lie above nominal, a share.

    Returns
    -------
    float
        Crest of the EMF for a bridge, twice that for a centre tap; for a half wave the crest on top of the
        reservoir, which stands at it but for one diode's drop.
    """
    crest = np.sqrt(2) * float(np.max(np.asarray(circuit.emf_V))) * (1 + high_line)
    if circuit.topology == "half_wave":
        return float(crest + no_load_V(circuit, high_line))
    return float(crest if circuit.topology == "bridge" else 2 * crest)


def winding_resistance(emf_V: float, rated_V: float, rated_A: float) -> float:
    """Resistance behind a winding, from its regulation.

    Parameters
    ----------
    emf_V, rated_V, rated_A : float
        RMS volts without load and at the rating, V, and the rated current, A.

    Returns
    -------
    float
        (no-load − rated volts) / rated amps, Ω.

    Raises
    ------
    UserError
        Where it would be below zero, or no current is rated.
    """
    if not (emf_V > rated_V > 0 and rated_A > 0):
        raise UserError("A winding's no-load volts lie above its rated volts; its rated amps above zero.")
    return (emf_V - rated_V) / rated_A


def shorted_rms_A(circuit: Rectifier, beyond_ohm: float = 0.0) -> float:
    """Prospective current of a winding whose rectifier feeds a short.

    Parameters
    ----------
    circuit : Rectifier
        Winding and diodes; its reservoir is empty and counts for nothing.
    beyond_ohm : float
        Resistance between the rectifier and the short, Ω.

    Returns
    -------
    float
        Rms amps of (|e| − diode drops) over all resistance, where that is above zero.

    Notes
    -----
    The mean of such a current is less by the form factor of a rectified sine, 1.11 and more.
    """
    turn = np.linspace(0.0, 2 * np.pi, 4 * STEPS, endpoint=False)
    emf = np.sqrt(2) * float(np.max(np.asarray(circuit.emf_V))) * np.sin(turn)
    driven = emf if circuit.topology == "half_wave" else np.abs(emf)
    over = np.maximum(driven - _DROPS[circuit.topology] * circuit.diode_V, 0.0)
    ohms = float(np.max(np.asarray(circuit.resistance_ohm))) + beyond_ohm
    return float(np.sqrt(np.mean((over / ohms) ** 2)))
