"""A rectified transformer as a source: mean and valley volts, and the winding's current, over DC amps."""

from functools import lru_cache

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.electrical.rectifier import Rectifier, rectified
from tensimeter.core.errors import UserError

#: Points of a source's curve, closer together near no load where it bends most.
POINTS = 24


class Curve(Struct, frozen=True):
    """Volts (or amps) over amps of a source, straight between its points and beyond the last."""

    amps: tuple[float, ...]
    volts: tuple[float, ...]

    def tangent(self, amps: Array) -> tuple[Array, Array]:
        """EMF in V and resistance in Ω of the straight piece at each current."""
        x, y = np.array(self.amps), np.array(self.volts)
        k = np.clip(np.searchsorted(x, amps, side="right") - 1, 0, len(x) - 2)
        ohms = (y[k] - y[k + 1]) / (x[k + 1] - x[k])
        return np.asarray(y[k] + ohms * x[k]), np.asarray(ohms)

    def at(self, amps: Array) -> Array:
        """Volts at currents `amps`, A, each on its own tangent."""
        emf, ohms = self.tangent(np.asarray(amps, float))
        return np.asarray(emf - ohms * amps)


class ReservoirSource(Struct, frozen=True):
    """Curves over DC amps: mean volts, valley volts at low line, rms amps of the winding and capacitor."""

    mean: Curve
    low_line_valley: Curve
    winding_A: Curve
    capacitor_A: Curve
    no_load_high_line_V: float = 0.0


@lru_cache(maxsize=64)
def mean_curves(circuit: Rectifier, shares: tuple[float, ...], most: float) -> tuple[Curve, ...] | None:
    """Mean volts over amps with the winding's EMF at each of some shares, all integrated at once.

    None where one of them can't feed the reservoir at all.
    """
    emf = np.asarray(circuit.emf_V) * np.array(shares)[:, None]
    for _ in range(12):
        amps = most * np.linspace(0, 1, POINTS) ** 2
        try:
            volts = rectified(replace(circuit, emf_V=emf), load_A=amps).mean_V
        except UserError:
            most *= 0.7
            continue
        return tuple(Curve(tuple(amps.tolist()), tuple(row)) for row in volts.tolist())
    return None


@lru_cache(maxsize=64)
def curves(at_nominal: Rectifier, at_low_line: Rectifier, most: float) -> ReservoirSource | None:
    """Curves of a rectifier up to so many amps, or fewer where it can't; None where it can't at all."""
    for _ in range(12):
        amps = most * np.linspace(0, 1, POINTS) ** 2
        try:
            nominal, low = (rectified(c, load_A=amps) for c in (at_nominal, at_low_line))
            break
        except UserError:
            most *= 0.7
    else:
        return None
    x = tuple(amps.tolist())

    def over(values: Array) -> Curve:
        return Curve(x, tuple(np.broadcast_to(values, amps.shape).tolist()))

    return ReservoirSource(
        over(nominal.mean_V),
        over(low.valley_V),
        over(nominal.transformer_rms_A),
        over(nominal.capacitor_rms_A),
    )
