"""What its builder adds to a plate: its number, who built it, when it is to be proven again, its size."""

from typing import Annotated

from tensimeter.core.described import Quantity
from tensimeter.core.model.faces import FaceRecord
from tensimeter.core.record import Positive, Record


class PlateRecord(Record):
    """Words of a plate that follow from nothing else, and the room that it has on the front."""

    serial: Annotated[str, Quantity("", "serial", "its serial number")] = ""
    built_by: Annotated[str, Quantity("", "built by", "who built it")] = ""
    #: Once a year is a rule of thumb.
    retest_months: Annotated[
        Positive | None, Quantity("", "proven again after months", "when it is due to be proven again")
    ] = 12.0
    width_mm: Annotated[Positive, Quantity("mm", "width", "width of the plate on the front")] = 100.0
    faces: Annotated[
        tuple[FaceRecord, ...], Quantity("", "faces", "sides of the box and their fittings")
    ] = ()
