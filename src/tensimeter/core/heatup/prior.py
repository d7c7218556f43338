"""What a design model expects of a heat-up, and how far that may stray."""

from msgspec import Struct


class Expected(Struct, frozen=True):
    """What a design model expects, and how far each may stray (rises as shares, else ln).

    K that each load step adds in the end, its slow time constant in s, the fast one over it, the fast
    stage's share of the rise.
    """

    rises_K: tuple[float, ...]
    slow_s: float
    fast_ratio: float = 0.2
    fast_share: float = 0.25
    slow_spread: float = 0.3
    fast_spread: float = 0.4
    tau_spread: float = 0.35
    ratio_spread: float = 0.6
    #: How far the heat of one step strays against another's.
    step_spread: float = 0.05
