"""What the solver gives: every link's volts, amps, watts and state at every operating point."""

from collections.abc import Iterable
from enum import IntEnum

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure, Flags


def total(values: Iterable[Array]) -> Array:
    """The sum of arrays that broadcast; zero for none."""
    return np.asarray(sum(values, start=np.float64(0.0)))


class State(IntEnum):
    """What a link does at an operating point; the names are shown."""

    RUNS = 0
    DROPOUT = 1
    LIMITED = 2
    COLLAPSED = 3
    OVER = 4
    PASSES = 5

    @property
    def words(self) -> str:
        """The state in words."""
        return (
            "runs",
            "drops out",
            "limits its current",
            "collapses under constant power",
            "is past its limit",
            "passes its input on",
        )[self]


class Point(Struct, frozen=True):
    """One link at the operating points solved for: V, A, W.

    Each array has the smallest shape that it needs and broadcasts to the solution's: what depends on
    the current alone is not repeated for every voltage of a grid.
    """

    V: Array
    I: Array  # noqa: E741 - the field's symbol
    V_in: Array
    I_in: Array
    loss: Array
    state: npt.NDArray[np.int64]

    @property
    def power_in(self) -> Array:
        """Power taken in, W."""
        return self.V_in * self.I_in

    @property
    def power_out(self) -> Array:
        """Power passed on, W."""
        return self.V * self.I


class Solution(Struct, frozen=True):
    """Every link of a network at every operating point; NaN where there is no running state."""

    points: dict[str, Point]
    shape: tuple[int, ...] = ()

    def __getitem__(self, link: str) -> Point:
        return self.points[link]

    def whole(self, values: Figure) -> Array:
        """Values of a point at every operating point, in the solution's shape."""
        return np.broadcast_to(np.asarray(values, float), self.shape)

    @property
    def runs(self) -> Flags:
        """Where every link regulates."""
        states = [np.broadcast_to(p.state == State.RUNS, self.shape) for p in self.points.values()]
        return np.asarray(np.logical_and.reduce(states), bool)
