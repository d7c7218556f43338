"""A soak's run while it is on: each scan is added to columns that grow; no earlier one is gone through."""

from collections.abc import Sequence

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.testplan.soak.run import SoakRun

#: Room for so many scans at first, and by so much more whenever it is full.
ROOM, MORE = 256, 2


class GrowingRun:
    """The scans of one run at an output in the order taken; told at any moment as `soak_runs` tells them.

    What was told shares its figures with what grows, which only ever writes behind them.
    """

    def __init__(self, output: str) -> None:
        self._output = output
        self._count, self._step = 0, 0
        self._run: int | None = None
        self._at = 0.0
        #: Time, volts, amps, step, and °C by place.
        self._columns: dict[str, Array] = {name: np.full(ROOM, np.nan) for name in ("", "V", "A", "step")}
        self._places: dict[str, Array] = {}
        #: A by other places.
        self._beside: dict[str, Array] = {}

    def add(self, scan: Sequence[Reading]) -> None:
        """One scan's readings; nothing for none."""
        if not scan:
            return
        k, room = self._count, len(self._columns[""])
        if k == room:
            for columns in (self._columns, self._places, self._beside):
                for name, old in columns.items():
                    columns[name] = np.concatenate([old, np.full((MORE - 1) * room, np.nan)])
            room *= MORE
        if k == 0:
            self._run, self._at = scan[0].run, scan[0].at
        self._columns[""][k] = scan[0].at - self._at
        for r in scan:
            if r.quantity == "C":
                self._places.setdefault(r.place, np.full(room, np.nan))[k] = r.value
            elif r.place == self._output and (r.quantity == "A" or (r.quantity == "V" and r.known == "read")):
                self._columns[r.quantity][k] = r.value
            elif r.quantity == "A":
                self._beside.setdefault(r.place, np.full(room, np.nan))[k] = r.value
            self._step = r.step if r.step is not None else self._step
        self._columns["step"][k] = self._step
        self._count += 1

    def told(self) -> SoakRun | None:
        """The run so far; None where nothing was read."""
        n = self._count
        if n == 0:
            return None
        time, volts, amps, step = (self._columns[name][:n] for name in ("", "V", "A", "step"))
        celsius = {place: self._places[place][:n] for place in sorted(self._places)}
        beside = {place: self._beside[place][:n] for place in sorted(self._beside)}
        return SoakRun(self._run, self._at, time, volts, amps, celsius, step, beside)
