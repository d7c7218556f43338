"""Thermal networks: capacities joined by thermal resistances, heated and tied to ambient.

C·dT/dt = P − G·(T − Ta). The network is symmetric, so it falls into real modes (its eigenvectors in
coordinates scaled by √C), and temperature at any time is their exact sum.
"""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.errors import UserError

AMBIENT = "ambient"
#: Time constants in s (n,), and the matrices to and from the modes.
Modes = tuple[Array, Array, Array]


def modes_of(conductance_W_K: Array, capacity_J_K: Array) -> Modes:
    """The modes of a network by its symmetric conductance (n, n) and its capacities (n,)."""
    root = np.sqrt(capacity_J_K)
    rates, vectors = np.linalg.eigh(conductance_W_K / np.outer(root, root))
    return 1 / rates, vectors.T * root, vectors / root[:, None]


def relaxed(modes: Modes, final_K: Array, start_K: Array, time_s: Array) -> Array:
    """Rises on the way from a start to where constant power ends; exact.

    Parameters
    ----------
    modes : Modes
        Of the network, n nodes.
    final_K, start_K : array
        Rises (…, n) in the end and at first, K.
    time_s : array
        Times (…), s.

    Returns
    -------
    array
        Rises (…, n), K.
    """
    constants, into, out = modes
    decay = np.exp(-time_s[..., None] / constants)
    return np.asarray(final_K + ((start_K - final_K) @ into.T * decay) @ out.T)


class ThermalNetwork(Struct, frozen=True):
    """Nodes with capacities in J/K; resistances in K/W between nodes, or a node and `ambient`."""

    capacity_J_K: Mapping[str, float]
    resistance_K_W: Mapping[tuple[str, str], float]

    @property
    def nodes(self) -> tuple[str, ...]:
        """The nodes that hold heat, in order."""
        return tuple(self.capacity_J_K)

    def conductance(self) -> Array:
        """G in W/K, (n, n). UserError where a node is not tied to ambient at all."""
        index = {name: k for k, name in enumerate(self.nodes)}
        matrix = np.zeros((len(index), len(index)))
        for (a, b), theta in self.resistance_K_W.items():
            if theta <= 0 or (a not in index and a != AMBIENT) or (b not in index and b != AMBIENT):
                raise UserError(
                    f"The thermal resistance from {a} to {b} joins nothing, or is not above zero."
                )
            for x, y in ((a, b), (b, a)):
                if x in index:
                    matrix[index[x], index[x]] += 1 / theta
                    if y in index:
                        matrix[index[x], index[y]] -= 1 / theta
        if min(self.capacity_J_K.values(), default=0.0) <= 0:
            raise UserError("Every node of a thermal network has a capacity above zero.")
        if np.linalg.eigvalsh(matrix).min() <= 1e-12 * np.abs(matrix).max():
            raise UserError("A part of the thermal network has no way to ambient: it would heat up for ever.")
        return matrix

    def _powers(self, power_W: Mapping[str, Figure]) -> Array:
        columns = [np.asarray(power_W.get(name, 0.0), float) for name in self.nodes]
        return np.stack(np.broadcast_arrays(*columns), -1)

    def steady(self, power_W: Mapping[str, Figure], ambient_C: Figure = 20.0) -> dict[str, Array]:
        """Temperature in °C of every node for powers by node (arrays allowed) that have long been on."""
        rise = np.linalg.solve(self.conductance(), self._powers(power_W)[..., None])[..., 0]
        return {name: np.asarray(rise[..., k] + ambient_C) for k, name in enumerate(self.nodes)}

    def modes(self) -> Modes:
        """Time constants in s (n,), and the matrices to and from the modes."""
        return modes_of(self.conductance(), np.array([self.capacity_J_K[name] for name in self.nodes]))

    def heat_up(
        self,
        power_W: Mapping[str, Figure],
        time_s: Figure,
        ambient_C: float = 20.0,
        start_C: Mapping[str, float] | None = None,
    ) -> dict[str, Array]:
        """Temperature in °C of every node after `time_s` of constant power, from `start_C` (ambient)."""
        final = np.asarray(np.linalg.solve(self.conductance(), self._powers(power_W)[..., None])[..., 0])
        start = np.array([(start_C or {}).get(name, ambient_C) - ambient_C for name in self.nodes])
        rise = relaxed(self.modes(), final, start, np.asarray(time_s, float))
        return {name: np.asarray(rise[..., k] + ambient_C) for k, name in enumerate(self.nodes)}

    def time_to(
        self, power_W: Mapping[str, Figure], node: str, limit_C: float, ambient_C: float = 20.0
    ) -> Array:
        """Seconds of power from ambient until a node reaches its limit; infinite where it never does.

        From cold under constant power every node only rises, so halving the interval finds the moment.
        """
        k = self.nodes.index(node)
        constants, into, out = self.modes()
        final = np.linalg.solve(self.conductance(), self._powers(power_W)[..., None])[..., 0]
        parts = (-final @ into.T) * out[k]
        reach = limit_C - ambient_C
        crosses = final[..., k] > reach
        low, high = np.zeros(final.shape[:-1]), np.full(final.shape[:-1], 40 * constants.max())
        for _ in range(60):
            middle = (low + high) / 2
            rise = final[..., k] + (parts * np.exp(-middle[..., None] / constants)).sum(-1)
            low, high = np.where(rise < reach, middle, low), np.where(rise < reach, high, middle)
        return np.where(reach <= 0, 0.0, np.where(crosses, high, np.inf))
