"""Under what was read: the hull of mains, room and settings, with how each is known.

What nobody read or said is left out, and said to be not read; no default ever stands in for it.
"""

import math
from collections.abc import Iterable

from msgspec import Struct

from tensimeter.core.measurement.readings import Reading, interval_of
from tensimeter.core.quantity import show, show_at_least, show_at_most
from tensimeter.core.testplan.taken import MAINS


class Hull(Struct, frozen=True):
    """The lowest and the highest value of a circumstance, and whether each was read off something."""

    low: float
    high: float
    read: bool

    def words(self, unit: str) -> str:
        """It in words, with how it is known where it was only said."""
        low, high = show_at_most(self.low, unit), show_at_least(self.high, unit)
        if self.low == self.high:
            low = high = show(self.low, unit, 4)
        return f"{low if low == high else f'{low} to {high}'}{'' if self.read else ', as said'}"


def hull(readings: Iterable[Reading], place: str, quantity: str) -> Hull | None:
    """Between what a place was read, or said to be; None where nobody did either."""
    rows = [r for r in readings if r.place == place and r.quantity == quantity and math.isfinite(r.value)]
    if not rows:
        return None
    # What was only said of a moment does not make what was read of others uncertain.
    read = [r for r in rows if r.known == "read"]
    values = [r.value for r in (read or rows)]
    return Hull(min(values), max(values), bool(read))


def mains_hull(readings: Iterable[Reading]) -> Hull | None:
    """The mains, V, as read or said."""
    return hull(readings, MAINS, "V")


def room_hull(readings: Iterable[Reading]) -> Hull | None:
    """The room, °C, as read or said."""
    return hull(readings, "ambient", "C")


def not_read(readings: Iterable[Reading]) -> str:
    """Which of mains and room nobody read or said, in words; empty where both are known."""
    rows = list(readings)
    lacking = [
        word for word, found in (("mains", mains_hull(rows)), ("room", room_hull(rows))) if found is None
    ]
    return f"{' and '.join(lacking)} not read" if lacking else ""


def most_W(readings: Iterable[Reading]) -> float | None:
    """The most watts that were read at the wall, at the upper end of their interval; None: not read."""
    drawn = [i.high for r in readings if r.place == "wall" and r.quantity == "W" and (i := interval_of(r))]
    return max(drawn, default=None)
