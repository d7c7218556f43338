"""The plate of a job file as it stands."""

from collections.abc import Sequence

from tensimeter.core.plate.rating import Plate, plate
from tensimeter.core.procedure.notices import notices
from tensimeter.core.testplan.step import Outcome
from tensimeter.store.jobfile import JobFile


def plate_of(file: JobFile, judged: Sequence[Outcome], now: float) -> Plate:
    """What may be written on the front of a job, its tests judged; what was overruled marks it."""
    readings = file.readings()
    overruled = [n.text for n in notices(file.job, readings) if n.kind == "hold" and n.overruled]
    return plate(file.job, judged, readings, now, overruled)
