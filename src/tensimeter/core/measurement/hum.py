"""A ripple that repeats, in a stretch of a record that otherwise stands or drifts: found, and drawn on."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array

#: Periods that a stretch must hold, harmonics that are looked for, and samples a period must have.
LEAST_PERIODS, HARMONICS, LEAST_SAMPLES = 2.5, 3, 8
#: The drift beside it: a polynomial that an exponential that comes to rest leaves little of.
DRIFT = 4
#: More samples than that are averaged: a ripple of the mains needs no finer.
MOST_SAMPLES = 16_384
#: What a ripple must explain of a stretch's variance to be one.
EXPLAINS = 0.4


#: What is less than this share of the volts is rounding.
SMALLEST = 1e-6


class Hum(Struct, frozen=True, eq=False):
    """Its frequency with standard deviation, Hz; amplitude of its first line, V; sines and cosines."""

    frequency_Hz: float
    sigma_Hz: float
    amplitude_V: float
    sines: Array
    #: The middle of the stretch, s, and how sure its volts are there, V rms.
    middle_s: float
    sigma_V: float

    def at(self, time_s: Array) -> Array:
        """Its volts at times (n,), about none."""
        return np.asarray(_lines(np.asarray(time_s, float) - self.middle_s, self.frequency_Hz) @ self.sines)

    def sigma_at(self, time_s: float) -> float:
        """How sure it is at a moment, V rms: its phase runs off with how far its frequency may be off."""
        turned = 2 * np.pi * self.sigma_Hz * abs(time_s - self.middle_s)
        return float(np.hypot(self.sigma_V, self.amplitude_V * min(turned, 1.0)))


def hum(time_s: Array, volts: Array) -> Hum | None:
    """The ripple of a stretch, arrays (n,) in s and V, on a level that may drift; None where none is seen.

    Least squares over frequency; how sure the frequency is by the Cramér–Rao bound of a tone in white noise.
    """
    t, v = (_averaged(np.asarray(x, float)) for x in (time_s, volts))
    span = float(t[-1] - t[0]) if len(t) > 2 * LEAST_SAMPLES else 0.0
    if span <= 0:
        return None
    middle = float(t.mean())
    x = t - middle
    drift = np.vander(x / span, DRIFT)
    left = v - drift @ np.linalg.lstsq(drift, v, rcond=None)[0]
    before = float(left @ left)
    # Eight times as fine as the stretch itself tells frequencies apart.
    power = np.abs(np.fft.rfft(left, 8 * len(left))) ** 2
    seen = np.fft.rfftfreq(8 * len(left), span / (len(t) - 1))
    may = (seen >= LEAST_PERIODS / span) & (seen <= (len(t) - 1) / span / LEAST_SAMPLES)
    if before <= 0 or not may.any():
        return None
    first = float(seen[may][np.argmax(power[may])])
    found = _nearby(x, v, drift, first, 0.5 / span)
    theta, rest = _fit(x, v, drift, found)
    sines = theta[DRIFT:]
    if rest > (1 - EXPLAINS) * before or float(np.hypot(*sines[:2])) < SMALLEST * float(np.abs(v).max()):
        return None
    freedom = max(len(t) - len(theta), 1)
    noise = float(np.sqrt(rest / freedom))
    amplitude = float(np.hypot(*sines[:2]))
    sigma_Hz = np.sqrt(24.0) * noise / (2 * np.pi * max(amplitude, 1e-12) * span * np.sqrt(len(t)))
    return Hum(
        found, float(sigma_Hz), amplitude, sines, middle, noise * float(np.sqrt(2 * HARMONICS / len(t)))
    )


def _averaged(x: Array) -> Array:
    """Blocks of samples as one, where there are more than a ripple needs."""
    block = -(-len(x) // MOST_SAMPLES)
    return x if block < 2 else np.asarray(x[: len(x) // block * block].reshape(-1, block).mean(axis=1))


def _lines(x: Array, frequency_Hz: float) -> Array:
    """Sine and cosine of each harmonic, (n, 2 · HARMONICS)."""
    turns = 2 * np.pi * frequency_Hz * x
    return np.column_stack([f((k + 1) * turns) for k in range(HARMONICS) for f in (np.sin, np.cos)])


def _fit(x: Array, v: Array, drift: Array, frequency_Hz: float) -> tuple[Array, float]:
    """Level, drift, sines and cosines, and what is left, V²."""
    design = np.column_stack([drift, _lines(x, frequency_Hz)])
    theta, *_ = np.linalg.lstsq(design, v, rcond=None)
    left = v - design @ theta
    return np.asarray(theta, float), float(left @ left)


def _nearby(x: Array, v: Array, drift: Array, first_Hz: float, reach_Hz: float) -> float:
    """The frequency near a first guess that leaves least."""
    # Only wanted here, and slow to load.
    from scipy.optimize import minimize_scalar  # noqa: PLC0415

    ends = (max(first_Hz - reach_Hz, 1e-9), first_Hz + reach_Hz)
    found = minimize_scalar(lambda f: _fit(x, v, drift, float(f))[1], bounds=ends, method="bounded")
    return float(found.x)
