"""A control loop as its linear circuit: loop gain, phase margin, and what a step makes of it."""

from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError

#: Points a decade over which a crossing is looked for, and over which a step is followed.
PER_DECADE, STEP_POINTS = 400, 6000


class Step(Struct, frozen=True):
    """What a step does: the share by which it overshoots, and seconds until it stays within a band."""

    overshoot: float
    settles_s: float


class ControlLoop(Struct, frozen=True, dict=True):
    """x' = A·x + f·sensed + u·input, sensed = c·x (closed); what is watched is w·x.

    A (n, n) is open: what is sensed comes in by f (n,). `input` is what is set, or a load that steps.
    """

    a: Array
    f: Array
    c: Array
    u: Array
    w: Array
    #: What of the input stands in the watched figure at once, as a load's step across an ESR does.
    at_once: float = 0.0
    #: The same in what is sensed.
    sensed_at_once: float = 0.0

    def gain(self, hertz: Array) -> Array:
        """Loop gain at frequencies (n,), complex: −c·(s − A)⁻¹·f, broken where it is sensed."""
        s = 2j * np.pi * np.asarray(hertz, float)
        eye = np.eye(len(self.a))
        into = np.broadcast_to(self.f[:, None], (len(s), len(self.f), 1))
        solved = np.linalg.solve(s[:, None, None] * eye - self.a, into)
        return np.asarray(-(self.c @ solved[..., 0].T))

    def bode(self, hertz: Array) -> tuple[Array, Array]:
        """Loop gain in dB, and degrees left to half a turn, at frequencies (n,): the lines of a Bode plot."""
        gain = self.gain(hertz)
        phase = np.degrees(np.unwrap(np.angle(gain)))
        return 20 * np.log10(np.abs(gain)), 180 + phase - 360 * np.round(phase[0] / 360)

    @cached_property
    def _crossing(self) -> tuple[float, float] | None:
        """Hz of the crossing of one with the least phase margin, and that margin in degrees."""
        hertz = np.logspace(0, 8.5, int(8.5 * PER_DECADE))
        gain = self.gain(hertz)
        above = np.abs(gain) > 1
        last = np.flatnonzero(above[:-1] & ~above[1:])
        if not len(last):
            return None
        worst: tuple[float, float] | None = None
        for k in last:
            size = np.log(np.abs(gain[k : k + 2]))
            share = size[0] / (size[0] - size[1])
            at = float(np.exp(np.interp(share, [0, 1], np.log(hertz[k : k + 2]))))
            phase = np.unwrap(np.angle(gain[: k + 2]))
            # From the integrator's or the first pole's side: brought to within a turn of where it begins.
            phase = phase - 2 * np.pi * np.round(phase[0] / (2 * np.pi))
            margin = 180.0 + float(np.degrees(np.interp(share, [0, 1], phase[k : k + 2])))
            if worst is None or margin < worst[1]:
                worst = at, margin
        return worst

    @property
    def crossover_Hz(self) -> float | None:
        """Where the loop's gain falls through one, at the least phase margin; None where it never does."""
        return self._crossing[0] if self._crossing else None

    @property
    def phase_margin(self) -> float | None:
        """Degrees left to half a turn where its gain falls through one (Bode); None where it never does."""
        return self._crossing[1] if self._crossing else None

    @cached_property
    def nearest(self) -> float:
        """How near its gain comes to −1 in the plane: 1 is far, 0 oscillates.

        It tells what a phase margin does not: a resonance that nearly reaches one beyond the crossing.
        """
        return float(np.abs(1 + self.gain(np.logspace(0, 8.5, int(8.5 * PER_DECADE)))).min())

    @cached_property
    def closed(self) -> Array:
        """A of the closed loop (n, n)."""
        return np.asarray(self.a + np.outer(self.f, self.c))

    @property
    def stable(self) -> bool:
        """Whether every mode of the closed loop dies away."""
        return bool(np.linalg.eigvals(self.closed).real.max() < 0)

    def response(self, seconds: Array) -> Array:
        """What is watched after a step of one of the input, (n,) at seconds (n,), by the modes of the loop.

        Raises
        ------
        UserError
            Where the loop is not stable: there is nothing that it settles to.
        """
        if not self.stable:
            raise UserError("The loop oscillates: nothing settles. Slow its amplifier, or damp its gate.")
        into = self.u + self.f * self.sensed_at_once
        values, vectors = np.linalg.eig(self.closed)
        parts = np.linalg.solve(vectors, into) / values * (self.w @ vectors)
        grown = np.exp(np.outer(np.asarray(seconds, float), values)) - 1
        return np.asarray((grown @ parts).real + self.at_once)

    @property
    def _slowest_s(self) -> float:
        """Time constant of the slowest mode that is seen in what is watched."""
        values, vectors = np.linalg.eig(self.closed)
        into = self.u + self.f * self.sensed_at_once
        seen = np.abs(np.linalg.solve(vectors, into) / values * (self.w @ vectors))
        return float(max(-1 / values.real[seen > 1e-4 * seen.max()]))

    def _followed(self) -> tuple[Array, Array]:
        """Seconds (n,) until all has settled, and what is watched at them."""
        most = 12 * self._slowest_s
        seconds = np.append(np.geomspace(1e-9, most, STEP_POINTS), np.linspace(0, most, STEP_POINTS))
        seconds = np.unique(seconds)
        return seconds, self.response(seconds)

    def step(self, band: float = 0.01) -> Step:
        """Overshoot and settling of what is watched after a step of the input, as shares of its change."""
        seconds, followed = self._followed()
        share = followed / followed[-1]
        return Step(max(float(share.max()) - 1, 0.0), _within(seconds, share, band))

    def dip(self, band: float) -> tuple[float, float]:
        """The farthest that a step of one moves what is watched, and seconds until it stays within a band."""
        seconds, followed = self._followed()
        return float(np.abs(followed).max()), _within(seconds, followed, band)


def _within(seconds: Array, followed: Array, band: float) -> float:
    """Seconds after which it stays within a band of its last value."""
    outside = np.flatnonzero(np.abs(followed - followed[-1]) > band)
    return float(seconds[min(outside[-1] + 1, len(seconds) - 1)]) if len(outside) else 0.0
