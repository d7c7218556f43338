"""The scale of a knob: ticks where the readings say that its round volts or amps are."""

import math

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.plate.drawing import CUT, NOTE, Drawing, Item, Ring, Stroke, Words, drill_layer

#: A knob's own hole, and how far it turns at the most, turns.
HOLE_MM, MOST_TURNS = 7.2, 1.0
#: So many long ticks at about, and short ones between two of them.
LONG, SHORT = 8, 5
LONG_MM, SHORT_MM, TALL_MM = 4.0, 2.2, 2.0


class DialScale(Struct, frozen=True, eq=False):
    """A knob's positions in turns (n,), rising, and what there was at each, V or A."""

    turns: Array
    values: Array
    unit: str

    def turn_at(self, value: Array | float) -> Array:
        """Turns at which there is a value: a monotone curve through the readings (Fritsch and Carlson)."""
        from scipy.interpolate import PchipInterpolator  # noqa: PLC0415 - it takes its time to load

        order = np.argsort(self.values)
        return np.asarray(PchipInterpolator(self.values[order], self.turns[order])(value))

    def ticks(self) -> tuple[Array, Array]:
        """Round values inside what was read, for long ticks and for all; never one beyond."""
        low, high = float(self.values.min()), float(self.values.max())
        step = _round_step((high - low) / LONG)
        part = step / SHORT
        short = part * np.arange(math.ceil(low / part - 1e-9), math.floor(high / part + 1e-9) + 1)
        long = step * np.arange(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)
        return np.clip(long, low, high), np.clip(short, low, high)


def dial_scale(turns: Array, values: Array, unit: str) -> DialScale:
    """A scale from readings of a knob (n,) in any order; those at one position count as their mean.

    UserError with fewer than three positions, where it turns further than once, or where the values do not
    rise or fall all along: such a knob has no scale.
    """
    turns, values = np.asarray(turns, float), np.asarray(values, float)
    whole = np.isfinite(turns) & np.isfinite(values)
    at, which = np.unique(turns[whole], return_inverse=True)
    if len(at) < 3:
        raise UserError("A scale takes readings at three positions of its knob at the least.")
    if np.ptp(at) > MOST_TURNS:
        raise UserError("It turns further than once: a scale around it would lie over itself.")
    mean = np.bincount(which, values[whole]) / np.bincount(which)
    steps = np.diff(mean)
    if not (np.all(steps > 0) or np.all(steps < 0)):
        raise UserError("What it sets does not rise or fall all along; read it once more, in one direction.")
    return DialScale(at, mean, unit)


def _round_step(step: float) -> float:
    """The next round step: 1, 2 or 5 times a power of ten."""
    power = 10.0 ** math.floor(math.log10(step))
    return next(power * m for m in (1, 2, 5, 10) if power * m >= step * (1 - 1e-9))


def dial(scale: DialScale, radius_mm: float, title: str) -> Drawing:
    """The scale around a knob as a drawing: ticks of `radius_mm` inside, its middle drilled.

    The middle of what was read stands on top. UserError for a radius that no knob has.
    """
    if not 5 <= radius_mm <= 150:
        raise UserError("A scale has a radius of 5 to 150 mm.")
    outer = radius_mm + LONG_MM + 3 * TALL_MM + 4
    middle = (float(scale.turns.min()) + float(scale.turns.max())) / 2
    items: list[Item] = [
        Ring(outer, outer, HOLE_MM, drill_layer(HOLE_MM), title), Ring(outer, outer, 2 * outer - 1, CUT),
        Ring(outer, outer, 2 * radius_mm, NOTE),
    ]  # fmt: skip
    long, short = scale.ticks()
    for values, length in ((short, SHORT_MM), (long, LONG_MM)):
        for turn in scale.turn_at(values).tolist():
            ends = (radius_mm, radius_mm + length)
            items.append(Stroke(tuple(_at(outer, r, turn - middle) for r in ends)))
    for value, turn in zip(long.tolist(), scale.turn_at(long).tolist(), strict=True):
        x, y = _at(outer, radius_mm + LONG_MM + 1.2 * TALL_MM, turn - middle)
        items.append(Words(x, y + TALL_MM / 2, TALL_MM, f"{value:.6g}", from_middle=True))
    items.append(Words(outer, outer + radius_mm * 0.6, TALL_MM, scale.unit, from_middle=True))
    return Drawing(2 * outer, 2 * outer, tuple(items), title)


def _at(middle: float, radius: float, turns: float) -> tuple[float, float]:
    """A place on the scale: clockwise from the top."""
    angle = 2 * math.pi * turns
    return middle + radius * math.sin(angle), middle - radius * math.cos(angle)
