"""Cross regulation: what the load of each rail does to the volts of every rail, fitted from load cases.

The model is V_i = V0_i − Σ_j R_ij·I_j, a straight line in all currents; least squares, with each
meter's unknown gain and offset propagated through it as rectangular terms (GUM Supplement 1).
"""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95, scatter_that_counts


class Cross(Struct, frozen=True):
    """Rails by name: no-load volts, Ω of every rail (row) by every current (column), 95 % intervals."""

    rails: tuple[str, ...]
    no_load_V: tuple[Interval, ...]
    resistance_ohm: tuple[tuple[Interval, ...], ...]
    residual_V: float
    cases: int

    @property
    def worst(self) -> tuple[str, str, Interval]:
        """The strongest pull of one rail on another: whose volts, whose current, Ω."""
        n = len(self.rails)
        pairs = [(i, j) for i in range(n) for j in range(n) if i != j]
        i, j = max(pairs, key=lambda p: abs(self.resistance_ohm[p[0]][p[1]].value))
        return self.rails[i], self.rails[j], self.resistance_ohm[i][j]


def cross_regulation(
    rails: Sequence[str],
    volts: Array,
    amps: Array,
    voltmeter: Accuracy | Sequence[Accuracy],
    ammeter: Accuracy | Sequence[Accuracy],
) -> Cross:
    """Fit the matrix from load cases: volts and amps (n, r), a row a case, a column a rail.

    One accuracy counts for every rail, or one is given for each: rails are read on ranges of their own.
    Raises UserError for fewer than two rails, or cases that can't tell the rails' currents apart.
    """
    v, i = np.asarray(volts, float), np.asarray(amps, float)
    n, r = v.shape
    if r < 2 or i.shape != v.shape:
        raise UserError("Cross regulation needs volts and amps of two rails or more.")
    if not (np.isfinite(v).all() and np.isfinite(i).all()):
        raise UserError("Volts and amps must be numbers: leave overloads out.")
    design = np.column_stack([np.ones(n), -i])
    if n < r + 1 or np.linalg.matrix_rank(design / np.abs(design).max(0).clip(1e-12)) < r + 1:
        raise UserError(
            "These load cases can't tell the rails' currents apart: load each rail once by itself, beside "
            "one case without load."
        )
    solve = np.linalg.pinv(design)
    theta = solve @ v
    left = v - design @ theta
    freedom = n - r - 1
    scatter = np.sqrt((left**2).sum(0) / freedom) if freedom > 0 else np.zeros(r)
    meters = [voltmeter] * r if isinstance(voltmeter, Accuracy) else list(voltmeter)
    sinks = [ammeter] * r if isinstance(ammeter, Accuracy) else list(ammeter)
    spread = np.sqrt((solve**2).sum(1))
    # What one ammeter scatters shows in the volts by what its current pulls.
    from_amps = np.array(
        [np.sqrt(sum((theta[j + 1, k] * sinks[j].scatter) ** 2 for j in range(r))) for k in range(r)]
    )

    pulled = [solve @ (i[:, j] != 0) for j in range(r)]

    def interval(k: int, rail: int) -> Interval:
        value = float(theta[k, rail])
        meter = meters[rail]
        stated = float(np.hypot(meter.scatter, from_amps[rail]))
        noise = scatter_that_counts(float(scatter[rail]), stated, freedom)
        # Gains scale what they touch; an offset of the volts shifts the no-load volts alone.
        terms = [meter.of_reading * value, sinks[k - 1].of_reading * value if k > 0 else meter.offset]
        # No load is no current for certain: an ammeter's offset acts where something flows, and tilts a line.
        terms += [s.offset * float(pulled[j][k] * theta[j + 1, rail]) for j, s in enumerate(sinks)]
        half = half_width_95(terms, float(spread[k]) * noise)
        return Interval(value, value - half, value + half)

    matrix = tuple(tuple(interval(j + 1, rail) for j in range(r)) for rail in range(r))
    volts_0 = tuple(interval(0, rail) for rail in range(r))
    return Cross(tuple(rails), volts_0, matrix, float(np.abs(left).max()), n)
