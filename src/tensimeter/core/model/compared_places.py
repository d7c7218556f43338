"""Where it is filed what a meter shows, or a setter is set to, so that it can be held against a reference."""

from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.instrument_part import Instrument, SetLoad
from tensimeter.core.path import OutputLink

#: What such a place ends with, behind the id of a meter; of a load or of an output that can be set.
SHOWS, SET = "-shows", "-set"


def shows_of(part_id: str) -> str:
    """Where what a meter of the stock shows is filed, beside what was read last with another one."""
    return part_id + SHOWS


def set_of(subject: str) -> str:
    """Where what a load, or the converter of an output, is set to is filed: before what is read then."""
    return subject + SET


def setter_of(job: Job, output: OutputLink) -> ConverterPart | None:
    """The converter that an output's volts and limit are set at; None where nothing is set."""
    parts = (job.part(link.part) for link in reversed(job.design.path_to(output.id)))
    return next((p for p in parts if isinstance(p, ConverterPart) and p.out_max_V > p.out_min_V), None)


def compared_places(job: Job) -> list[str]:
    """Every such place of a job."""
    return [
        *(shows_of(p.id) for p in job.stock if isinstance(p, Instrument)),
        *(set_of(p.id) for p in job.stock if isinstance(p, SetLoad)),
        *(set_of(o.id) for o in job.design.outputs() if setter_of(job, o) is not None),
    ]


def part_at(job: Job, place: str) -> str | None:
    """The part of the stock that such a place is of; None where it is none."""
    if place.endswith(SHOWS):
        part = job.part(place.removesuffix(SHOWS))
        return part.id if isinstance(part, Instrument) else None
    if not place.endswith(SET):
        return None
    of = place.removesuffix(SET)
    part = job.part(of)
    if isinstance(part, SetLoad):
        return part.id
    output = next((o for o in job.design.outputs() if o.id == of), None)
    setter = setter_of(job, output) if output is not None else None
    return setter.id if setter is not None else None
