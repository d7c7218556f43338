"""Least and most of a long record at every zoom, so that a plot of it need not go through all samples."""

import numpy as np

from tensimeter.core.arrays import Array

#: How many samples of one level make one of the next.
FACTOR = 8


class Envelope:
    """Levels of a record (n,): each holds least and most of runs of the one below."""

    def __init__(self, values: Array) -> None:
        self._values = np.asarray(values, float)
        self._levels: list[tuple[Array, Array]] = []
        low, high = self._values, self._values
        while len(low) > 4 * FACTOR:
            whole = len(low) // FACTOR * FACTOR
            rest = len(low) - whole
            low_next = low[:whole].reshape(-1, FACTOR).min(1)
            high_next = high[:whole].reshape(-1, FACTOR).max(1)
            if rest:
                low_next = np.append(low_next, low[whole:].min())
                high_next = np.append(high_next, high[whole:].max())
            low, high = low_next, high_next
            self._levels.append((low, high))

    def __len__(self) -> int:
        return len(self._values)

    def view(self, first: int, last: int, columns: int) -> tuple[Array, Array]:
        """Indices and values (m,) that draw samples `first` to `last` on so many columns.

        Where there are many more samples than columns, least and most of each run alternate.
        """
        first, last = max(first, 0), min(last, len(self._values))
        if last - first < 2:
            return np.arange(first, last, dtype=float), self._values[first:last]
        level, run = -1, 1
        while level + 1 < len(self._levels) and (last - first) / (run * FACTOR) > columns:
            level, run = level + 1, run * FACTOR
        low, high = self._levels[level] if level >= 0 else (self._values, self._values)
        a, b = first // run, min(-(-last // run), len(low))
        group = -(-(b - a) // columns)
        if level < 0 and group < 2:
            return np.arange(first, last, dtype=float), self._values[first:last]
        edges = np.arange(a, b, max(group, 1))
        index = np.repeat((edges + group / 2) * run, 2)
        values = np.empty(2 * len(edges))
        values[0::2] = np.minimum.reduceat(low[:b], edges)
        values[1::2] = np.maximum.reduceat(high[:b], edges)
        return index, values
