"""The plate of a job as it stands."""

from collections.abc import Sequence

from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.plate.rating import Plate, plate
from tensimeter.core.procedure.notices import notices
from tensimeter.core.testplan.step import Outcome


def plate_of(job: Job, readings: list[Reading], judged: Sequence[Outcome], now: float) -> Plate:
    """What may be written on the front of a job, its tests judged; what was overruled marks it."""
    overruled = [n.title for n in notices(job, readings) if n.kind == "hold" and n.overruled]
    return plate(job, judged, readings, now, overruled)
