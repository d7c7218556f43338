"""Waveforms from files: volts over time in CSV, or NumPy arrays of volts at a stated rate."""

import math
from pathlib import Path
from typing import IO

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.regular import open_regular

#: The longest record that is taken in, samples.
MOST_SAMPLES = 10_000_000
#: The largest array that is taken in: time and volts of that many, and a header.
MOST_BYTES = 16 * MOST_SAMPLES + 65_536
#: Times may be this share of a sample off an even spacing: digits cut short, not another rate.
UNEVEN_SHARE = 0.1


class Waveform(Struct, frozen=True):
    """Volts (n,) at `rate_Hz` samples a second."""

    volts: Array
    rate_Hz: float
    #: Time of the first sample, where the file says so: the trigger of an oscilloscope is time zero.
    start_s: float = 0.0

    @property
    def time_s(self) -> Array:
        """Seconds from the first sample (n,)."""
        return np.arange(len(self.volts)) / self.rate_Hz


def read_waveform(path: Path, rate_Hz: float | None = None, named: dict[str, str] | None = None) -> Waveform:
    """A waveform of up to ten million samples from `.npy` or a CSV with a header.

    One column of volts needs `rate_Hz`; two are time in s and volts. UserError where the time does not rise
    evenly, a sample is no number, or the rate is not known.
    """
    path = Path(path)
    time, volts = _array(path) if path.suffix.casefold() == ".npy" else _table(path, named or {})
    if len(volts) > MOST_SAMPLES:
        raise UserError(
            f"{path.name} has {len(volts)} samples; {MOST_SAMPLES} are the most that is taken in."
        )
    if len(volts) < 2:
        raise UserError(f"{path.name} has fewer than two samples.")
    if rate_Hz is None and time is None:
        raise UserError(f"{path.name} has no times: say how many samples a second with --rate.")
    if not np.isfinite(volts).all():
        raise UserError(f"{path.name} has samples that are no numbers; nothing was taken.")
    rate = rate_Hz if time is None or rate_Hz is not None else _rate(path, time)
    assert rate is not None
    if not (rate > 0 and np.isfinite(rate)):
        raise UserError("The rate must be above zero.")
    start = float(time[0]) if time is not None and rate_Hz is None else 0.0
    return Waveform(volts, float(rate), start)


def _array(path: Path) -> tuple[Array | None, Array]:
    with open_regular(path, MOST_BYTES) as file:
        data = read_array(file, path.name)
    if data.ndim == 2 and 2 in data.shape:
        columns = data if data.shape[1] == 2 else data.T
        return np.array(columns[:, 0], float), np.array(columns[:, 1], float)
    if data.ndim != 1:
        raise UserError(f"{path.name} has the shape {data.shape}; volts alone, or time and volts, are read.")
    return None, np.array(data, float)


def read_array(file: IO[bytes], name: str) -> Array:
    """A NumPy array of plain numbers; UserError where it is none, or announces more than the file has.

    The header is read before anything is made of it: a small file may ask for any amount of memory.
    """
    try:
        version = np.lib.format.read_magic(file)
        read_header = {
            (1, 0): np.lib.format.read_array_header_1_0,
            (2, 0): np.lib.format.read_array_header_2_0,
        }[version]
        shape, _, dtype = read_header(file)
        if dtype.hasobject or dtype.kind not in "fiu":
            raise UserError(f"{name} does not hold plain numbers.")
        begin = file.tell()
        left = file.seek(0, 2) - begin
        # Python's own integers: a product of hostile lengths must not wrap round.
        if len(shape) > 2:
            raise UserError(f"{name} has the shape {shape}; volts alone, or time and volts, are read.")
        if any(n < 0 for n in shape) or math.prod(shape) * dtype.itemsize > left:
            raise UserError(f"{name} is cut short: its header announces {shape}, and the file has less.")
        file.seek(0)
        data = np.load(file, allow_pickle=False)
    except UserError:
        raise
    except Exception as error:
        # NumPy reads the header with Python's own parser, which raises much.
        raise UserError(f"{name} is not a NumPy array of numbers.") from error
    return np.asarray(data)


def _table(path: Path, named: dict[str, str]) -> tuple[Array | None, Array]:
    # Not wanted for a waveform that is kept already: a window opens sooner without it.
    from tensimeter.store.logs import read_log

    log = read_log(path, named)
    (volts,) = log.need("volts")
    return log.columns.get("time"), volts


def _rate(path: Path, time: Array) -> float:
    if not (np.isfinite(time).all()):
        raise UserError(f"{path.name}: its time has values that are not finite numbers.")
    steps = np.diff(time)
    step = float(time[-1] - time[0]) / len(steps)
    if not step > 0 or float(steps.min()) <= 0:
        raise UserError(f"{path.name}: its time does not rise from sample to sample.")
    even = time[0] + step * np.arange(len(time))
    if float(np.abs(time - even).max()) > UNEVEN_SHARE * step * max(1.0, len(time) * 1e-6):
        raise UserError(f"{path.name} is not sampled evenly; bring it to one rate first. Nothing was taken.")
    return 1 / step
