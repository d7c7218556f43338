"""A converter's loss from what is known of its efficiency: one figure, two, or a table."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from tensimeter.core.errors import UserError

#: How the loss at one point falls into fixed, with I and with I², where nothing else says: a rule of thumb.
SHARES = (0.2, 0.5, 0.3)
#: Weight of that rule against the points: it decides only what they leave open.
_WEIGHT = 1e-4


class Efficient(Protocol):
    """A share of the input that comes out, at V and A of the output."""

    @property
    def out_V(self) -> float:
        """Output volts, V."""

    @property
    def out_A(self) -> float:
        """Output current, A."""

    @property
    def efficiency(self) -> float:
        """Power out over power in, between 0 and 1."""


def fit_losses(points: Sequence[Efficient]) -> tuple[float, float, float]:
    """P0 in W, a in W/A and b in W/A² of P0 + a·I + b·I², none below zero, from efficiencies.

    Loss at a point is U·I·(1/η − 1). Non-negative least squares; the rule of thumb `SHARES` is a weak
    prior, so that one point is met exactly and three decide alone. Raises UserError without a point.

    >>> from types import SimpleNamespace
    >>> p0, a, b = fit_losses([SimpleNamespace(out_V=12, out_A=5, efficiency=0.9)])
    >>> round(p0 + a * 5 + b * 25, 3)
    6.667
    """
    from scipy.optimize import nnls  # noqa: PLC0415

    if not points:
        raise UserError("A loss is fitted from at least one efficiency, such as 12V 5A 92%.")
    amps = np.array([p.out_A for p in points])
    lost = np.array([p.out_V * p.out_A * (1 / p.efficiency - 1) for p in points])
    if not lost.any():
        raise UserError("An efficiency of 100 % has no loss to fit.")
    middle = float(amps.mean())
    columns = np.stack([np.ones_like(amps), amps / middle, (amps / middle) ** 2], 1)
    prior = np.array(SHARES) * lost.mean()
    rows = np.vstack([columns, _WEIGHT * np.eye(3)])
    found, _ = nnls(rows, np.concatenate([lost, _WEIGHT * prior]))
    return float(found[0]), float(found[1] / middle), float(found[2] / middle**2)
