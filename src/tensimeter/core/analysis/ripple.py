"""Ripple and noise of an output from a waveform: figures, lines of the spectrum, and what can't be told."""

import numpy as np
from msgspec import Struct

from tensimeter.core.analysis.line_names import name_lines
from tensimeter.core.arrays import Array, IntArray
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval, half_width_95
from tensimeter.core.measurement.recorder import Recorder

#: Bins to each side that belong to a line: the main lobe of a Hann window is two, and one for the rounding.
LOBE = 3
#: A line counts from this share of the largest line's amplitude; so many are listed at the most.
LEAST_SHARE, MOST_LINES = 1e-3, 32
#: Bands of the spectrum that is drawn.
BANDS = 500
#: Normal samples of which all but a hundredth lie within so many deviations.
TRIMMED_SIGMA = 2.6
#: False lines expected per record from noise alone.
FALSE_LINES = 1e-3


class Line(Struct, frozen=True):
    """One line of the spectrum: Hz, V rms, and what it is (empty where that can't be told)."""

    frequency_Hz: float
    rms_V: float
    name: str = ""


class Ripple(Struct, frozen=True, eq=False):
    """V; `pp_trimmed_V` leaves out a share of the time, so that spikes don't count; `rms_V` is without DC."""

    mean_V: float
    pp_V: float
    pp_trimmed_V: float
    rms_V: float
    lines: tuple[Line, ...]
    warnings: tuple[str, ...] = ()
    #: V rms of what stands under no line, V of the digitiser's step as the record shows it, and samples.
    noise_V: float = 0.0
    step_V: float = 0.0
    samples: int = 0
    #: Hz and V rms (m,): the strongest bin of each of several hundred bands, for a plot.
    spectrum: tuple[Array, Array] = (np.empty(0), np.empty(0))

    def within(self, recorder: Recorder) -> "RippleWithin":
        """Its figures with their 95 % intervals.

        Noise widens what a span reads: how much of it is the recorder's own is not known, so that the low end
        leaves out all of it. A record that does not move by more than a step has seen nothing.
        """
        step = max(recorder.step_V, self.step_V)
        blind = self.pp_V <= step * (1 + 1e-9)
        # The expected largest and least of so many normal samples, and of all but one in a hundred.
        most = 2 * self.noise_V * float(np.sqrt(2 * np.log(max(self.samples, 2))))
        rms = float(np.sqrt(max(self.rms_V**2 - step**2 / 12, 0.0)))
        single = self.noise_V * float(np.sqrt(1.5 / max(self.samples, 1)))
        lines = [half_width_95((recorder.gain_share * x.rms_V,), single) for x in self.lines]
        off = half_width_95((recorder.gain_share * rms,))
        return RippleWithin(
            _span(self.pp_V, most, step, recorder, blind),
            _span(self.pp_trimmed_V, 2 * TRIMMED_SIGMA * self.noise_V, step, recorder, blind),
            Interval(rms, 0.0, step / 2) if blind else Interval(rms, rms - off, rms + off),
            tuple(
                Interval(x.rms_V, max(x.rms_V - h, 0.0), x.rms_V + h)
                for x, h in zip(self.lines, lines, strict=True)
            ),
            blind,
        )


class RippleWithin(Struct, frozen=True):
    """V with 95 % intervals; `blind` where the digitiser's step hides what there is."""

    pp_V: Interval
    pp_trimmed_V: Interval
    rms_V: Interval
    lines: tuple[Interval, ...]
    blind: bool


def _span(value: float, noise: float, step: float, recorder: Recorder, blind: bool) -> Interval:
    if blind:
        return Interval(value, 0.0, value + 2 * step)
    half = half_width_95((recorder.gain_share * value, step / 2, step / 2))
    return Interval(value, max(value - noise - half, 0.0), value + half)


def ripple(
    volts: Array,
    rate_Hz: float,
    mains_Hz: float = 50.0,
    switching_Hz: float | None = None,
    bandwidth_Hz: float | None = None,
    trim: float = 0.01,
) -> Ripple:
    """Analyse a record of volts (n,) sampled evenly at `rate_Hz`.

    The spectrum is that of the record without its mean under a Hann window. A line's rms is the root of the
    power in its lobe by Parseval's theorem, 2·Σ|X|²/(n·Σw²), less the noise beneath, so that a line between
    two bins keeps its amplitude; its frequency comes from the ratio of the two largest bins, which for this
    window gives (2r − 1)/(r + 1) bins. The bandwidth limit is a Butterworth filter of second order.
    Raises UserError for too few samples, samples that are no numbers, or settings that mean nothing.
    """
    v = np.asarray(volts, float)
    if v.ndim != 1 or len(v) < 64:
        raise UserError("A ripple record needs 64 samples or more.")
    if not (rate_Hz > 0 and np.isfinite(rate_Hz) and mains_Hz > 0 and 0 <= trim < 0.5):
        raise UserError("Rate and mains must be above zero, and the share left out from 0 to below 50 %.")
    if switching_Hz is not None and not switching_Hz > 0:
        raise UserError("The switching frequency must be above zero.")
    mean = float(v.mean())
    if not np.isfinite(mean):
        raise UserError("The record has samples that are no numbers: an overload, or a gap. Take it again.")
    warnings: list[str] = []
    x = v - mean
    if bandwidth_Hz is not None:
        x = _limited(x, rate_Hz, bandwidth_Hz, warnings)
    pp, trimmed = float(x.max() - x.min()), _shortest_span(x, trim)
    found, spectrum, noise = _lines(x, rate_Hz)
    named = name_lines([f for f, _ in found], rate_Hz, len(x), mains_Hz, switching_Hz)
    if len(x) < 2 * rate_Hz / mains_Hz:
        warnings.append(
            f"The record is {1e3 * len(x) / rate_Hz:.3g} ms, shorter than two mains cycles: "
            "mains ripple can't be judged from it."
        )
    warnings += named.warnings
    step = _digitiser_step(v)
    if pp > 0 and step >= 0.1 * trimmed:
        warnings.append(
            f"The digitiser's step, {1e3 * step:.3g} mV, is a tenth of this ripple or more: "
            "use a finer range, with the DC taken off."
        )
    lines = tuple(Line(f, rms, name) for (f, rms), name in zip(found, named.names, strict=True))
    rms = float(np.sqrt(np.dot(x, x) / len(x)))
    if pp <= step or step == 0:
        warnings.append("It moves by no more than a step of its digitiser: it has seen nothing smaller.")
    return Ripple(mean, pp, trimmed, rms, lines, tuple(warnings), noise, step, len(x), spectrum)


def _limited(x: Array, rate: float, bandwidth: float, warnings: list[str]) -> Array:
    if not bandwidth > 0:
        raise UserError("The bandwidth must be above zero.")
    if bandwidth >= 0.45 * rate:
        warnings.append(
            f"The bandwidth limit is at or above what {rate:.4g} samples a second can show; "
            "it changes nothing here."
        )
        return x
    from scipy.signal import butter, sosfilt, sosfilt_zi  # noqa: PLC0415

    sections = butter(2, bandwidth, fs=rate, output="sos")
    limited: Array = sosfilt(sections, x, zi=sosfilt_zi(sections) * x[0])[0]
    return limited


def _shortest_span(x: Array, trim: float) -> float:
    """The narrowest span of volts in which the record spends all but the share `trim` of its time.

    Not the same share off both ends: spikes often point one way.
    """
    out = int(trim * len(x))
    low, high = _tail(x, out + 1), -_tail(-x, out + 1)
    return float((high[::-1] - low).min())


def _tail(x: Array, count: int) -> Array:
    """The `count` lowest values, sorted; a sparse sample finds where they begin."""
    sparse = np.sort(x[:: max(len(x) // 50_000, 1)])
    edge = sparse[min(int(2 * len(sparse) * count / len(x)) + 10, len(sparse) - 1)]
    low = x[x <= edge]
    if len(low) < count:
        low = np.partition(x, count - 1)[:count]
    low.sort()
    lowest: Array = low[:count]
    return lowest


def _lines(x: Array, rate: float) -> tuple[list[tuple[float, float]], tuple[Array, Array], float]:
    """(Hz, V rms) of the lines that stand out of the noise, strongest first; the spectrum; V rms of noise."""
    # Only wanted here, and slow to load.
    from scipy.fft import rfft  # noqa: PLC0415

    n = len(x)
    # A Hann window is three terms in the spectrum, which costs less than a cosine for each sample.
    plain = rfft(x)
    spectrum = plain[:-2] + plain[2:]
    spectrum *= -0.5
    spectrum += plain[1:-1]
    power = np.zeros(len(plain))
    np.square(spectrum.real, out=power[1:-1])
    power[1:-1] += np.square(spectrum.imag)
    # The window's mean square is 3/8; the terms above are twice its own.
    scale = 2 / (n * 4 * 0.375 * n)
    above = np.flatnonzero(power > LEAST_SHARE**2 * power.max())
    above = above[(above > 1) & (above < len(power) - 1)]
    peaks = above[(power[above] >= power[above - 1]) & (power[above] > power[above + 1])]
    floor = _floor(power, peaks)
    stands = power[peaks] > np.log(len(power) / FALSE_LINES) * floor
    order = np.argsort(-power[peaks[stands]])
    kept: list[int] = []
    for k in peaks[stands][order][:1000].tolist():
        if len(kept) < MOST_LINES and power[k] > 4 * _skirts(power, kept, k):
            kept.append(k)
    floor_of = dict(zip(peaks.tolist(), floor.tolist(), strict=True))
    lines = [_line(power, k, kept, floor_of[k], scale, rate / n) for k in kept]
    # Noise power in a bin is exponentially distributed: its mean is the median over ln 2.
    noise = float(np.sqrt(len(power) * np.median(power[1:-1]) / np.log(2) * scale))
    return lines, _banded(power, scale, rate / n), noise


def _banded(power: Array, scale: float, bin_Hz: float) -> tuple[Array, Array]:
    """The strongest bin of each of some hundred bands, evenly spaced by the logarithm."""
    edges = np.unique(np.geomspace(1, len(power) - 1, BANDS).astype(int))
    most = np.maximum.reduceat(power, edges)
    # Two thirds of a line's power lie in its largest bin under this window.
    return edges * bin_Hz, np.sqrt(1.5 * most * scale)


def _floor(power: Array, at: IntArray) -> Array:
    """Mean noise per bin about each of the bins `at`, from the median of the octave it lies in.

    Noise power in a bin is exponentially distributed, so its mean is the median over ln 2.
    """
    octave = np.floor(np.log2(np.maximum(at, 1))).astype(int)
    found = {}
    for o in set(octave.tolist()):
        start = min(2**o, max(len(power) - 64, 1))
        found[o] = float(np.median(power[start : max(2 ** (o + 1), start + 64)])) / np.log(2)
    return np.array([found[o] for o in octave.tolist()])


def _skirts(power: Array, kept: list[int], k: int) -> float:
    """The most that the side lobes of the lines kept can put into bin k; within a lobe, all of it."""
    total = 0.0
    for line in kept:
        apart = abs(line - k)
        if apart <= LOBE:
            return float("inf")
        # A Hann window's transform is sin(πd)/(πd(1 − d²)); the line may lie half a bin nearer.
        d = apart - 0.5
        total += 1.4 * float(power[line]) / (np.pi * d * (d * d - 1)) ** 2
    return total


def _line(
    power: Array, k: int, kept: list[int], floor: float, scale: float, bin_Hz: float
) -> tuple[float, float]:
    others = np.array([o for o in kept if o != k])
    # Two lines whose lobes meet share the bins between them.
    below = max([(k + o) // 2 + 1 for o in others[others < k]], default=0)
    beyond = min([(k + o + 1) // 2 for o in others[others > k]], default=len(power))
    lobe = power[max(k - LOBE, below, 1) : min(k + LOBE + 1, beyond)]
    rms = np.sqrt(max(float(lobe.sum()) - floor * len(lobe), 0.0) * scale)
    side = 1 if power[k + 1] > power[k - 1] else -1
    r = float(np.sqrt(power[k + side] / power[k]))
    return (k + side * (2 * r - 1) / (r + 1)) * bin_Hz, float(rms)


def _digitiser_step(v: Array) -> float:
    """The smallest step seen between two values of the record's beginning, V."""
    values = np.unique(v[:20_000])
    steps = np.diff(values)
    steps = steps[steps > 1e-6 * (values[-1] - values[0])]
    return float(steps.min()) if len(steps) else 0.0
