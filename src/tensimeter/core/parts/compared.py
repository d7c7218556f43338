"""What is held against a reference, and keeps what that has shown."""

from typing import Annotated

from tensimeter.core.described import Quantity
from tensimeter.core.parts.figures import MeterCheckRecord
from tensimeter.core.parts.part import PartRecord


class ComparedPart(PartRecord):
    """A meter of any kind: on the bench, or built into the path."""

    checks: Annotated[
        tuple[MeterCheckRecord, ...],
        Quantity("", "checks", "what comparisons with a reference have shown, the newest last"),
    ] = ()
