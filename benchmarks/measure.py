"""Figures of the speed table: ours and its floor, timed in turns in the same run."""

import gc
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """One line of the table: what was timed, at which size, both times in s, and the goal as a ratio."""

    what: str
    size: str
    ours_s: float
    floor_s: float
    goal: float
    rate: bool = False
    #: Both figures are plain numbers, not times.
    plain: bool = False

    @property
    def ratio(self) -> float:
        """Time over the floor's time; for a rate, ours over the floor's."""
        return self.floor_s / self.ours_s if self.rate else self.ours_s / self.floor_s

    @property
    def reached(self) -> bool:
        return self.ratio >= self.goal if self.rate else self.ratio <= self.goal

    def text(self) -> str:
        sign = "≥" if self.rate else "≤"
        ours, floor = (f"{t:.3g}" if self.plain else _seconds(t) for t in (self.ours_s, self.floor_s))
        return (
            f"{self.what:<44s} {self.size:>16s} {ours:>10s} {floor:>10s} "
            f"{self.ratio:6.2f} ×   {sign} {self.goal:g} ×   {'reached' if self.reached else 'NOT REACHED'}"
        )


HEAD = f"{'what':<44s} {'size':>16s} {'ours':>10s} {'floor':>10s} {'ratio':>8s}   goal"


def _seconds(value: float) -> str:
    return f"{value * 1e3:.3g} ms" if value < 1 else f"{value:.3g} s"


def in_turns(
    ours: Callable[[], object],
    floor: Callable[[], object],
    rounds: int = 7,
    between: Callable[[], object] = lambda: None,
) -> tuple[float, float]:
    """Median times in s of both, after one round of each that is not counted; `between` is not timed.

    Taken in turns, so that a machine that grows slower does so for both.
    """
    times: tuple[list[float], list[float]] = ([], [])
    for k in range(rounds + 1):
        for action, kept in ((ours, times[0]), (floor, times[1])):
            gc.collect()
            begin = time.perf_counter()
            action()
            if k:
                kept.append(time.perf_counter() - begin)
            between()
    return statistics.median(times[0]), statistics.median(times[1])
