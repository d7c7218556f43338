"""What an output does beyond its steady volts: limit, trip, steps, starts, ripple. Hidden, as built."""

import math

import numpy as np
from msgspec import Struct

from tensimeter.core.analysis.current_limit import LimitKind
from tensimeter.core.arrays import Array


class Behaviour(Struct, frozen=True):
    """Figures of one output in V, A, Ω, s, Hz; ripple amplitudes are rms at full load.

    `limit_A` None: where the network itself limits. `short_share` is a foldback's current into a short over
    that at the knee, `sag_share` how far a brown-out's current runs past the knee before the volts are gone.
    """

    limit: LimitKind = LimitKind.CONSTANT_CURRENT
    limit_A: float | None = None
    short_share: float = 0.3
    sag_share: float = 2.5
    period_s: float = 0.8
    duty: float = 0.25
    trip_V: float | None = None
    reset_s: float = 5.0
    line_share: float = 0.0
    couples: tuple[tuple[str, float], ...] = ()
    mains_ripple_V: float = 0.004
    switching_Hz: float = 65e3
    switching_V: float = 0.003
    spike_V: float = 0.0
    spike_s: float = 50e-9
    noise_V: float = 0.0008
    step_ohm: float = 0.05
    recover_s: float = 4e-4
    ring_Hz: float = 0.0
    start_s: float = 0.35
    rise_s: float = 0.02
    overshoot: float = 0.01
    hold_s: float = 0.03

    def most_A(self, volts: Array, at_knee_V: float, limit_A: float) -> Array:
        """The current that the limit lets through at volts (n,) below those of the knee."""
        share = np.clip(volts / at_knee_V, 0.0, 1.0)
        if self.limit is LimitKind.FOLDBACK:
            return limit_A * (self.short_share + (1 - self.short_share) * share)
        if self.limit is LimitKind.CONSTANT_POWER:
            return np.minimum(limit_A / np.maximum(share, 1e-3), 4 * limit_A)
        if self.limit is LimitKind.BROWN_OUT:
            return limit_A * (1 + (self.sag_share - 1) * (1 - share))
        return np.full(np.shape(volts), limit_A)


class Demand(Struct, frozen=True):
    """What a load is set to: amps, ohms or watts, and the resistance that it can't go below."""

    mode: str = "CC"
    value: float = 0.0
    on_ohm: float = 0.0

    def amps(self, volts: Array) -> Array:
        """The current that it draws at volts (n,)."""
        if self.mode == "CR":
            drawn = volts / max(self.value + 0.0, 1e-4)
        elif self.mode == "CP":
            drawn = self.value / np.maximum(volts, 1e-3)
        else:
            drawn = np.full(np.shape(volts), self.value)
        return np.minimum(drawn, volts / self.on_ohm) if self.on_ohm > 0 else drawn

    @property
    def draws(self) -> bool:
        return self.mode == "CR" or self.value > 0


#: Volts at which a supply and a load are looked for, as shares of the volts at the knee.
_GRID = np.linspace(1.0, 0.0, 2001)


def meeting_point(b: Behaviour, demand: Demand, at_knee_V: float, limit_A: float) -> tuple[float, float]:
    """Volts and amps at which load and limit agree, coming down from regulation."""
    volts = _GRID * at_knee_V
    spare = b.most_A(volts, at_knee_V, limit_A) - demand.amps(volts)
    first = int(np.argmax(spare >= 0))
    if spare[first] < 0:
        # A load that wants its current at any volts holds the output down to none.
        return 0.0, float(b.most_A(np.zeros(1), at_knee_V, limit_A)[0])
    v = volts[first]
    if first and spare[first] > 0:
        part = spare[first] / (spare[first] - spare[first - 1])
        v = v + part * (volts[first - 1] - v)
    amps = float(b.most_A(np.array([v]), at_knee_V, limit_A)[0])
    return float(v), min(amps, float(demand.amps(np.array([v]))[0]) * 1.001 + 1e-9)


def ripple_wave(b: Behaviour, t: Array, mains_Hz: float, share: float, rng: "np.random.Generator") -> Array:
    """Ripple, spikes and noise at times (n,) in s, at a share of full load."""
    size = 0.25 + 0.75 * share
    root = math.sqrt(2)
    v = size * b.mains_ripple_V * root * np.sin(4 * np.pi * mains_Hz * 1.0003 * t + rng.uniform(0, 6.28))
    f, phase = b.switching_Hz, rng.uniform(0, 6.28)
    for k, part in ((1, 1.0), (2, 0.35), (3, 0.15)):
        v += size * b.switching_V * part * root * np.sin(2 * np.pi * k * f * t + k * phase)
    if b.spike_V:
        turn = (2 * f * t + phase / np.pi) % 1.0
        side = np.where((f * t + phase / (2 * np.pi)) % 1.0 < 0.5, 1.0, -1.0)
        v += np.where(turn < 2 * f * b.spike_s, size * b.spike_V * side, 0.0)
    noisy: Array = v + rng.normal(0, b.noise_V, len(t))
    return noisy


def step_wave(b: Behaviour, t: Array, before_V: float, after_V: float, change_A: float) -> Array:
    """Volts through a load step at time zero: the new level, less a dip that decays."""
    late = np.maximum(t, 0.0)
    dip = b.step_ohm * change_A * np.exp(-late / b.recover_s)
    if b.ring_Hz:
        dip = dip * np.cos(2 * np.pi * b.ring_Hz * late)
    return np.where(t < 0, before_V, after_V - dip)


def on_wave(b: Behaviour, t: Array, volts: float) -> Array:
    """Volts as the supply is switched on at time zero."""
    x = np.maximum(t - b.start_s, 0.0) / b.rise_s
    rise = 1 - np.exp(-2.5 * x) + b.overshoot * 2.7 * x * np.exp(-x)
    return np.where(t < b.start_s, 0.0, volts * rise)


def off_wave(b: Behaviour, t: Array, volts: float, share: float) -> Array:
    """Volts as it is switched off: held up for a time that the load shortens, then falling."""
    held = b.hold_s / max(share, 0.1)
    return np.where(t < held, volts, volts * np.exp(-np.maximum(t - held, 0.0) / (0.3 * held)))
