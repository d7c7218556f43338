"""Load transient: dip, overshoot and recovery after a step of the load, from a waveform of the volts."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.hum import hum
from tensimeter.core.measurement.recorder import (
    Crossing,
    Recorder,
    crossing,
    level,
    lowest,
    noise_V,
    smoothed,
)
from tensimeter.core.quantity import show

#: Share of the record before the step, and at its end, from which the resting volts are taken.
REST_SHARE = 0.1
#: A step is seen where the volts leave their rest by this share of the whole excursion, or six times the
#: noise, whichever is more.
SEEN_SHARE, SEEN_SIGMA = 0.1, 6.0
#: Noise that is left in a record before its crossings are read, as a share of the band.
CALM_SHARE = 0.05
#: How far around the edge of the band a record counts as straight, as a share of the band.
REACH_SHARE = 0.5


class Transient(Struct, frozen=True):
    """V below and above what stands before and after; s from the step until it stays in the band.

    Each with its 95 % interval.
    """

    dip_V: Interval
    overshoot_V: Interval
    recovery_s: Interval | None
    settled_V: Interval
    step_at_s: float
    warnings: tuple[str, ...] = ()


def transient(
    time_s: Array,
    volts: Array,
    band: float = 0.01,
    step_at_s: float | None = None,
    recorder: Recorder | None = None,
) -> Transient:
    """Read a load step out of a waveform; arrays (n,) in s and V, `band` a share of the settled volts.

    Recovery runs from the step to where it enters the band around the settled volts for good; None where
    the record ends before it stays inside, or while it still moves. Noise is taken from the record before the
    step: the lowest of noisy samples lies too low, and noise near the band's edge puts recovery off; both are
    corrected, and how sure that is counts. Raises UserError for a record that is too short, whose time does
    not rise, or in which no step is seen.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    recorder = recorder or Recorder()
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
    begin = float(t[at]) if step_at_s is None else step_at_s
    v, unsure, repeats = _without_hum(t, v, max(at, 3))
    noise = noise_V(v[: max(at, 3)])
    before, rested, _ = level(v[: max(at, 3)], noise, recorder.step_V)
    settled, ended, off = level(v[-rest:], noise, recorder.step_V)
    after = v[at:]
    low, high = min(before, settled), max(before, settled)
    rested = float(np.hypot(np.hypot(rested, ended), unsure))
    least, sure = lowest(after, noise)
    most, sure_above = lowest(-after, noise)
    warnings = [repeats] if repeats else []
    around = _Band(settled, band * abs(settled), float(np.hypot(ended, unsure)), off)
    recovery = _recovery(t[at:], after, begin, around, noise, recorder, warnings, len(after) - 1 - rest // 2)
    drift = abs(float(np.median(v[-2 * rest : -rest])) - settled)
    if drift > 0.25 * band * abs(settled):
        recovery = None
        warnings.append("The volts still move at the end of the record: take a longer one.")
    return Transient(
        _above_zero(recorder.span(low - least, float(np.hypot(sure, rested)))),
        _above_zero(recorder.span(-most - high, float(np.hypot(sure_above, rested)))),
        recovery,
        recorder.span(settled, ended, steps=1),
        float(t[at]),
        tuple(warnings),
    )


def _without_hum(t: Array, v: Array, at: int) -> tuple[Array, float, str]:
    """A record without the ripple that stands on it before and after its step; how sure, V rms; words.

    After the step the ripple is the one that is left there at the end, with more load another than before;
    where the record is too short to tell, it is drawn on from before, and half of it is doubted.
    """
    tail = at + (len(v) - at) // 2
    before, after = hum(t[:at], v[:at]), hum(t[tail:], v[tail:])
    if before is None and after is None:
        return v, 0.0, ""
    told = after or before
    assert told is not None
    clean = v.copy()
    if before is not None:
        clean[:at] -= before.at(t[:at])
    clean[at:] -= told.at(t[at:])
    unsure = told.sigma_at(float(t[at])) if after is not None else 0.5 * told.amplitude_V
    words = f"A ripple of {show(told.frequency_Hz, 'Hz', 2)} that stands there all along was taken off."
    return clean, unsure, words


def _above_zero(span: Interval) -> Interval:
    return Interval(max(span.value, 0.0), max(span.low, 0.0), max(span.high, 0.0))


class _Band(Struct, frozen=True):
    """The band around the settled volts: V, half its width, V rms by noise, V by a step of the digitiser."""

    settled: float
    half: float
    noise: float
    off: float


def _recovery(
    t: Array, after: Array, begin_s: float, band: _Band, noise: float, recorder: Recorder,
    warnings: list[str], latest: int,
) -> Interval | None:  # fmt: skip
    """From the step until the volts stay in the band; None where that is not before sample `latest`."""
    calm, _ = smoothed(after, noise, CALM_SHARE * band.half)
    outside = np.flatnonzero(np.abs(calm - band.settled) > band.half)
    if not len(outside):
        return recorder.moment(0.0, Crossing(0.0, 0.0, 0.0, float(t[1] - t[0]) / 2))
    last = int(outside[-1])
    if last >= latest:
        warnings.append("The record ends before the volts stay inside the band: take a longer one.")
        return None
    edge = band.settled + float(np.copysign(band.half, calm[last] - band.settled))
    found = crossing(t, after, last + 1, edge, noise, REACH_SHARE * band.half)
    # The band lies around the settled volts, which are not known for certain either.
    per_V = 1 / max(abs(found.slope), 1e-12)
    return recorder.moment(
        found.at_s - begin_s, found, Crossing(0.0, 0.0, band.noise * per_V, band.off * per_V)
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
