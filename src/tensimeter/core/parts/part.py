"""What every part has, and what each says of itself."""

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Annotated, ClassVar

from pydantic import Field

from tensimeter.core.record import Condition, Count, Identifier, Name, NotNegative, Origin, Positive, Record


class PartRecord(Record, ABC):
    """What every part has.

    `doubt` is how far its ratings are held below the label, beside the policy, because they are not
    believed. `size_mm` is length, width and height.
    """

    #: The shelf of the stock that it stands on.
    shelf: ClassVar[str]
    #: What is said where it is put into a path although it is no link of one.
    elsewhere: ClassVar[str] = "is no link of a path; it measures or loads"
    #: Its lists of records, and what one of each is called.
    lists: ClassVar[dict[str, str]] = {}
    #: Whether it lies inside the box, and there in its wall.
    inside_box: ClassVar[bool] = True
    in_wall: ClassVar[bool] = False
    #: Whether it has a case that may be opened.
    cased: ClassVar[bool] = False

    id: Identifier
    name: Name
    condition: Condition = "untested"
    cost: NotNegative | None = None
    note: str = ""
    count: Count = 1
    doubt: Annotated[float, Field(ge=0, lt=1)] = 0.0
    size_mm: tuple[Positive, Positive, Positive] | None = None
    #: Its case has been opened; what the meter said from its output to its case (None: not measured).
    opened: bool = False
    isolation_ohm: Positive | None = None
    origins: dict[str, Origin] = Field(default_factory=dict)

    @property
    def believed(self) -> float:
        """Share of its ratings that is believed."""
        return 1 - self.doubt

    if TYPE_CHECKING:

        @property
        def kind(self) -> str:
            """The word that tells its kind in a file."""

    @abstractmethod
    def summary(self) -> tuple[str, str]:
        """Its ratings in two lines."""

    @abstractmethod
    def rated(self) -> tuple[float, float, float] | None:
        """Volts, amps and watts that bound what it gives or sinks; None for what gives nothing."""
