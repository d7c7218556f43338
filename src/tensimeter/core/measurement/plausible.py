"""What can't be right about a log before it is taken: asked about, or refused where nobody can be asked."""

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.quantity import show

#: How many times off the prediction, and off its neighbours, a figure is doubted: a slip of the decimal point
#: is ten times, give or take what truly changed.
DECADE, SLIP = 10.0, 8.0
#: Kelvin that one temperature may be off two neighbours that agree within a tenth of it.
JUMP_K = 50.0
#: A current below zero that an ammeter's offset explains, as a share of the largest.
BELOW_SHARE = 0.02


def doubts(
    *,
    volts: Array | None = None,
    amps: Array | None = None,
    celsius: Array | None = None,
    expected_V: float | None = None,
    most_A: float | None = None,
    steady: bool = True,
) -> list[str]:
    """What is odd about columns (n,) in V, A, °C, in sentences; empty when nothing is.

    `expected_V` and `most_A` are what the design says of the output; `steady` is False where volts are
    expected to jump, as past a limit.
    """
    found: list[str] = []
    if amps is not None and len(amps):
        found += _of_amps(amps[np.isfinite(amps)], most_A)
    if volts is not None and len(volts):
        found += _of_volts(volts[np.isfinite(volts)], expected_V, steady)
    if celsius is not None and len(celsius) > 2:
        found += _of_heat(celsius)
    return found


def _of_amps(amps: Array, most_A: float | None) -> list[str]:
    if not len(amps):
        return []
    found, top = [], float(np.abs(amps).max())
    # An ammeter that reads a little below zero at rest is not a load with swapped wires.
    reference = max(top, most_A or 0.0)
    lowest = float(amps.min())
    if lowest < -max(BELOW_SHARE * reference, 1e-6):
        found.append(f"Currents go down to {show(lowest, 'A', 3)}. Are the load's wires swapped?")
    if most_A and (top > DECADE * most_A or (top and top < most_A / DECADE)):
        found.append(
            f"Currents go up to {show(top, 'A', 3)} where {show(most_A, 'A', 3)} are planned. "
            "Is the unit in the header right?"
        )
    return found


def _of_volts(volts: Array, expected_V: float | None, steady: bool) -> list[str]:
    if not len(volts):
        return []
    found, middle = [], float(np.median(np.abs(volts)))
    if expected_V and middle and not 1 / DECADE < middle / abs(expected_V) < DECADE:
        found.append(
            f"{show(middle, 'V', 4)} is far from the expected {show(expected_V, 'V', 4)}. "
            "Is the unit in the header right?"
        )
    if expected_V and expected_V > 0 and float(np.median(volts)) < 0:
        found.append(f"{show(float(np.median(volts)), 'V', 4)} is negative. Are the probes swapped?")
    alone = _alone(np.abs(volts)) if steady else None
    if alone is not None:
        found.append(
            f"{show(float(volts[alone]), 'V', 4)} in row {alone + 1} is ten times off the rows beside it. "
            "Is a decimal point or a prefix out of place?"
        )
    return found


def _alone(values: Array) -> int | None:
    """The first value some ten times off both neighbours that agree with one another; None without one."""
    if len(values) < 3:
        return None
    before, here, after = values[:-2], values[1:-1], values[2:]
    level = np.maximum(before, after)
    agree = np.minimum(before, after) > 0.5 * level
    odd = agree & ((here > SLIP * level) | (here * SLIP < np.minimum(before, after)))
    inner = np.flatnonzero(odd)
    if len(inner):
        return int(inner[0]) + 1
    # The first and the last row have their neighbours on one side.
    for at, (one, two) in ((0, (1, 2)), (len(values) - 1, (-2, -3))):
        a, b = sorted((float(values[one]), float(values[two])))
        if a > 0.5 * b > 0 and (values[at] > SLIP * b or values[at] * SLIP < a):
            return at
    return None


def _of_heat(celsius: Array) -> list[str]:
    before, here, after = celsius[:-2], celsius[1:-1], celsius[2:]
    agree = np.abs(before - after) < 0.1 * JUMP_K
    odd = np.flatnonzero(agree & (np.abs(here - before) > JUMP_K))
    if not len(odd):
        return []
    at = int(odd[0]) + 1
    return [f"{show(float(celsius[at]), 'C', 3)} in row {at + 1} is far off the rows beside it."]
