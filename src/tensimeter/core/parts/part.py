"""What every part has, and what each says of itself."""

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Annotated, ClassVar

from pydantic import Field

from tensimeter.core.described import Quantity
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
    #: Figures that follow from others of it, and are never typed.
    derived: ClassVar[frozenset[str]] = frozenset()
    #: Its lists of records, and what one of each is called.
    lists: ClassVar[dict[str, str]] = {}
    #: Whether it lies inside the box, and there in its wall.
    inside_box: ClassVar[bool] = True
    in_wall: ClassVar[bool] = False
    #: Whether it has a case that may be opened.
    cased: ClassVar[bool] = False

    id: Identifier
    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    condition: Annotated[Condition, Quantity("", "condition", "what is known of its state")] = "untested"
    cost: Annotated[NotNegative | None, Quantity("", "cost, own money", "what one of it cost")] = None
    note: Annotated[str, Quantity("", "note", "anything to remember")] = ""
    count: Annotated[Count, Quantity("", "count", "how many of it there are")] = 1
    doubt: Annotated[
        float,
        Field(ge=0, lt=1),
        Quantity(
            "%",
            "held below the label",
            "how far its ratings are held below the label because they are not believed",
        ),
    ] = 0.0
    size_mm: Annotated[
        tuple[Positive, Positive, Positive] | None, Quantity("mm", "size", "length, width and height")
    ] = None
    #: Its case has been opened; what the meter said from its output to its case (None: not measured).
    opened: Annotated[
        bool, Quantity("", "its case was opened", "its case has been opened, so its mains side can be met")
    ] = False
    isolation_ohm: Annotated[
        Positive | None,
        Quantity("Ω", "output to case, measured", "ohms from its output to its case, unplugged"),
    ] = None
    origins: Annotated[
        dict[str, Origin], Quantity("", "origins", "where each figure comes from, by field")
    ] = Field(default_factory=dict)

    @property
    def believed(self) -> float:
        """Share of its ratings that is believed."""
        return 1 - self.doubt

    @property
    def sticks_out(self) -> bool:
        """Whether it stands outside the box, against a wall of it."""
        return False

    @property
    def enable_ways(self) -> int:
        """Enable lines of sources that it holds, each apart from the others."""
        return 0

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
