"""Waveforms kept in the job file as facts, each as a NumPy array of volts."""

import io
import time
from functools import partial

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Origin, Wave
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waveforms import read_array

#: Columns of the table, and the fields of a waveform that they are.
_COLUMNS = "id, at, place, rate, start, samples, instrument, origin, test, step, run, note"
_FIELDS = _COLUMNS.replace("rate", "rate_Hz").replace("start", "start_s").split(", ")


def keep_wave(
    file: JobFile,
    volts: Array,
    rate_Hz: float,
    place: str,
    *,
    start_s: float = 0.0,
    instrument: str = "",
    origin: Origin = "instrument",
    test: str | None = None,
    step: int | None = None,
    run: int | None = None,
    note: str = "",
) -> int:
    """Keep a waveform (n,) of volts for good; on disk when this returns. Its id.

    Kept as float32: 24 bits, finer than any digitiser that is met.
    """
    data = io.BytesIO()
    np.save(data, np.asarray(volts, np.float32), allow_pickle=False)
    return file.add(
        "wave",
        at=time.time(),
        place=place,
        rate=rate_Hz,
        start=start_s,
        samples=len(volts),
        instrument=instrument,
        origin=origin,
        test=test,
        step=step,
        run=run,
        note=note,
        data=data.getvalue(),
        revision=file.revision,
    )


class WaveBook:
    """The waveforms of an open file; one is made once, so that what was worked out of it stays."""

    def __init__(self, file: JobFile) -> None:
        self._file = file
        self._known: list[Wave] = []

    def waves(self) -> list[Wave]:
        """The waveforms that count, in the order kept; samples are fetched when asked for."""
        after = self._known[-1].id if self._known else 0
        for row in self._file.pick("wave", _COLUMNS, after):
            self._known.append(
                Wave(**dict(zip(_FIELDS, row, strict=True)), fetch=partial(_fetch, self._file, int(row[0])))
            )
        struck = self._file.struck("wave")
        return [w for w in self._known if w.id not in struck]


def _fetch(file: JobFile, number: int) -> Array:
    try:
        data = read_array(io.BytesIO(file.blob("wave", number)), f"Waveform {number}")
    except UserError as trouble:
        raise UserError(f"{trouble} The rest of the job is whole.") from trouble
    return np.asarray(data, float)
