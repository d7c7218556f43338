"""How well an instrument of the stock reads."""

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.job import Job
from tensimeter.core.parts.instrument_part import Instrument


def accuracy_of(
    job: Job, instrument: str | None, quantity: str, value: float, typed_resolution: float = 0.01
) -> tuple[Accuracy, str]:
    """Accuracy and range name for a value read on an instrument of the stock.

    Without an instrument, a plain handheld's accuracy is assumed at the digits that were typed.
    """
    part = job.part(instrument)
    found = part.accuracy_for(quantity, value) if isinstance(part, Instrument) else None
    if found is not None:
        return found
    if quantity in ("C", "dB"):
        return Accuracy(of_reading=0, counts=2.0, resolution=1.0), "assumed"
    return Accuracy(of_reading=0.005, counts=2, resolution=typed_resolution), "assumed"
