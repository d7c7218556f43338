"""Load transient: dip, overshoot and recovery after a step of the load, from a waveform of the volts."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError

#: Share of the record before the step, and at its end, from which the resting volts are taken.
REST_SHARE = 0.1
#: A step is seen where the volts leave their rest by this share of the whole excursion, or six times the
#: noise, whichever is more.
SEEN_SHARE, SEEN_SIGMA = 0.1, 6.0


@dataclass(frozen=True)
class Transient:
    """V below and above what stands before and after; s from the step until it stays in the band."""

    dip_V: float
    overshoot_V: float
    recovery_s: float | None
    settled_V: float
    step_at_s: float
    warnings: tuple[str, ...] = ()


def transient(time_s: Array, volts: Array, band: float = 0.01, step_at_s: float | None = None) -> Transient:
    """Read a load step out of a waveform; arrays (n,) in s and V, `band` a share of the settled volts.

    Recovery runs from the step to the last moment outside the band around the settled volts; None where
    the record ends before it stays inside, or while it still moves. Raises UserError for a record that is too
    short, whose time does not rise, or in which no step is seen.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    if len(t) < 20 or not (np.diff(t) > 0).all():
        raise UserError("A transient needs twenty samples or more whose time rises.")
    if not 0 < band < 1:
        raise UserError("The band is a share of the volts between 0 and 100 %.")
    rest = max(int(REST_SHARE * len(t)), 3)
    if step_at_s is None:
        at = _step(v, rest)
    else:
        at = int(np.searchsorted(t, step_at_s))
        if not 3 <= at < len(t) - 3:
            raise UserError("The step is given at the edge of the record, or outside it.")
    before, settled = float(np.median(v[: max(at, 3)])), float(np.median(v[-rest:]))
    after = v[at:]
    low, high = min(before, settled), max(before, settled)
    outside = np.flatnonzero(np.abs(after - settled) > band * abs(settled))
    warnings = []
    recovery: float | None = 0.0
    if len(outside):
        last = int(outside[-1])
        if last >= len(after) - 1 - rest // 2:
            recovery = None
            warnings.append("The record ends before the volts stay inside the band: take a longer one.")
        else:
            recovery = float(t[at + last + 1] - t[at])
    drift = abs(float(np.median(v[-2 * rest : -rest])) - settled)
    if drift > 0.25 * band * abs(settled):
        recovery = None
        warnings.append("The volts still move at the end of the record: take a longer one.")
    return Transient(
        max(low - float(after.min()), 0.0),
        max(float(after.max()) - high, 0.0),
        recovery,
        settled,
        float(t[at]),
        tuple(warnings),
    )


def _step(v: Array, rest: int) -> int:
    """The first sample that leaves the rest before the step."""
    before = np.median(v[:rest])
    noise = float(np.std(v[:rest]))
    away = np.abs(v - before)
    seen = max(SEEN_SHARE * float(away.max()), SEEN_SIGMA * noise)
    if float(away.max()) <= SEEN_SIGMA * noise or float(away.max()) == 0:
        raise UserError("No step is seen above the noise of this record; name it with --step-at.")
    return max(int(np.argmax(away > seen)), 1)
