"""A fan as it was read: the volts at which it starts and stops, its speed and loudness over its volts.

Rows are typed in the order they are taken: first the fan's volts, then what was read at them.
"""

import itertools
from collections.abc import Iterable

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.readings import PRETENDED, Origin, Reading, counting
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import BlowerPart
from tensimeter.core.testplan.step import FAN
from tensimeter.core.thermal.fan import LOUDNESS_POWER

#: A fan is fed this share above the volts at which it was seen to start: cold and old it takes more. Rule of
#: thumb.
START_SHARE = 0.1
#: A fan is told from the room's own noise from so many dB on.
LEAST_ABOVE_DB = 1.0
#: Speeds must be so many times apart for the loudness to tell its own power.
APART = 1.3


class FanRow(Struct, frozen=True):
    """What was read of a fan at its volts: turns a minute (0: it stands), dB, °C of a sink and room."""

    volts: float
    rpm: float | None = None
    loud_dB: float | None = None
    sinks_C: tuple[tuple[str, float], ...] = ()
    room_C: float | None = None
    amps: tuple[tuple[str, float], ...] = ()
    origin: Origin = "typed"


class FanSweep(Struct, frozen=True):
    """Rows of a fan in the order read, and what they tell of it."""

    rows: tuple[FanRow, ...]
    fan: BlowerPart
    fed_V: float

    @property
    def pretended(self) -> Origin | None:
        """The origin of its rows, where nothing of them was real."""
        origins = [r.origin for r in self.rows]
        return origins[-1] if origins and PRETENDED.issuperset(origins) else None

    @property
    def turning(self) -> list[FanRow]:
        """Rows at which it was seen to turn."""
        return [r for r in self.rows if r.rpm]

    @property
    def starts(self) -> Interval | None:
        """Between which volts it began to turn, of several times the worst; None where that was not seen.

        The value is the upper end: at those volts it has started each time.
        """
        seen = [
            (a.volts, b.volts)
            for a, b in itertools.pairwise(self.rows)
            if a.rpm == 0 and b.rpm and b.volts > a.volts
        ]
        if not seen:
            return None
        low, high = max(seen, key=lambda pair: pair[1])
        return Interval(high, low, high)

    @property
    def stops(self) -> Interval | None:
        """Between which volts it stood still on the way down; the value is the upper end."""
        seen = [
            (b.volts, a.volts)
            for a, b in itertools.pairwise(self.rows)
            if a.rpm and b.rpm == 0 and b.volts < a.volts
        ]
        if not seen:
            return None
        low, high = max(seen, key=lambda pair: pair[1])
        return Interval(high, low, high)

    @property
    def least_V(self) -> float:
        """The lowest volts that it may be fed with so that it starts each time."""
        starts = self.starts
        return starts.value * (1 + START_SHARE) if starts is not None else self.fan.start_V

    @property
    def line(self) -> tuple[float, float]:
        """Turns a minute a volt, and at none: by least squares; (1, 0) where its speed was not read twice."""
        rows = self.turning
        if len({r.volts for r in rows}) < 2:
            return 1.0, 0.0
        slope, at_none = np.polyfit([r.volts for r in rows], [r.rpm or 0.0 for r in rows], 1)
        return (float(slope), float(at_none)) if slope > 0 else (1.0, 0.0)

    @property
    def full_V(self) -> float:
        """The most that it is fed with."""
        return max(self.fed_V, self.least_V)

    def speed(self, volts: float) -> float:
        """Share of its speed at its rated volts; 0 where it is not sure to start."""
        return self._share(volts) if volts >= self.least_V - 1e-9 else 0.0

    def _share(self, volts: float) -> float:
        slope, at_none = self.line
        return float(np.clip((slope * volts + at_none) / (slope * self.fan.rated_V + at_none), 0.0, 1.0))

    @property
    def room_dB(self) -> float | None:
        """How loud it is without the fan: the least that was read while it stood."""
        return min((r.loud_dB for r in self.rows if r.rpm == 0 and r.loud_dB is not None), default=None)

    @property
    def loudness(self) -> tuple[float, float] | None:
        """dB at full speed, and dB more for ten times the speed; None where nobody knows."""
        heard = [(r, _without(r.loud_dB, self.room_dB)) for r in self.turning if r.loud_dB is not None]
        rows = [(r, own) for r, own in heard if own is not None]
        if not rows:
            label = self.fan.loudness_dB
            return (label, LOUDNESS_POWER) if label is not None else None
        speeds = np.log10([max(self._share(r.volts), 1e-3) for r, _ in rows])
        loud = np.array([own for _, own in rows])
        if len(rows) > 2 and np.ptp(speeds) > np.log10(APART):
            power, at_full = np.polyfit(speeds, loud, 1)
            if power > 0:
                return float(at_full), float(power)
        return float(np.mean(loud - LOUDNESS_POWER * speeds)), LOUDNESS_POWER

    def loud_dB(self, volts: float) -> float | None:
        """How loud it is at volts; None where nobody knows, or where it stands still."""
        known, speed = self.loudness, self.speed(volts)
        if known is None or speed <= 0:
            return None
        return known[0] + known[1] * float(np.log10(speed))


def _without(heard_dB: float, room_dB: float | None) -> float | None:
    """What is left of a loudness without the room's own; None where the fan is lost in that."""
    if room_dB is None:
        return heard_dB
    if heard_dB < room_dB + LEAST_ABOVE_DB:
        return None
    return float(10 * np.log10(10 ** (heard_dB / 10) - 10 ** (room_dB / 10)))


def fan_sweep(job: Job, readings: Iterable[Reading], fan: BlowerPart, fed_V: float) -> FanSweep:
    """What was read of a fan; every reading of its volts begins a row, and what was read of it joins that."""
    rows: list[FanRow] = []
    amps: dict[str, float] = {}
    room: float | None = None
    outputs = {o.id for o in job.design.outputs()}
    for r in counting(readings):
        if not np.isfinite(r.value):
            continue
        if r.place in outputs and r.quantity == "A":
            amps[r.place] = r.value
        elif r.place == "ambient":
            room = r.value
        if r.place == FAN and r.quantity == "V" and r.run is None and r.value >= 0:
            rows.append(FanRow(r.value, origin=r.origin))
        elif rows and r.run is None:
            rows[-1] = _with(rows[-1], r, room, tuple(amps.items()))
    told = tuple(r for r in rows if r.rpm is not None or r.loud_dB is not None or r.sinks_C)
    return FanSweep(told, fan, fed_V)


def _with(row: FanRow, r: Reading, room: float | None, amps: tuple[tuple[str, float], ...]) -> FanRow:
    """A row with a reading taken at its volts."""
    if r.place == FAN and r.quantity == "rpm" and r.value >= 0:
        return replace(row, rpm=r.value)
    if r.place == FAN and r.quantity == "dB":
        return replace(row, loud_dB=r.value)
    if r.quantity == "C" and r.place.endswith("sink"):
        link = r.place.removesuffix("sink").removesuffix("-")
        return replace(row, sinks_C=(*row.sinks_C, (link, r.value)), room_C=room, amps=amps)
    return row
