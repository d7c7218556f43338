"""Load regulation: no-load volts, output resistance and their uncertainty from pairs of readings.

The model is U = U0 − R·I. Every instrument range adds an unknown gain and an unknown offset,
shared by its readings; a two-wire reading adds the unknown part of its lead. These nuisance terms
enter the fit with their prior variance, which is generalised least squares with the full
covariance (Draper and Smith, Applied Regression Analysis, ch. 9), at a cost that grows only with
the number of readings. Where 0 A was read nothing is drawn: that current is exact, and an ammeter's
offset, which acts on the others alone, tilts the line. Intervals come from propagating the stated
distributions through it.
"""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure, Flags
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95

#: Full load counts as read where the largest current is within this share of it.
REACHED_SHARE = 0.02
#: A point has left the line of those at less current where its volts are further below than this share of
#: the no-load volts; one that stands alone below it, where they have halved. Rules of thumb.
LEFT_SHARE, HALVED = 0.05, 0.5


class Readings(Struct, frozen=True):
    """Columns of equal length n: volts, amps, and the key of each value's instrument and range.

    `accuracies` maps a key to its accuracy. `lead_ohm` is taken out of every reading (a positive
    figure: the voltmeter sat behind the lead), ± `lead_bound` of it.
    """

    volts: Array
    amps: Array
    volt_keys: Sequence[str]
    amp_keys: Sequence[str]
    accuracies: dict[str, Accuracy]
    lead_ohm: float = 0.0
    lead_bound: float = 0.0

    @classmethod
    def of_one_pair(
        cls,
        volts: Array,
        amps: Array,
        voltmeter: Accuracy,
        ammeter: Accuracy,
        lead_ohm: float = 0.0,
        lead_bound: float = 0.0,
    ) -> "Readings":
        """All volts on one range of one meter, all amps on one of another."""
        v, a = np.asarray(volts, float), np.asarray(amps, float)
        return cls(v, a, ["V"] * len(v), ["A"] * len(a), {"V": voltmeter, "A": ammeter}, lead_ohm, lead_bound)


class Regulation(Struct, frozen=True):
    """What a set of readings says; intervals are 95 %."""

    no_load_V: Interval
    full_load_V: Interval
    full_load_A: float
    output_resistance_ohm: Interval
    load_regulation: Interval
    curved: bool
    hysteresis_V: Interval | None
    residual_V: Array
    birge: float
    count: int
    #: The largest current read, where full load lies more than `REACHED_SHARE` beyond it; else None.
    extended_from_A: float | None = None

    def worked(self) -> dict[str, Derivation]:
        """The worked answers behind resistance and regulation."""
        source = (
            "Generalised least squares with shared gain and offset per range; "
            "intervals by propagation of distributions (GUM Supplement 1)"
        )
        r, v0, vf = self.output_resistance_ohm, self.no_load_V, self.full_load_V
        given = (
            Input("n", "pairs of readings", float(self.count), ""),
            Input("U0", "no-load volts of the line", v0.value, "V"),
            Input("U_fl", "volts of the line at full load", vf.value, "V"),
            Input("I_fl", "full load", self.full_load_A, "A"),
        )
        nominal = (
            (v0.value - vf.value) / self.load_regulation.value if (self.load_regulation.value) else np.nan
        )
        return {
            "resistance": Derivation(
                "Output resistance",
                "slope of U = U0 − R·I, weighted",
                given,
                r.value,
                "ohm",
                ("the line is straight",)
                if not self.curved
                else ("the points bend significantly: one slope does not say it all",),
                source,
                (r.low, r.high),
            ),
            "regulation": Derivation(
                "Load regulation",
                "(U0 − U_fl) / U_nom",
                (*given[1:], Input("U_nom", "nominal", nominal, "V")),
                self.load_regulation.value,
                "%",
                (),
                source,
                (self.load_regulation.low, self.load_regulation.high),
            ),
        }


def left_line(volts: Array, amps: Array, asked_A: Array) -> Flags:
    """Which points (n,) of V and A no longer lie on the line: the output limits, folds back or is gone.

    A line grows from no load upwards; what falls below it is left out where less flowed than was asked
    (`asked_A`, NaN where that is not known) or nothing more was held. A slip between two points stays in.
    """
    v, i = np.asarray(volts, float), np.asarray(amps, float)
    out = np.zeros(len(v), bool)
    order = np.lexsort((-v, i))
    no_load = float(v[order[0]]) if len(order) else 0.0
    if no_load <= 0:
        # Swapped probes or no volts at all: there is no line to leave.
        return out
    # Sums of the points before each: count, amps, volts, A², A·V. Most lines are never left, and are told in
    # one go; from the first point that leaves its line on each is looked at by itself.
    i_up, v_up = i[order], v[order]
    terms = np.stack([np.ones_like(i_up), i_up, v_up, i_up**2, i_up * v_up])
    sums = np.concatenate([np.zeros((5, 1)), np.cumsum(terms, axis=1)], axis=1)
    begin = int(np.argmax(np.append(v_up < _floor(sums[:, :-1], i_up, no_load), True)))
    kept, most = sums[:, begin].copy(), float(i_up[begin - 1]) if begin else 0.0
    for k in range(begin, len(order)):
        if v_up[k] < _floor(kept, i_up[k], no_load):
            out[order[k]] = True
            continue
        kept, most = kept + terms[:, k], float(i_up[k])
    short = i < 0.97 * np.asarray(asked_A, float)
    return out & (short | (i > most * 0.999))


def _floor(sums: Array, amps: Figure, no_load: float) -> Figure:
    """The lowest volts at some amps that are still on the line of the points summed up (5,) or (5, n)."""
    count, si, sv, sii, siv = sums
    n = np.maximum(count, 1.0)
    spread = sii - si * si / n
    told = spread > 1e-12 * np.maximum(sii, 1e-12)
    fall = np.minimum((siv - si * sv / n) / np.where(told, spread, 1.0), 0.0)
    by_line = sv / n + fall * (amps - si / n) - LEFT_SHARE * no_load
    return np.where(told, by_line, np.where(count > 0, HALVED * no_load, -np.inf))


def _nuisance(data: Readings, on_line: Array, slope: float) -> tuple[Array, Array]:
    """Columns (n, q) by which each shared error moves U + R·I, and its bound (q,).

    A gain acts on the volts of a first line (`on_line`), not on the volts as read: with those, what
    scatters low would seem to have the smaller error and draw the fit down (Peelle's puzzle).
    """
    columns, bounds = [], []
    volt_keys, amp_keys = np.array(data.volt_keys, object), np.array(data.amp_keys, object)
    for key, accuracy in data.accuracies.items():
        on_volts = (volt_keys == key).astype(float)
        on_amps = slope * (amp_keys == key) * (np.asarray(data.amps) != 0)
        for column, bound in (
            (on_volts * on_line + on_amps * data.amps, accuracy.of_reading),
            (on_volts + on_amps, accuracy.offset),
        ):
            if bound > 0 and np.any(column):
                columns.append(column)
                bounds.append(bound)
    if data.lead_bound > 0:
        columns.append(data.amps)
        bounds.append(data.lead_bound)
    n = len(data.volts)
    return (np.stack(columns, 1) if columns else np.zeros((n, 0))), np.array(bounds)


def _scatter(data: Readings, slope: float) -> Array:
    """Standard deviation (n,) of what is not shared, in V."""
    of = {key: a.scatter for key, a in data.accuracies.items()}
    volts = np.array([of[k] for k in data.volt_keys])
    amps = np.array([of[k] for k in data.amp_keys]) * (np.asarray(data.amps) != 0)
    return np.asarray(np.hypot(volts, slope * amps))


def _fit(design: Array, y: Array, sigma: Array, shared: Array, bounds: Array) -> tuple[Array, Array]:
    """Parameters (p,) and the gain matrix (p, n) that makes them from y."""
    p, q = design.shape[1], shared.shape[1]
    whole = np.concatenate([design, shared], 1) / sigma[:, None]
    # What is known of the nuisance terms beforehand enters as rows of their own (a QR
    # factorisation of both keeps the digits that normal equations would lose).
    known = np.concatenate([np.zeros((q, p)), np.diag(np.sqrt(3) / bounds)], 1) if q else np.zeros((0, p))
    stacked = np.concatenate([whole, known])
    scale = np.linalg.norm(stacked, axis=0)
    orthogonal, upper = np.linalg.qr(stacked / scale)
    inverse = np.linalg.solve(upper, np.eye(p + q)) / scale[:, None]
    gain = (inverse @ orthogonal[: len(y)].T)[:p] / sigma
    return gain @ y, gain


class _Fitted(Struct, frozen=True):
    """A line through readings: its parameters (U0, R), and all that their intervals follow from."""

    line: Array
    y: Array
    theta: Array
    gain: Array
    sigma: Array
    shared: Array
    bounds: Array
    birge: float

    @classmethod
    def of(cls, data: Readings) -> "_Fitted":
        amps = np.asarray(data.amps)
        y = data.volts + data.lead_ohm * amps
        fall, start = np.polyfit(amps, y, 1)
        slope = max(-float(fall), 0.0)
        sigma, (shared, bounds) = _scatter(data, slope), _nuisance(data, start + fall * amps, slope)
        line = np.stack([np.ones_like(amps), -amps], 1)
        theta, gain = _fit(line, y, sigma, shared, bounds)
        birge = _birge(y - line @ theta, sigma, shared, bounds, 2)
        return cls(line, y, theta, gain, sigma, shared, bounds, birge)

    @property
    def residual(self) -> Array:
        return np.asarray(self.y - self.line @ self.theta)

    def half_width(self, row: Array) -> float:
        """Half the 95 % width of a combination (2,) of the parameters."""
        own = row @ (self.gain * self.sigma * max(self.birge, 1.0))
        shared = np.abs(row @ self.gain @ self.shared) * self.bounds
        return half_width_95(list(shared), float(np.linalg.norm(own)))


def regulation(data: Readings, nominal: float, full_load: float | None = None) -> Regulation:
    """Fit U = U0 − R·I to pairs of readings and give every figure its 95 % interval.

    nominal in V; full_load in A (the largest current read, when None). Raises UserError with fewer
    than two pairs or when all are at one current.
    """
    amps = np.asarray(data.amps)
    if len(amps) < 2 or len(amps) != len(data.volts):
        raise UserError("Two pairs of volts and amps are needed for a resistance; add readings.")
    if np.ptp(amps) <= 3 * min(data.accuracies[k].scatter for k in set(data.amp_keys)):
        raise UserError("All readings are at one current; take another at a different load.")
    full = float(np.max(amps)) if full_load is None else full_load
    fit = _Fitted.of(data)
    theta = fit.theta

    def figure(row: Array, value: float) -> Interval:
        half = fit.half_width(row)
        return Interval(float(value), float(value - half), float(value + half))

    rows = {
        "v0": np.array([1.0, 0.0]),
        "r": np.array([0.0, 1.0]),
        "vf": np.array([1.0, -full]),
        "reg": np.array([0.0, full / nominal]),
    }
    return Regulation(
        no_load_V=figure(rows["v0"], theta[0]),
        full_load_V=figure(rows["vf"], theta[0] - theta[1] * full),
        full_load_A=full,
        output_resistance_ohm=figure(rows["r"], theta[1]),
        load_regulation=figure(rows["reg"], theta[1] * full / nominal),
        curved=_curved(fit.line, fit.y, amps, fit.sigma, fit.shared, fit.bounds),
        hysteresis_V=_hysteresis(amps, fit.residual, fit.sigma),
        residual_V=fit.residual,
        birge=fit.birge,
        count=len(amps),
        extended_from_A=float(amps.max()) if amps.max() < (1 - REACHED_SHARE) * full else None,
    )


def _birge(residual: Array, sigma: Array, shared: Array, bounds: Array, p: int) -> float:
    """Root of the reduced chi-squared, once the shared errors have taken their part (Birge ratio).

    1 where the readings scatter by more than their stated noise at no better than the 5 % level.
    """
    n = len(residual)
    if n <= p + 1:
        return 1.0
    own = residual / sigma
    if n > 400:
        return float(np.sqrt(np.sum(own**2) / (n - p)))
    # What the shared errors explain, each no more likely than it is, is taken out; the same as the inverse
    # of their whole covariance, which is singular to a computer where one of them is huge.
    explains = shared * bounds / (np.sqrt(3) * sigma[:, None])
    rows = np.vstack([explains, np.eye(explains.shape[1])])
    wanted = np.concatenate([own, np.zeros(explains.shape[1])])
    taken, *_ = np.linalg.lstsq(rows, wanted, rcond=None)
    chi2 = float(np.sum((wanted - rows @ taken) ** 2))
    dof = n - p
    # Wilson–Hilferty: the 95 % point of chi-squared without SciPy.
    bound = dof * (1 - 2 / (9 * dof) + 1.645 * np.sqrt(2 / (9 * dof))) ** 3
    return float(np.sqrt(chi2 / dof)) if chi2 > bound else 1.0


def _curved(line: Array, y: Array, amps: Array, sigma: Array, shared: Array, bounds: Array) -> bool:
    """Whether a quadratic term differs from zero by more than three of its own deviations."""
    if len(np.unique(np.round(amps, 9))) < 4:
        return False
    centred = (amps - amps.mean()) ** 2
    theta, gain = _fit(np.column_stack([line, centred]), y, sigma, shared, bounds)
    deviation = float(
        np.hypot(np.linalg.norm(gain[2] * sigma), np.linalg.norm(gain[2] @ shared * bounds) / np.sqrt(3))
    )
    return bool(abs(theta[2]) > 3 * deviation)


def _hysteresis(amps: Array, residual: Array, sigma: Array) -> Interval | None:
    """Mean volts going down less going up, at currents taken both ways; shared errors cancel."""
    top = int(np.argmax(amps))
    up, down = slice(0, top), slice(top + 1, None)
    if top == 0 or top == len(amps) - 1:
        return None
    # Of each point going down the nearest going up; of two that are as near the one that was read first.
    rising, first = np.unique(amps[up], return_index=True)
    right = np.clip(np.searchsorted(rising, amps[down]), 0, len(rising) - 1)
    left = np.maximum(right - 1, 0)
    off = [np.abs(rising[side] - amps[down]) for side in (left, right)]
    take_left = (off[0] < off[1]) | ((off[0] == off[1]) & (first[left] < first[right]))
    nearest = first[np.where(take_left, left, right)]
    both = np.minimum(*off) <= 0.05 * amps[top]
    if not both.any():
        return None
    differences = (residual[down] - residual[up][nearest])[both]
    variances = (sigma[down] ** 2 + sigma[up][nearest] ** 2)[both]
    mean = float(np.mean(differences))
    half = 1.96 * float(np.sqrt(np.sum(variances))) / len(differences)
    return Interval(mean, mean - half, mean + half)


def next_reading(data: Readings, nominal: float, most: float) -> tuple[float, float] | None:
    """Of currents from 0 to `most` A, the one whose reading shrinks the resistance's interval most.

    Returns (current, factor by which the interval's width would change). None before a first fit.
    """
    try:
        found = regulation(data, nominal)
    except UserError:
        return None
    now = found.output_resistance_ohm.half_width
    no_load, ohm = found.no_load_V.value, found.output_resistance_ohm.value
    best = None
    line_amps = np.linspace(0, most, 11)
    for amps in line_amps:
        extended = Readings(
            np.append(data.volts, no_load - ohm * amps),
            np.append(data.amps, amps),
            [*data.volt_keys, data.volt_keys[-1]],
            [*data.amp_keys, data.amp_keys[-1]],
            data.accuracies,
            data.lead_ohm,
            data.lead_bound,
        )
        width = _Fitted.of(extended).half_width(np.array([0.0, 1.0]))
        if best is None or width < best[1]:
            best = (float(amps), width)
    return (best[0], best[1] / now) if best and now > 0 else None
